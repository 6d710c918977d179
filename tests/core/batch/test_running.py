"""Pieces in processes: each is done once, and a process that dies costs its own piece."""

from __future__ import annotations

import multiprocessing
import os
import signal
from pathlib import Path

from lean_trellis.core.batch import running
from lean_trellis.core.batch.piece import Done, Piece


def act(piece):
    """In place of real work: what the name says."""
    if piece.path.name == "dies":
        os.kill(os.getpid(), signal.SIGKILL)
    return Done(ok=True, reason=f"{piece.path.name} in {os.getpid()}")


def served(pipe):
    running.do_piece = act
    running.serve(pipe)


def pieces(*names):
    return [(number, Piece(None, Path(name))) for number, name in enumerate(names)]


def test_every_piece_is_done_once_and_one_that_kills_its_process_is_told_apart():
    names = ["a", "dies", "b", "c", "dies", "d", "e"]
    answers = list(running.done_here(pieces(*names), 2, served))
    assert sorted(number for number, _ in answers) == list(range(7))
    of = dict(answers)
    assert [of[number].ok for number in range(7)] == [name != "dies" for name in names]
    assert of[1].reason == "dies: its process ended by signal 9; mend or simplify the part"
    assert all(of[number].reason.startswith(f"{names[number]} in ") for number in (0, 2, 3, 5, 6))


def test_who_stops_listening_stops_the_processes():
    before = set(multiprocessing.active_children())
    answers = running.done_here(pieces(*"abcdefgh"), 2, served)
    next(answers)
    answers.close()
    for process in set(multiprocessing.active_children()) - before:
        process.join(20)
        assert not process.is_alive()
    assert running.processors() >= 1

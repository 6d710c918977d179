"""Tasks in processes: each is done once, and a process that dies costs its own task."""

from __future__ import annotations

import os
import time

import pytest
from apart import act

from lean_trellis.core.errors import Cancelled
from lean_trellis.core.processes import done_apart, processors


def lost(task, how):
    return f"{task} ended {how}", 0


def numbered(*names):
    return list(enumerate(names))


def test_every_task_is_done_once_and_one_that_kills_its_process_is_told_apart():
    names = ["a", "dies", "b", "c", "leaves", "d", "e"]
    answers = list(done_apart(act, numbered(*names), 2, lost=lost, common="for all"))
    assert sorted(number for number, _ in answers) == list(range(7))
    of = {number: words for number, (words, _) in answers}
    assert of[1] == "dies ended by signal 9"
    assert of[4] == "leaves ended with status 3"
    assert [of[number] for number in (0, 2, 3, 5, 6)] == [f"for all {names[number]}" for number in (0, 2, 3, 5, 6)]
    assert os.getpid() not in {process for _, (_, process) in answers}
    assert processors() >= 1


def is_running(process):
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    return True


def test_who_stops_listening_stops_the_processes():
    answers = done_apart(act, numbered("a", "sleeps", "sleeps"), 1, lost=lost)
    _, (_, process) = next(answers)
    answers.close()
    assert not is_running(process)


def test_what_the_tick_raises_ends_all_at_once():
    begin = time.perf_counter()

    def tick():
        raise Cancelled

    with pytest.raises(Cancelled):
        list(done_apart(act, numbered("sleeps", "sleeps"), 2, lost=lost, tick=tick))
    assert time.perf_counter() - begin < 30, "the tasks themselves take a minute"


def test_what_the_source_of_tasks_raises_is_raised():
    def broken():
        yield 0, "a"
        raise ValueError("no more")

    with pytest.raises(ValueError, match="no more"):
        list(done_apart(act, broken(), 1, lost=lost))

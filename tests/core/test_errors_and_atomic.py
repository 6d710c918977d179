"""Errors as one clear line, and files that are written whole."""

from __future__ import annotations

import errno
import os
import pickle
import stat
from pathlib import Path

import pytest

from lean_trellis.core.atomic import discard_unfinished, written_whole
from lean_trellis.core.errors import (
    AccessError,
    Cancelled,
    EditError,
    FileError,
    FormatError,
    ParameterError,
    TrellisError,
    UnknownNameError,
)


def test_an_error_is_subject_what_and_cure():
    assert str(FormatError("a.stl", "is empty", "copy it again")) == "a.stl: is empty; copy it again"
    assert str(EditError("", "nothing to do")) == "nothing to do"
    assert issubclass(FormatError, FileError)
    assert issubclass(ParameterError, TrellisError)


@pytest.mark.parametrize(
    "problem",
    [FormatError("a", "b", "c"), Cancelled(), UnknownNameError.among("set", "brs", ["bars"]), AccessError("p", "q")],
)
def test_errors_travel_between_processes(problem):
    again = pickle.loads(pickle.dumps(problem))
    assert type(again) is type(problem)
    assert str(again) == str(problem)


@pytest.mark.parametrize(
    ("code", "words"),
    [
        (errno.ENOENT, "check the name"),
        (errno.EACCES, "right to write"),
        (errno.ENOSPC, "disk is full"),
        (errno.EISDIR, "name a file"),
        (errno.EIO, "check the disk"),
    ],
)
def test_what_the_system_refuses_is_said_with_a_cure(code, words):
    problem = OSError(code, os.strerror(code))
    assert words in str(AccessError.of("x.trellis", problem, "write"))


def test_unknown_names_list_what_there_is_when_nothing_comes_close():
    assert "known: bars, walls" in str(UnknownNameError.among("set", "zzz", ["walls", "bars"]))


def test_a_file_is_there_whole_or_not_at_all(tmp_path):
    path = tmp_path / "a.bin"
    with written_whole(path) as file:
        file.write(b"one")
        assert not path.exists()
    assert path.read_bytes() == b"one"
    with pytest.raises(KeyError), written_whole(path) as file:
        file.write(b"two")
        raise KeyError
    assert path.read_bytes() == b"one"
    assert [entry.name for entry in tmp_path.iterdir()] == ["a.bin"]


def test_a_replaced_file_keeps_its_permissions_and_a_new_one_takes_the_usual(tmp_path):
    path = tmp_path / "a.bin"
    path.write_bytes(b"old")
    path.chmod(0o640)
    with written_whole(path) as file:
        file.write(b"new")
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    with written_whole(tmp_path / "b.bin") as file:
        file.write(b"x")
    umask = os.umask(0)
    os.umask(umask)
    assert stat.S_IMODE((tmp_path / "b.bin").stat().st_mode) == 0o666 & ~umask


def test_what_is_half_written_can_be_discarded_at_once(tmp_path):
    writing = written_whole(tmp_path / "a.bin")
    writing.__enter__().write(b"half")
    assert len(list(tmp_path.iterdir())) == 1
    discard_unfinished()
    assert list(tmp_path.iterdir()) == []
    with pytest.raises(AccessError):
        writing.__exit__(None, None, None)


def test_a_place_that_cannot_be_written_is_named(tmp_path):
    with pytest.raises(AccessError) as caught, written_whole(tmp_path / "no" / "a.bin"):
        pass
    assert "no/a.bin" in str(caught.value)
    assert Path(tmp_path / "no").exists() is False

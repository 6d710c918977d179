"""Errors: subject, what, cure."""

from __future__ import annotations

import errno
import os
import pickle

import pytest

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

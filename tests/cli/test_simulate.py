"""The command of practice machines: however it is ended, it ends."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from lean_trellis.core.release.machines.register import FOLDER

_AT_A_BAD_MOMENT = """
import os, signal, sys
from lean_trellis.cli import simulate as command

class Last:
    def __del__(self):  # no exception gets out of here
        os.kill(os.getpid(), signal.{name})
        for _ in range(10_000):
            pass

def serve(*_):
    Last()
    sys.exit(7)

command.serve = serve
command.simulate("filament-320", 0, "secret", "", None, 1.0, "127.0.0.1", True)
"""


@pytest.mark.parametrize("name", ["SIGINT", "SIGTERM"])
def test_a_signal_that_comes_where_python_lets_no_exception_through_ends_it_and_takes_its_note_away(tmp_path, name):
    done = subprocess.run(
        [sys.executable, "-c", _AT_A_BAD_MOMENT.format(name=name)], env={**os.environ, FOLDER: str(tmp_path)},
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (130, "")
    assert '"token": "secret"' in done.stdout
    assert list(tmp_path.glob("*.machine.json")) == []

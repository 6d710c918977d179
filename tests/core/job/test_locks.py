"""Locks that last as long as whoever holds them."""

from __future__ import annotations

import subprocess
import sys

from lean_trellis.core.job.locks import locked


def test_one_holds_a_lock_until_it_is_closed(tmp_path):
    first = locked(tmp_path / "lock")
    assert first is not None
    assert locked(tmp_path / "lock") is None
    first.close()
    again = locked(tmp_path / "lock")
    assert again is not None
    again.close()


def test_a_lock_goes_with_its_process_however_it_ends(tmp_path):
    path = tmp_path / "lock"
    code = "import sys; from pathlib import Path; from lean_trellis.core.job.locks import locked; "
    code += "held = locked(Path(sys.argv[1])); print('held', flush=True); sys.stdin.read()"
    with subprocess.Popen(
        [sys.executable, "-c", code, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    ) as other:
        assert other.stdout is not None
        assert other.stdout.readline() == b"held\n"
        assert locked(path) is None
        other.kill()
    mine = locked(path)
    assert mine is not None
    mine.close()

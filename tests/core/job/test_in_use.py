"""Claims on job files: one at a time, by whatever name the file is called, and gone with their process."""

from __future__ import annotations

import subprocess
import sys

from lean_trellis.core.job.in_use import FileInUse


def test_a_file_is_claimed_once_and_again_after_it_was_released(tmp_path):
    job, locks = tmp_path / "a.trellis", tmp_path / "locks"
    mine = FileInUse.claim(job, locks)
    assert mine is not None
    assert mine.is_of(job) and not mine.is_of(None) and not mine.is_of(tmp_path / "b.trellis")
    assert FileInUse.claim(job, locks) is None
    assert FileInUse.claim(tmp_path / "x" / ".." / "a.trellis", locks) is None, "another name of the same file"
    other = FileInUse.claim(tmp_path / "b.trellis", locks)
    assert other is not None
    mine.release()
    again = FileInUse.claim(job, locks)
    assert again is not None
    again.release()
    other.release()


def test_a_claim_ends_with_its_process_however_that_ends(tmp_path):
    job, locks = tmp_path / "a.trellis", tmp_path / "locks"
    code = (
        "import os, sys; from pathlib import Path; from lean_trellis.core.job.in_use import FileInUse;"
        "claim = FileInUse.claim(Path(sys.argv[1]), Path(sys.argv[2])); assert claim is not None;"
        "print('claimed', flush=True); sys.stdin.read()"
    )
    with subprocess.Popen(
        [sys.executable, "-c", code, str(job), str(locks)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout.readline().strip() == "claimed"
        assert FileInUse.claim(job, locks) is None
        other.kill()
        other.wait()
    mine = FileInUse.claim(job, locks)
    assert mine is not None
    mine.release()

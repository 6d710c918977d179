"""Recovery copies: written, listed, locked, read, discarded."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import replace

import pytest

from full_job import full_job
from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.job.files import job_text, save_job
from lean_trellis.core.job.recovery import RecoveryCopy, copies_left, open_copy


def left(root, job, file=None):
    """A copy whose writer is gone."""
    copy = RecoveryCopy.create(root)
    copy.write(job, file)
    copy.release()
    return copy.folder


def test_a_copy_gives_back_the_job_its_parts_and_its_file(tmp_path, library):
    job = full_job()
    folder = left(tmp_path, job, tmp_path / "friday.trellis")
    (found,) = copies_left(tmp_path)
    assert (found.folder, found.name, found.file) == (folder, "full", tmp_path / "friday.trellis")
    assert found.parts == tuple(part.name for part in job.parts)
    assert job_text(open_copy(found, library)) == job_text(job)


def test_a_copy_is_not_listed_while_its_writer_lives(tmp_path):
    copy = RecoveryCopy.create(tmp_path)
    copy.write(full_job(), None)
    assert copies_left(tmp_path) == []
    assert RecoveryCopy.claim(copy.folder) is None
    copy.release()
    assert len(copies_left(tmp_path)) == 1


def test_a_writer_that_is_killed_leaves_its_copy(tmp_path):
    """The lock goes with the process, however it ends."""
    lines = (
        "import os, signal; from pathlib import Path; from full_job import full_job\n"
        "from lean_trellis.core.job.recovery import RecoveryCopy\n"
        f"copy = RecoveryCopy.create(Path({str(tmp_path)!r})); copy.write(full_job(), None)\n"
        "os.kill(os.getpid(), signal.SIGKILL)"
    )
    path = ":".join(entry for entry in sys.path if entry)
    done = subprocess.run([sys.executable, "-c", lines], env={"PYTHONPATH": path}, check=False)
    assert done.returncode == -9
    assert [copy.name for copy in copies_left(tmp_path)] == ["full"]


def test_writing_again_keeps_only_the_meshes_of_today(tmp_path, library):
    job = full_job()
    copy = RecoveryCopy.create(tmp_path)
    copy.write(job, None)
    before = {place.name: place.stat().st_mtime_ns for place in (copy.folder / "meshes").iterdir()}
    fewer = replace(job, parts=job.parts[2:], supports=(), name="fewer")
    copy.write(fewer, None)
    after = {place.name: place.stat().st_mtime_ns for place in (copy.folder / "meshes").iterdir()}
    assert set(after) < set(before)
    assert all(before[name] == moment for name, moment in after.items())  # a mesh is written once
    copy.release()
    assert open_copy(copies_left(tmp_path)[0], library).name == "fewer"


def test_the_latest_copy_comes_first_and_each_goes_by_itself(tmp_path):
    first, second = (
        left(tmp_path, replace(full_job(), name="first")),
        left(tmp_path, replace(full_job(), name="second")),
    )
    import os

    os.utime(first / "job.json", (1, 1))
    assert [copy.name for copy in copies_left(tmp_path)] == ["second", "first"]
    claimed = RecoveryCopy.claim(second)
    assert claimed is not None
    claimed.discard()
    assert [copy.folder for copy in copies_left(tmp_path)] == [first]


def test_a_copy_of_an_earlier_version_is_listed_too(tmp_path, library):
    save_job(full_job(), tmp_path / "999999999.trellis")
    (found,) = copies_left(tmp_path)
    assert open_copy(found, library).name == "full"


def test_a_damaged_copy_says_what_it_lacks(tmp_path, library):
    folder = left(tmp_path, full_job())
    (folder / "about.json").write_text("{")
    (found,) = copies_left(tmp_path)
    assert (found.name, found.parts, found.file) == ("Untitled", (), None)
    next((folder / "meshes").iterdir()).unlink()
    with pytest.raises(FormatError, match="lacks"):
        open_copy(found, library)
    content = json.loads((folder / "job.json").read_text())
    (folder / "job.json").write_text(json.dumps(content | {"layer_height": -1}))
    with pytest.raises(FormatError, match="layer_height"):
        open_copy(found, library)


def test_where_nothing_can_be_written_it_says_so(tmp_path):
    (tmp_path / "file").write_text("")
    with pytest.raises(AccessError, match="cannot write"):
        RecoveryCopy.create(tmp_path / "file")
    assert copies_left(tmp_path / "nowhere") == []

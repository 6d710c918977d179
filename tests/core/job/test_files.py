"""Job files: whole, wrong, cut off."""

from __future__ import annotations

import errno
import json
import os
import signal
import subprocess
import sys
import textwrap
import zipfile
from dataclasses import replace
from pathlib import Path

import pytest

from lean_trellis.core import atomic
from lean_trellis.core.errors import AccessError, FormatError, NewerFileError
from lean_trellis.core.job import Job, edits
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick


@pytest.fixture
def full_job(job):
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    pick = RegionPick("face", (0.1, 0.2, 0.30000000000000004))
    job = edits.add_support(job, "part-2", shipped_sets()["bars-metal-braced"], (pick,)).job
    job = edits.change_support(job, "support-1", "height_limit", 12.5).job
    job = edits.turn_part(job, "part-2", "x", 12.3456789).job
    return edits.set_angles(edits.describe_part(job, "part-1", owner="Örtlich & Co").job, ["part-2"], 40, 50).job


def without_meshes(job: Job) -> Job:
    return replace(job, parts=tuple(replace(part, mesh=None) for part in job.parts))


def test_a_job_comes_back_unchanged(tmp_path, library, full_job):
    path = tmp_path / "a.trellis"
    save_job(full_job, path)
    again = open_job(path, library)
    assert without_meshes(again) == without_meshes(full_job)
    assert [part.mesh.key for part in again.parts] == [part.mesh.key for part in full_job.parts]
    save_job(again, tmp_path / "b.trellis")
    assert [p.name for p in tmp_path.iterdir() if p.suffix != ".trellis"] == []


def test_each_mesh_is_kept_once(tmp_path, job):
    job = edits.copy_part(job, "part-1").job
    save_job(job, tmp_path / "a.trellis")
    with zipfile.ZipFile(tmp_path / "a.trellis") as archive:
        assert len([n for n in archive.namelist() if n.startswith("meshes/")]) == 2


def rewritten(path: Path, change) -> None:
    with zipfile.ZipFile(path) as archive:
        content = {name: archive.read(name) for name in archive.namelist()}
    kept = json.loads(content["job.json"])
    change(kept, content)
    if "job.json" in content:
        content["job.json"] = json.dumps(kept).encode()
    with zipfile.ZipFile(path, "w") as archive:
        for name, raw in content.items():
            archive.writestr(name, raw)


def damaged_mesh(kept, content):
    name = next(n for n in content if n.startswith("meshes/"))
    raw = bytearray(content[name])
    raw[raw.index(b"end_header\n") + 13] ^= 1
    content[name] = bytes(raw)


@pytest.mark.parametrize(
    ("change", "error", "words"),
    [
        (lambda kept, _: kept.update(version=99), NewerFileError, "newer version"),
        (lambda kept, _: kept.update(format="cake"), FormatError, "no job file"),
        (lambda kept, _: kept.update(machine="metal-26", machine_values=None), FormatError, "did you mean metal-260"),
        (
            lambda kept, _: kept["parts"][0]["pose"].update(build_offset=-3),
            FormatError,
            "parts.0.pose.build_offset",
        ),
        (lambda kept, _: kept["supports"][0]["parameters"].update(sides=1), FormatError, "sides"),
        (lambda kept, _: kept["supports"][0].update(part_id="ghost"), FormatError, "not there"),
        (lambda kept, _: kept.pop("parts"), FormatError, "parts"),
        (lambda _, content: content.pop("job.json"), FormatError, "no job file"),
        (damaged_mesh, FormatError, "damaged"),
        (lambda _, content: content.update({"../x": b""}), FormatError, "unsafe path"),
    ],
)
def test_job_files_that_are_wrong_say_what(tmp_path, library, full_job, change, error, words):
    path = tmp_path / "a.trellis"
    save_job(full_job, path)
    rewritten(path, change)
    with pytest.raises(error) as caught:
        open_job(path, library)
    assert words in str(caught.value)
    assert str(path) in str(caught.value)
    assert "\n" not in str(caught.value)


def test_a_full_disk_leaves_the_old_file(tmp_path, library, full_job, job, monkeypatch):
    path = tmp_path / "a.trellis"
    save_job(job, path)

    def full(_):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr(atomic.os, "fsync", full)
    with pytest.raises(AccessError, match="disk is full"):
        save_job(full_job, path)
    monkeypatch.undo()
    assert len(open_job(path, library).supports) == 0
    assert [p.name for p in tmp_path.iterdir()] == ["a.trellis"]


def test_a_folder_that_is_not_there_is_refused(tmp_path, job):
    with pytest.raises(AccessError, match="cannot write"):
        save_job(job, tmp_path / "no" / "a.trellis")


def test_killing_the_process_while_it_saves_leaves_the_old_file_or_the_new_one(tmp_path, library, job):
    path = tmp_path / "a.trellis"
    save_job(job, path)
    program = textwrap.dedent(
        """
        import sys
        from pathlib import Path
        from lean_trellis.core.job.files import open_job, save_job
        from lean_trellis.core.job.edits import rename_job
        from lean_trellis.core.shop import shipped_library
        path = Path(sys.argv[1])
        job = open_job(path, shipped_library())
        print("ready", flush=True)
        for number in range(100000):
            save_job(rename_job(job, f"save {number}").job, path)
        """
    )
    for delay in (0.0, 0.013, 0.031, 0.05):
        process = subprocess.Popen([sys.executable, "-c", program, str(path)], stdout=subprocess.PIPE)
        assert process.stdout is not None
        assert process.stdout.readline() == b"ready\n"
        with pytest.raises(subprocess.TimeoutExpired):
            process.wait(0.05 + delay)
        process.send_signal(signal.SIGKILL)
        process.wait()
        process.stdout.close()
        opened = open_job(path, library)
        assert opened.name == "Test" or opened.name.startswith("save ")
        assert without_meshes(replace(opened, name="Test")) == without_meshes(job)

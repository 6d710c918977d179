"""Jobs: edits, undo and redo, the build offset that stays, files that come back unchanged or not at all."""

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
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import AccessError, EditError, FormatError, NewerFileError, UnknownNameError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import History, Job, edits
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick
from lean_trellis.core.supports.common.targets import pick_region


def test_undo_and_redo_walk_through_the_jobs(job):
    history = History(job)
    history.do(edits.turn_part(job, "part-1", "x", 70))
    history.do(edits.set_build_offset(history.job, ["part-1"], 9))
    assert history.undo_title == "Set build offset of slab to 9 mm"
    assert history.undo().part("part-1").pose.build_offset == 4
    assert history.redo_title == "Set build offset of slab to 9 mm"
    assert history.undo() is job
    assert (history.undo(), history.undo_title) == (job, "")
    assert history.redo().part("part-1").pose.rotation != job.part("part-1").pose.rotation
    history.do(edits.remove_parts(history.job, ["part-2"]))
    assert history.redo_title == ""


def test_a_job_is_renamed_in_every_step_and_undo_keeps_the_name(job):
    history = History(job)
    moved = history.do(edits.move_part(job, "part-1", 50, 40))
    renamed = history.rename("friday", moved)
    assert history.job is renamed
    assert (history.job.name, history.undo().name, history.redo() is renamed) == ("friday", "friday", True)


def test_one_drag_is_one_step(job):
    history = History(job)
    for x in range(5):
        history.do(edits.move_part(history.job, "part-1", x, 0), merge_key="drag 1")
    history.do(edits.move_part(history.job, "part-1", 50, 0), merge_key="drag 2")
    assert history.undo().part("part-1").pose.x == 4
    assert history.undo() is job


def test_edits_that_cannot_be_done_say_why_and_change_nothing(job):
    for make, words in (
        (lambda: edits.set_build_offset(job, ["part-1"], -1), "below the plate"),
        (lambda: edits.set_build_offset(job, ["part-1"], float("nan")), "no number"),
        (lambda: edits.set_layer_height(job, 5), "outside what Metal 260 makes"),
        (lambda: edits.set_angles(job, ["part-1"], 120, None), "no surface angle"),
        (lambda: edits.describe_part(job, "part-1", name="  "), "needs a name"),
    ):
        with pytest.raises(EditError, match=words):
            make()
    with pytest.raises(UnknownNameError):
        edits.move_part(job, "part-9", 0, 0)


def test_targets_are_remembered_on_the_part_through_turns(job, table):
    job = edits.add_bodies(job, [Body("table", table, len(table.faces))]).job
    part, pipeline = job.parts[-1], Pipeline()
    top = max(pipeline.overhangs(part, job).regions, key=lambda region: region.area_mm2)
    supported = edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick_region(top, part),)).job
    before = pipeline.bars(supported.supports[0], supported)
    turned = edits.move_part(edits.turn_part(supported, part.id, "z", 30).job, part.id, 100, 90).job
    after = pipeline.bars(turned.supports[0], turned)
    assert len(before) > 50
    assert after.contact_area_mm2 == pytest.approx(before.contact_area_mm2, rel=0.1)
    assert set(after.regions.tolist()) == {top.id}


def test_turning_one_part_does_not_derive_anothers_supports_again(job):
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    job = edits.move_part(job, "part-2", 30, 30).job
    pipeline = Pipeline()
    before = [pipeline.bars(support, job) for support in job.supports]
    turned = edits.turn_part(job, "part-2", "y", 20).job
    after = [pipeline.bars(support, turned) for support in turned.supports]
    assert after[0] is before[0]
    assert after[1] is not before[1]


# --- files ---


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

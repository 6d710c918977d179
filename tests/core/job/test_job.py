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

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core import atomic
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import AccessError, EditError, FormatError, NewerFileError, UnknownNameError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import History, Job, edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.parts.pose import rotation_between, rotation_xyz
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick
from lean_trellis.core.supports.common.targets import pick_region


def body(name, mesh):
    return Body(name, mesh, len(mesh.faces))


@pytest.fixture
def job(metal):
    bodies = [body("slab", box((20, 10, 5))), body("ball", ball(6, subdivisions=2))]
    return edits.add_bodies(new_job(*metal, "Test"), bodies).job


def lowest(job: Job, part_id: str = "part-1") -> float:
    return float(job.part(part_id).placed.bounds[0, 2])


def test_parts_come_in_lifted_by_the_materials_offset_and_apart(job):
    assert [lowest(job, part.id) for part in job.parts] == pytest.approx([4, 4])
    one, other = (part.bounds() for part in job.parts)
    assert (one[0, :2] >= other[1, :2]).any() or (other[0, :2] >= one[1, :2]).any()
    assert job.machine.plate.holds(np.concatenate([one[:, :2], other[:, :2]])).all()


@given(
    st.lists(
        st.one_of(
            st.tuples(st.sampled_from("xyz"), st.floats(-360, 360)),
            st.tuples(st.just("move"), st.floats(0, 200)),
            st.tuples(st.just("face"), st.integers(0, 11)),
        ),
        max_size=6,
    ),
    st.floats(0, 80),
)
def test_a_part_stays_at_its_offset_through_every_edit(metal, steps, offset):
    job = edits.add_bodies(new_job(*metal), [body("slab", box((20, 10, 5)))]).job
    history = History(job)
    history.do(edits.set_build_offset(job, ["part-1"], offset))
    for kind, value in steps:
        if kind == "move":
            history.do(edits.move_part(history.job, "part-1", value, value / 2))
        elif kind == "face":
            history.do(edits.put_face_down(history.job, "part-1", value))
        else:
            history.do(edits.turn_part(history.job, "part-1", kind, value))
        assert lowest(history.job) == pytest.approx(offset, abs=1e-9)
    copied = edits.copy_part(history.job, "part-1").job
    assert lowest(copied, copied.parts[-1].id) == pytest.approx(offset, abs=1e-9)
    arranged = edits.arrange_parts(copied).job
    assert [lowest(arranged, part.id) for part in arranged.parts] == pytest.approx([offset] * 2, abs=1e-9)


def test_quarter_turns_are_exact_and_four_of_them_are_none(job):
    turned = job
    for _ in range(4):
        turned = edits.turn_part(turned, "part-1", "x", 90).job
    assert turned.part("part-1").pose == job.part("part-1").pose
    assert rotation_about("z", 90)[1].tolist() == [1, 0, 0]


def test_rotate_is_about_x_then_y_then_z():
    expected = rotation_about("z", 30) @ rotation_about("y", 20) @ rotation_about("x", 10)
    np.testing.assert_allclose(rotation_xyz(10, 20, 30), expected)
    np.testing.assert_allclose(rotation_about("x", 90) @ [0, 1, 0], [0, 0, 1], atol=1e-15)


@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1))
def test_the_shortest_turn_takes_one_direction_onto_another(vector):
    unit = np.array(vector) / np.linalg.norm(vector)
    turn = rotation_between(unit, np.array([0, 0, -1.0]))
    np.testing.assert_allclose(turn @ unit, [0, 0, -1], atol=1e-9)
    assert np.linalg.det(turn) == pytest.approx(1)


def test_a_picked_face_looks_at_the_plate(job):
    mesh = job.part("part-1").mesh
    face = int(np.flatnonzero(mesh.normals[:, 0] > 0.9)[0])
    down = edits.put_face_down(job, "part-1", face).job.part("part-1")
    np.testing.assert_allclose(down.placed.normals[face], [0, 0, -1], atol=1e-12)
    assert down.bounds()[1, 2] - down.bounds()[0, 2] == pytest.approx(20)


def test_points_travel_between_part_and_plate(job):
    part = edits.turn_part(job, "part-1", "y", 33).job.part("part-1")
    points = np.random.default_rng(0).uniform(-9, 9, (5, 3))
    back = part.pose.to_part(part.mesh, part.pose.to_plate(part.mesh, points))
    np.testing.assert_allclose(back, points, atol=1e-12)
    np.testing.assert_allclose(part.pose.to_plate(part.mesh, part.mesh.vertices), part.placed.vertices)


def test_a_copy_in_place_lies_exactly_on_its_original_and_changes_no_total(job):
    supported = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    copied = edits.copy_part(supported, "part-1", in_place=True).job
    one, other = copied.part("part-1"), copied.parts[-1]
    assert one.pose == other.pose
    assert other.name == "slab (2)"
    assert other.mesh is one.mesh
    assert len(copied.supports) == 2
    pipeline = Pipeline()
    first, second = (pipeline.bars(support, copied) for support in copied.supports)
    assert first.volume_mm3 == pytest.approx(second.volume_mm3)
    assert first is second  # what follows from the same things is derived once


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
    job = edits.add_bodies(job, [body("table", table)]).job
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

"""Edits of parts: size, unit, mirror, copies, stacks, groups, locks, owners from a table; poses by every way."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from any_parts import extents, low
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import History, edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.parts import Origin, Size, Stage
from lean_trellis.core.parts.stacking import Separator, Spacer
from lean_trellis.core.proposals import ArrangeWishes, arrangement
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


@given(st.tuples(*[st.floats(0.2, 5)] * 3), st.tuples(*[st.floats(-0.1, 0.2)] * 3), st.floats(0, 30))
def test_size_multiplies_the_volume_and_keeps_the_offset(metal, scale, rates, offset):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], offset).job
    size = Size(scale, (Stage("print", rates),))
    sized = edits.set_size(job, ["part-1"], size).job
    assert sized.part("part-1").mesh.volume == pytest.approx(1000 * np.prod(size.factors), rel=1e-9)
    assert low(sized, "part-1") == pytest.approx(offset, abs=1e-9)
    plain = edits.set_size(sized, ["part-1"], Size()).job
    assert plain.part("part-1") == job.part("part-1")


def test_selected_regions_go_with_the_size_and_the_mirror(trio, table):
    job = trio
    part = edits.add_bodies(job, [Body("table", table, len(table.faces))]).job.parts[-1]
    job = edits.add_bodies(job, [Body("table", table, len(table.faces))]).job
    pipeline = Pipeline()
    regions = pipeline.overhangs(part, job).regions
    widest = max(regions, key=lambda region: region.area_mm2)
    job = edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick_region(widest, part),)).job
    for edit in (edits.set_size(job, [part.id], Size((1.5, 1.5, 1.5))), edits.mirror_part(job, part.id, "y")):
        bars = pipeline.bars(edit.job.supports[0], edit.job)
        assert len(bars) > 20
    assert edit.title == "Mirror table in Y"


def test_another_unit_changes_the_length_of_everything_once(trio):
    inch = edits.retake_unit(trio, ["part-1"], "in").job.part("part-1")
    np.testing.assert_allclose(extents(inch), np.array([20, 10, 5]) * 25.4)
    assert (inch.origin.unit, inch.origin.unit_is_from) == ("in", "user")
    back = edits.retake_unit(edits.retake_unit(trio, ["part-1"], "in").job, ["part-1"], "mm").job.part("part-1")
    np.testing.assert_allclose(back.mesh.vertices, trio.part("part-1").mesh.vertices, atol=1e-12)


def test_work_on_the_mesh_leaves_the_rest_where_it_was(trio):
    job = trio
    job = edits.turn_part(job, "part-1", "y", 25).job
    part = job.part("part-1")
    longer = box((30, 10, 5))
    changed = edits.replace_mesh(job, "part-1", longer, "Lengthen").job.part("part-1")
    shared = np.array([[0, 0, 0], [20, 10, 5], [0, 10, 0]])
    before, after = (p.pose.to_plate(p.mesh, shared) for p in (part, changed))
    np.testing.assert_allclose(before[:, :2], after[:, :2], atol=1e-9)
    assert changed.bounds()[0, 2] == pytest.approx(part.bounds()[0, 2])


def test_a_revised_file_takes_the_place_of_the_old_one(trio):
    job = trio
    job = edits.describe_parts(job, ["part-1"], owner="Otterbank Survey", order="FW-1").job
    origin = Origin("slab-b.stl", 0, "mm", "guess")
    part = edits.replace_mesh(job, "part-1", box((30, 30, 30)), "Replace", origin=origin).job.part("part-1")
    assert (part.owner, part.order, part.origin) == ("Otterbank Survey", "FW-1", origin)
    assert part.pose == job.part("part-1").pose
    with pytest.raises(EditError, match="nothing would be left"):
        edits.replace_mesh(job, "part-1", Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)), "Empty")


@pytest.mark.parametrize("axis", "xyz")
def test_a_mirror_turned_twice_is_none_and_looks_as_in_a_mirror(trio, axis):
    job = trio
    job = edits.turn_part(edits.turn_part(job, "part-1", "x", 31).job, "part-1", "z", 17).job
    part = job.part("part-1")
    once = edits.mirror_part(job, "part-1", axis).job.part("part-1")
    middle = part.pose.to_plate(part.mesh, part.mesh.middle[None])[0]
    flip = np.where(np.arange(3) == "xyz".index(axis), -1, 1)
    seen = np.sort(np.round((part.placed.vertices - middle) * flip, 6).view("f8,f8,f8"), axis=0)
    ours_middle = once.pose.to_plate(once.mesh, once.mesh.middle[None])[0]
    ours = np.sort(np.round(once.placed.vertices - ours_middle, 6).view("f8,f8,f8"), axis=0)
    np.testing.assert_allclose(ours.view("f8"), seen.view("f8"), atol=1e-5)
    assert once.mesh.volume == pytest.approx(1000)
    twice = edits.mirror_part(edits.mirror_part(job, "part-1", axis).job, "part-1", axis).job.part("part-1")
    np.testing.assert_allclose(np.sort(twice.placed.vertices, axis=0), np.sort(part.placed.vertices, axis=0), atol=1e-9)


def test_groups_move_and_turn_as_one(trio):
    grouped = edits.group_parts(trio, ["part-1", "part-2"]).job
    moved = edits.move_part(grouped, "part-1", 100, 100).job
    step = np.array([moved.part("part-2").pose.x - trio.part("part-2").pose.x,
                     moved.part("part-2").pose.y - trio.part("part-2").pose.y])  # fmt: skip
    np.testing.assert_allclose(step, [100 - trio.part("part-1").pose.x, 100 - trio.part("part-1").pose.y])
    turned = edits.turn_part(grouped, "part-1", "x", 90).job
    before, after = (np.array([j.part(i).placed.bounds[0, 2] for i in ("part-1", "part-2")]) for j in (grouped, turned))
    assert after.min() == pytest.approx(before.min())
    free = edits.ungroup_parts(turned, ["part-2"]).job
    assert {part.group for part in free.parts} == {""}
    with pytest.raises(EditError, match="no group"):
        edits.ungroup_parts(free, ["part-1"])


def test_a_locked_part_is_not_moved_or_turned(trio):
    locked = edits.flag_parts(trio, ["part-1"], is_locked=True).job
    for edit in (
        lambda: edits.move_part(locked, "part-1", 1, 1),
        lambda: edits.turn_part(locked, "part-1", "z", 5),
        lambda: edits.put_face_down(locked, "part-1", 0),
        lambda: edits.mirror_part(locked, "part-1", "x"),
    ):
        with pytest.raises(EditError, match="locked"):
            edit()
    assert not edits.flag_parts(locked, ["part-1"], is_locked=False).job.part("part-1").is_locked


def rich(job, library):
    job = edits.set_size(job, ["part-1"], Size((1, 2, 1), (Stage("print", (0.01, 0.01, 0.02)),))).job
    job = edits.group_parts(job, ["part-2", "part-3"]).job
    job = edits.flag_parts(job, ["part-2"], is_hidden=True, is_locked=True).job
    job = edits.stack_part(job, "part-1", 3, 2, "layers", Separator(library.material("petg"), -0.4, 2)).job
    part = replace(job.part("part-3"), origin=Origin("rod.step", 1, "mm", "file", 0.02))
    return edits.stack_part(job.with_part(part), "part-3", 2, 1, "mm", Spacer("ring", cylinder(8, 3))).job


def test_everything_about_parts_is_saved_and_opened_again(trio, library, tmp_path):
    path = tmp_path / "a.trellis"
    made = rich(trio, library)
    save_job(made, path)
    opened = open_job(path, library)
    assert [replace(p, mesh=None, nominal=None) for p in opened.parts] == [
        replace(p, mesh=None, nominal=None) for p in made.parts
    ]
    assert [p.mesh.key for p in opened.parts] == [p.mesh.key for p in made.parts]
    assert [s.gap for s in opened.stacks] == [2, 1]
    assert opened.stacks[0] == made.stacks[0]
    assert opened.stacks[1].filling.mesh.key == made.stacks[1].filling.mesh.key


def test_a_job_of_version_1_opens(trio, library, tmp_path):
    path = tmp_path / "old.trellis"
    save_job(trio, path)
    with zipfile.ZipFile(path) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    kept = json.loads(members["job.json"])
    kept["version"] = 1
    del kept["stacks"]
    for part in kept["parts"]:
        for key in ("origin", "size", "group", "is_hidden", "is_locked"):
            del part[key]
        part["source"] = "slab.stl"
    members["job.json"] = json.dumps(kept).encode()
    with zipfile.ZipFile(path, "w") as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    opened = open_job(path, library)
    assert [part.origin.file for part in opened.parts] == ["slab.stl"] * 3
    assert opened.part("part-1").pose == trio.part("part-1").pose


def test_every_edit_is_one_step_and_undone_whole(trio):
    history = History(trio)
    for make in (
        lambda j: edits.set_size(j, ["part-1", "part-2"], Size((2, 2, 2))),
        lambda j: edits.mirror_part(j, "part-1", "x"),
        lambda j: edits.copy_in_grid(j, "part-1", 2, 2, 3),
        lambda j: edits.stack_part(j, "part-2", 4, 3),
        lambda j: edits.group_parts(j, ["part-1", "part-3"]),
        lambda j: edits.turn_parts(j, ["part-1"], "y", 30, pivot="together"),
    ):
        before = history.job
        history.do(make(before))
        assert history.undo() is before
        history.redo()


@given(
    st.floats(0, 60),
    st.lists(st.sampled_from(["arrange", "copy", "turn", "mirror", "size", "save", "undo", "group"]), max_size=5),
)
@settings(max_examples=12)
def test_an_offset_stays_through_arranging_copying_saving_turning_and_undo(
    metal, library, tmp_path_factory, offset, steps
):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12), Body("ball", ball(4), 1)]).job
    history = History(job)
    history.do(edits.set_build_offset(job, ["part-1"], offset))
    path = tmp_path_factory.mktemp("jobs") / "a.trellis"
    for step in steps:
        now = history.job
        match step:
            case "arrange":
                history.do(arrangement(now, ArrangeWishes(step_deg=90), Pipeline()).edit)
            case "copy":
                history.do(edits.copy_part(now, "part-1"))
            case "turn":
                history.do(edits.turn_parts(now, ["part-1"], "y", 37, frame="own"))
            case "mirror":
                history.do(edits.mirror_part(now, "part-1", "y"))
            case "size":
                history.do(edits.set_size(now, ["part-1"], Size((1.2, 1.1, 0.9))))
            case "group":
                history.do(edits.turn_parts(now, ["part-1"], "z", 20, pivot="plate"))
            case "undo":
                history.undo()
                history.redo()
            case "save":
                save_job(now, path)
                assert [low(open_job(path, library), part.id) for part in now.parts] == pytest.approx(
                    [low(now, part.id) for part in now.parts], abs=1e-9
                )
        assert low(history.job, "part-1") == pytest.approx(offset, abs=1e-9)


def test_a_group_takes_two_parts_or_more(trio):
    with pytest.raises(EditError, match="two parts or more"):
        edits.group_parts(trio, [trio.parts[0].id])
    grouped = edits.group_parts(trio, [part.id for part in trio.parts[:2]]).job
    assert len({part.group for part in grouped.parts[:2]}) == 1
    assert grouped.parts[0].group

"""Edits of parts: size, unit, mirror, copies, stacks, groups, locks, owners from a table; poses by every way."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import History, edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.job.orders import assign_orders, read_orders
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.patch import best_plane, coplanar_patch, plane_through, smooth_patch
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Origin, Size, Stage
from lean_trellis.core.parts.aligning import room_below
from lean_trellis.core.parts.size import factor_for
from lean_trellis.core.parts.stacking import Separator, Spacer
from lean_trellis.core.parts.tilt import tilt_of
from lean_trellis.core.proposals import ArrangeWishes, arrangement
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


@pytest.fixture
def job(metal):
    bodies = [Body(name, mesh, len(mesh.faces)) for name, mesh in
              (("slab", box((20, 10, 5))), ("ball", ball(6, subdivisions=2)), ("rod", cylinder(3, 30)))]  # fmt: skip
    return edits.add_bodies(new_job(*metal, "Test"), bodies).job


def low(job, part_id):
    return float(job.part(part_id).placed.bounds[0, 2])


def extents(part):
    box_ = part.bounds()
    return box_[1] - box_[0]


# --- size ---


def test_shrinkage_makes_the_part_larger_so_that_it_ends_at_its_nominal_size(job):
    stages = (Stage("print", (0.02, 0.02, 0.03)), Stage("casting", (0.012, 0.012, 0.012)))
    part = edits.set_size(job, ["part-1"], Size(stages=stages)).job.part("part-1")
    printed = np.array([20, 10, 5]) / (1 - np.array([0.02, 0.02, 0.03])) / (1 - 0.012)
    np.testing.assert_allclose(extents(part), printed)
    after_print, final = (np.array([20, 10, 5]) * factors for _, factors in part.size.after_stages())
    np.testing.assert_allclose(after_print, printed * (1 - np.array([0.02, 0.02, 0.03])))
    np.testing.assert_allclose(final, [20, 10, 5])
    np.testing.assert_array_equal(part.nominal_mesh.vertices, job.part("part-1").mesh.vertices)


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


def test_selected_regions_go_with_the_size_and_the_mirror(job, table):
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


def test_a_measure_finds_its_factor():
    assert factor_for(8.0, 8.2) == pytest.approx(1.025)
    for measured, wanted in ((0, 1), (5, 0), (5, -1)):
        with pytest.raises(EditError):
            factor_for(measured, wanted)


@pytest.mark.parametrize(("make", "words"), [
    (lambda: Size((0, 1, 1)), "no scale"),
    (lambda: Stage("sintering", (0.9, 0, 0)), "no shrinkage"),
])  # fmt: skip
def test_impossible_sizes_are_refused(make, words):
    with pytest.raises(EditError, match=words):
        make()


def test_another_unit_changes_the_length_of_everything_once(job):
    inch = edits.retake_unit(job, ["part-1"], "in").job.part("part-1")
    np.testing.assert_allclose(extents(inch), np.array([20, 10, 5]) * 25.4)
    assert (inch.origin.unit, inch.origin.unit_is_from) == ("in", "user")
    back = edits.retake_unit(edits.retake_unit(job, ["part-1"], "in").job, ["part-1"], "mm").job.part("part-1")
    np.testing.assert_allclose(back.mesh.vertices, job.part("part-1").mesh.vertices, atol=1e-12)


# --- another mesh ---


def test_work_on_the_mesh_leaves_the_rest_where_it_was(job):
    job = edits.turn_part(job, "part-1", "y", 25).job
    part = job.part("part-1")
    longer = box((30, 10, 5))
    changed = edits.replace_mesh(job, "part-1", longer, "Lengthen").job.part("part-1")
    shared = np.array([[0, 0, 0], [20, 10, 5], [0, 10, 0]])
    before, after = (p.pose.to_plate(p.mesh, shared) for p in (part, changed))
    np.testing.assert_allclose(before[:, :2], after[:, :2], atol=1e-9)
    assert changed.bounds()[0, 2] == pytest.approx(part.bounds()[0, 2])


def test_a_revised_file_takes_the_place_of_the_old_one(job):
    job = edits.describe_parts(job, ["part-1"], owner="Otterbank Survey", order="FW-1").job
    origin = Origin("slab-b.stl", 0, "mm", "guess")
    part = edits.replace_mesh(job, "part-1", box((30, 30, 30)), "Replace", origin=origin).job.part("part-1")
    assert (part.owner, part.order, part.origin) == ("Otterbank Survey", "FW-1", origin)
    assert part.pose == job.part("part-1").pose
    with pytest.raises(EditError, match="nothing would be left"):
        edits.replace_mesh(job, "part-1", Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)), "Empty")


@pytest.mark.parametrize("axis", "xyz")
def test_a_mirror_turned_twice_is_none_and_looks_as_in_a_mirror(job, axis):
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


# --- poses ---


def test_own_axes_turn_with_the_part(job):
    tilted = edits.turn_part(job, "part-3", "y", 40).job
    rod = edits.turn_parts(tilted, ["part-3"], "z", 55, frame="own").job.part("part-3")
    np.testing.assert_allclose(rod.pose.matrix[:, 2], tilted.part("part-3").pose.matrix[:, 2], atol=1e-12)


@pytest.mark.parametrize("pivot", ["each", "together", "plate", (12.0, 34.0)])
def test_a_quarter_turn_about_a_pivot_goes_round_it(job, pivot):
    ids = ["part-1", "part-2"]
    turned = edits.turn_parts(job, ids, "z", 90, pivot=pivot).job
    centre = {"together": None, "plate": job.machine.plate.middle}.get(pivot, pivot) if pivot != "each" else None
    for part_id in ids:
        before, after = job.part(part_id).pose, turned.part(part_id).pose
        assert after.build_offset == pytest.approx(before.build_offset)
        if pivot == "each":
            assert (after.x, after.y) == pytest.approx((before.x, before.y))
        elif centre is not None:
            assert (after.x - centre[0], after.y - centre[1]) == pytest.approx(
                (-(before.y - centre[1]), before.x - centre[0])
            )


@given(st.floats(0, 180), st.floats(-180, 180), st.sampled_from("xyz"))
def test_a_face_stands_at_the_angle_asked_for(metal, degrees, first, axis):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    job = edits.turn_part(job, "part-1", axis, first).job
    part = edits.face_to_angle(job, "part-1", 3, degrees).job.part("part-1")
    normal = part.pose.matrix @ part.mesh.normals[3]
    assert np.degrees(np.arccos(np.clip(-normal[2], -1, 1))) == pytest.approx(degrees, abs=1e-4)
    assert part.bounds()[0, 2] == pytest.approx(4)


def test_level_by_three_points_and_by_the_best_plane_of_a_patch(job):
    job = edits.turn_part(edits.turn_part(job, "part-1", "x", 23).job, "part-1", "y", -14).job
    part = job.part("part-1")
    plane = plane_through(np.array([[0, 0, 5], [20, 0, 5], [0, 10, 5]]))
    levelled = edits.level(job, "part-1", plane).job.part("part-1")
    np.testing.assert_allclose(extents(levelled)[2], 5, atol=1e-9)
    face = int(np.flatnonzero(part.mesh.normals[:, 2] > 0.9)[0])
    patch = coplanar_patch(build_topology(part.mesh), face)
    assert len(patch) == 2
    again = edits.level(job, "part-1", best_plane(part.mesh, patch)).job.part("part-1")
    np.testing.assert_allclose(extents(again)[2], 5, atol=1e-9)
    assert plane_through(np.array([[0, 0, 0], [1, 1, 1], [2, 2, 2.0]])) is None


def test_a_smooth_patch_ends_at_a_sharp_edge():
    mesh = cylinder(5, 20, sides=60)
    topology = build_topology(mesh)
    side = int(np.flatnonzero(np.abs(mesh.normals[:, 2]) < 0.1)[0])
    patch = smooth_patch(topology, side)
    assert len(patch) == 120
    assert np.abs(mesh.normals[patch, 2]).max() < 1e-9
    dome = ball(20, subdivisions=3)
    cap = np.flatnonzero(dome.centroids[:, 2] > 15)
    plane = best_plane(dome, cap)
    np.testing.assert_allclose(np.abs(plane.normal), [0, 0, 1], atol=0.02)
    assert 0 < plane.worst_mm < 5


def test_parts_are_centred_and_dropped_only_when_asked(job):
    centred = edits.centre_parts(job, ["part-1"], "x").job.part("part-1").pose
    assert (centred.x, centred.y) == pytest.approx((130, job.part("part-1").pose.y))
    on = edits.centre_parts(job, ["part-2"], on_part="part-1").job
    np.testing.assert_allclose(on.part("part-2").bounds().mean(axis=0)[:2], on.part("part-1").bounds().mean(axis=0)[:2])
    assert low(on, "part-2") == pytest.approx(4)
    assert low(edits.drop_parts(on, ["part-2"]).job, "part-2") == pytest.approx(0)


def test_a_part_stands_on_another_with_the_clearance_asked_for(job):
    job = edits.centre_parts(edits.set_build_offset(job, ["part-2"], 60).job, ["part-2"], on_part="part-1").job
    upper, lower = (job.part(part_id).placed for part_id in ("part-2", "part-1"))
    room = room_below(upper, lower, RayTree(lower), RayTree(upper))
    assert room == pytest.approx(60 - 9, abs=1e-3)
    for clearance in (0.3, -0.5):
        stood = edits.stand_on(job, "part-2", "part-1", room, clearance).job
        assert low(stood, "part-2") == pytest.approx(9 + clearance, abs=1e-3)
    far = edits.move_part(job, "part-2", 10, 10).job.part("part-2").placed
    assert room_below(far, lower, RayTree(lower), RayTree(far)) == np.inf
    with pytest.raises(EditError, match="below the plate"):
        edits.stand_on(job, "part-2", "part-1", room, -40)


@pytest.mark.parametrize("angle", [0, 20, 45, 90])
def test_tilt_is_that_of_the_long_axis_or_of_a_flat_parts_plane(job, angle):
    rod = edits.turn_part(job, "part-3", "y", 90 - angle).job.part("part-3")
    assert tilt_of(rod).of == "axis"
    assert tilt_of(rod).angle_deg == pytest.approx(angle, abs=1e-3)
    plate = edits.add_bodies(job, [Body("plate", box((40, 35, 2)), 12)]).job
    plate = edits.turn_part(plate, "part-4", "x", angle).job.part("part-4")
    assert tilt_of(plate).of == "plane"
    assert tilt_of(plate).angle_deg == pytest.approx(angle, abs=1e-3)


@pytest.mark.parametrize("size", [(20, 30, 10), (31, 22, 3), (50, 8, 3)])
def test_a_box_lies_at_0_however_its_sides_are_cut_into_triangles(metal, size):
    job = edits.add_bodies(new_job(*metal), [Body("box", box(size), 12)]).job
    assert tilt_of(job.part("part-1")).angle_deg == pytest.approx(0, abs=1e-6)


# --- copies and stacks ---


def test_a_grid_of_copies_stands_apart_by_the_gap(job):
    grid = edits.copy_in_grid(job, "part-1", 3, 2, 4.0).job
    copies = [grid.part("part-1"), *grid.parts[3:]]
    assert len(copies) == 6
    places = np.array([part.bounds()[0, :2] for part in copies]) - copies[0].bounds()[0, :2]
    np.testing.assert_allclose(places, [[0, 0], [24, 0], [48, 0], [0, 14], [24, 14], [48, 14]])
    with pytest.raises(EditError, match="no grid"):
        edits.copy_in_grid(job, "part-1", 1, 1, 4)


def test_a_stack_keeps_its_gap_in_layers_when_the_layer_height_changes(job):
    stacked = edits.stack_part(job, "part-1", 3, 4, "layers").job
    ids = stacked.stacks[0].parts
    assert [low(stacked, part_id) for part_id in ids] == pytest.approx([4, 4 + 5.16, 4 + 10.32])
    thicker = edits.set_layer_height(stacked, 0.06).job
    assert [low(thicker, part_id) for part_id in ids] == pytest.approx([4, 4 + 5.24, 4 + 10.48])
    lifted = edits.set_build_offset(thicker, [ids[2]], 10).job
    assert [low(lifted, part_id) for part_id in ids] == pytest.approx([10, 15.24, 20.48])
    moved = edits.move_part(lifted, ids[1], 50, 60).job
    assert {(moved.part(i).pose.x, moved.part(i).pose.y) for i in ids} == {(50, 60)}
    stood = edits.turn_part(moved, ids[0], "y", 90).job
    assert [low(stood, part_id) for part_id in ids] == pytest.approx([10, 30.24, 50.48])
    closed = edits.remove_parts(stood, [ids[1]]).job
    assert low(closed, ids[2]) == pytest.approx(30.24)
    assert edits.ungroup_parts(closed, [ids[0]]).job.stacks == ()


def test_a_spacer_and_a_separator_make_the_gap_at_least_as_high_as_they_are(job, library):
    spacer = edits.stack_part(job, "part-1", 2, 1, "mm", Spacer("ring", cylinder(8, 3.5))).job
    assert low(spacer, spacer.stacks[0].parts[1]) == pytest.approx(4 + 5 + 3.5)
    parted = edits.stack_part(job, "part-1", 2, 0, "mm", Separator(library.material("pla"), 0.5, 3)).job
    assert low(parted, parted.stacks[0].parts[1]) == pytest.approx(4 + 5 + 3 * 0.04)
    with pytest.raises(EditError, match="cannot be built"):
        edits.stack_part(job, "part-1", 2, 1.5, "layers")


def test_groups_move_and_turn_as_one(job):
    grouped = edits.group_parts(job, ["part-1", "part-2"]).job
    moved = edits.move_part(grouped, "part-1", 100, 100).job
    step = np.array([moved.part("part-2").pose.x - job.part("part-2").pose.x,
                     moved.part("part-2").pose.y - job.part("part-2").pose.y])  # fmt: skip
    np.testing.assert_allclose(step, [100 - job.part("part-1").pose.x, 100 - job.part("part-1").pose.y])
    turned = edits.turn_part(grouped, "part-1", "x", 90).job
    before, after = (np.array([j.part(i).placed.bounds[0, 2] for i in ("part-1", "part-2")]) for j in (grouped, turned))
    assert after.min() == pytest.approx(before.min())
    free = edits.ungroup_parts(turned, ["part-2"]).job
    assert {part.group for part in free.parts} == {""}
    with pytest.raises(EditError, match="no group"):
        edits.ungroup_parts(free, ["part-1"])


def test_a_locked_part_is_not_moved_or_turned(job):
    locked = edits.flag_parts(job, ["part-1"], is_locked=True).job
    for edit in (
        lambda: edits.move_part(locked, "part-1", 1, 1),
        lambda: edits.turn_part(locked, "part-1", "z", 5),
        lambda: edits.put_face_down(locked, "part-1", 0),
        lambda: edits.mirror_part(locked, "part-1", "x"),
    ):
        with pytest.raises(EditError, match="locked"):
            edit()
    assert not edits.flag_parts(locked, ["part-1"], is_locked=False).job.part("part-1").is_locked


# --- owners and orders from a table ---


def test_owner_and_order_come_from_a_pasted_table(job):
    job = edits.copy_part(job, "part-1").job
    text = "Name;Order;Owner\nSLAB;FW-0431;Mallow Lane Dental\nr*;FW-0432;Tern Street Organs\nhinge;FW-1;X\n"
    assigned = assign_orders(job, read_orders(text))
    parts = {part.name: (part.owner, part.order) for part in assigned.edit.job.parts}
    assert parts["slab"] == parts["slab (2)"] == ("Mallow Lane Dental", "FW-0431")
    assert parts["rod"] == ("Tern Street Organs", "FW-0432")
    assert parts["ball"] == ("", "")
    assert assigned.unknown == ("hinge",)
    plain = assign_orders(job, read_orders("ball\tOtterbank Survey\tFW-9"))
    assert plain.edit.job.part("part-2").owner == "Otterbank Survey"


@pytest.mark.parametrize(("text", "words"), [("", "empty"), ("name\nslab", "no column"), ("a,b,c", "no part")])
def test_a_table_that_says_nothing_is_refused(job, text, words):
    with pytest.raises(EditError, match=words):
        assign_orders(job, read_orders(text))


# --- files ---


def rich(job, library):
    job = edits.set_size(job, ["part-1"], Size((1, 2, 1), (Stage("print", (0.01, 0.01, 0.02)),))).job
    job = edits.group_parts(job, ["part-2", "part-3"]).job
    job = edits.flag_parts(job, ["part-2"], is_hidden=True, is_locked=True).job
    job = edits.stack_part(job, "part-1", 3, 2, "layers", Separator(library.material("petg"), -0.4, 2)).job
    part = replace(job.part("part-3"), origin=Origin("rod.step", 1, "mm", "file", 0.02))
    return edits.stack_part(job.with_part(part), "part-3", 2, 1, "mm", Spacer("ring", cylinder(8, 3))).job


def test_everything_about_parts_is_saved_and_opened_again(job, library, tmp_path):
    path = tmp_path / "a.trellis"
    made = rich(job, library)
    save_job(made, path)
    opened = open_job(path, library)
    assert [replace(p, mesh=None, nominal=None) for p in opened.parts] == [
        replace(p, mesh=None, nominal=None) for p in made.parts
    ]
    assert [p.mesh.key for p in opened.parts] == [p.mesh.key for p in made.parts]
    assert [s.gap for s in opened.stacks] == [2, 1]
    assert opened.stacks[0] == made.stacks[0]
    assert opened.stacks[1].filling.mesh.key == made.stacks[1].filling.mesh.key


def test_a_job_of_version_1_opens(job, library, tmp_path):
    path = tmp_path / "old.trellis"
    save_job(job, path)
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
    assert opened.part("part-1").pose == job.part("part-1").pose


def test_every_edit_is_one_step_and_undone_whole(job):
    history = History(job)
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


def test_a_group_takes_two_parts_or_more(job):
    with pytest.raises(EditError, match="two parts or more"):
        edits.group_parts(job, [job.parts[0].id])
    grouped = edits.group_parts(job, [part.id for part in job.parts[:2]]).job
    assert len({part.group for part in grouped.parts[:2]}) == 1
    assert grouped.parts[0].group

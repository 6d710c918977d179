"""What holds of parts whatever is done: rigid turns, stacks, units, tables, footprints, broken files."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import union_all
from shapely.geometry import Polygon

from lean_trellis.core.errors import EditError, FileError
from lean_trellis.core.formats import Body, Named, amf, read_bodies
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.orders import assign_orders, read_orders
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.faults import crossing_faces, find_faults, stray_shells
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mend import STEPS, mend
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Part, Pose, Size
from lean_trellis.core.parts.aligning import middle_of, room_below, turned_together
from lean_trellis.core.parts.pose import rotation_xyz
from lean_trellis.core.parts.tilt import tilt_of
from lean_trellis.core.planning import ArrangeRequest, Piece, PoseRequest, arrange, search_poses
from lean_trellis.core.planning.footprint import covered_places, footprint_of
from lean_trellis.core.shop.machine import Plate, Zone

ANGLES = st.tuples(*[st.floats(-180, 180)] * 3)


def part_of(mesh, name="part", **pose):
    return Part(id=name, name=name, mesh=mesh, pose=Pose(**pose))


def moved(mesh, *shift):
    return Mesh(mesh.vertices + np.array(shift), mesh.faces)


# --- turns ---


@given(ANGLES, st.floats(0, 40), st.floats(0, 40))
def test_parts_that_are_turned_together_keep_every_distance_between_them(angles, low, high):
    parts = [part_of(box((20, 10, 5)), "a", x=50, y=60, build_offset=low),
             part_of(ball(4, subdivisions=1), "b", x=80, y=70, build_offset=high)]  # fmt: skip
    turned = turned_together(parts, rotation_xyz(*angles), middle_of(parts))
    before, after = (np.concatenate([p.placed.vertices for p in found]) for found in (parts, turned))
    for row in (0, 5, 9):
        np.testing.assert_allclose(
            np.linalg.norm(after - after[row], axis=1), np.linalg.norm(before - before[row], axis=1), atol=1e-7
        )
    assert min(p.pose.build_offset for p in turned) == pytest.approx(min(low, high))


@given(ANGLES)
def test_the_tilt_does_not_change_by_turning_about_z_and_lies_between_0_and_90(angles):
    rod = part_of(cylinder(3, 40))
    posed = replace(rod, pose=rod.pose.turned(rotation_xyz(*angles)))
    spun = replace(posed, pose=posed.pose.turned(rotation_xyz(0, 0, 77)))
    assert 0 <= tilt_of(posed).angle_deg <= 90
    assert tilt_of(spun).angle_deg == pytest.approx(tilt_of(posed).angle_deg, abs=1e-6)
    assert np.linalg.norm(tilt_of(posed).rise) == pytest.approx(1)


@given(st.floats(-6, 6), st.floats(-6, 6), st.floats(0.5, 30))
def test_the_room_below_a_ball_over_a_plate_is_what_geometry_says(dx, dy, gap):
    lower = box((30, 30, 4))
    upper = moved(ball(5, subdivisions=3), 15 + dx, 15 + dy, 4 + 5 + gap)
    room = room_below(upper, lower, RayTree(lower), RayTree(upper))
    assert room == pytest.approx(float(upper.bounds[0, 2]) - 4, abs=2e-3)


def test_the_room_is_negative_for_a_part_that_is_inside_and_looks_at_undersides():
    lower = box((30, 30, 4))
    upper = moved(box((5, 5, 5)), 10, 10, 3)
    assert room_below(upper, lower, RayTree(lower), RayTree(upper)) == pytest.approx(-1, abs=1e-3)
    arch = join([box((4, 30, 20)), moved(box((4, 30, 20)), 26, 0, 0), moved(box((30, 30, 3)), 0, 0, 20)])
    under = moved(box((6, 6, 8)), 12, 12, 0)
    assert room_below(moved(arch, 0, 0, 5), under, RayTree(under), RayTree(moved(arch, 0, 0, 5))) == pytest.approx(
        17, abs=1e-3
    )


# --- stacks ---


@given(
    st.integers(2, 5),
    st.integers(0, 6),
    st.lists(st.sampled_from(["turn", "size", "offset", "layer", "move", "mirror"]), max_size=5),
)
@settings(max_examples=20)
def test_a_stack_keeps_its_gaps_whatever_is_done_to_its_lowest_part(metal, count, gap, steps):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    job = edits.stack_part(job, "part-1", count, gap).job
    for step in steps:
        match step:
            case "turn":
                job = edits.turn_part(job, "part-1", "x", 33).job
            case "size":
                job = edits.set_size(job, [p.id for p in job.parts], Size((1.1, 1.1, 1.3))).job
            case "offset":
                job = edits.set_build_offset(job, [job.parts[-1].id], 7.5).job
            case "layer":
                job = edits.set_layer_height(job, 0.06 if job.layer_height < 0.05 else 0.03).job
            case "move":
                job = edits.move_part(job, job.parts[-1].id, 90, 80).job
            case "mirror":
                job = edits.mirror_part(job, "part-1", "x").job
    members = [job.part(part_id) for part_id in job.stacks[0].parts]
    for lower, upper in pairwise(members):
        between = upper.bounds()[0, 2] - lower.bounds()[1, 2]
        assert between == pytest.approx(gap * job.layer_height, abs=1e-9)
    assert len({(round(p.pose.x, 9), round(p.pose.y, 9)) for p in members}) == 1


@given(st.sampled_from(["mm", "cm", "m", "in"]), st.sampled_from(["mm", "cm", "m", "in"]))
def test_units_may_be_changed_back_and_forth(metal, one, other):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    there = edits.retake_unit(edits.retake_unit(job, ["part-1"], one).job, ["part-1"], other).job
    direct = edits.retake_unit(job, ["part-1"], other).job
    np.testing.assert_allclose(there.parts[0].mesh.vertices, direct.parts[0].mesh.vertices, rtol=1e-12, atol=1e-12)
    assert there.parts[0].origin.unit == other


# --- tables ---

WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")), min_size=1, max_size=12).map(str.strip)


@given(st.lists(st.tuples(WORDS.filter(bool), WORDS, WORDS), min_size=1, max_size=6), st.sampled_from(",;\t"))
def test_any_table_that_a_spreadsheet_writes_is_read_again(rows, delimiter):
    text = io.StringIO()
    writer = csv.writer(text, delimiter=delimiter)
    writer.writerow(["Name", "Owner", "Order"])
    writer.writerows(rows)
    found = read_orders(text.getvalue())
    assert [(row.name, row.owner, row.order) for row in found] == [tuple(w.strip() for w in row) for row in rows]


@given(st.text(max_size=60))
def test_no_text_in_the_clipboard_breaks_anything(metal, text):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    try:
        assigned = assign_orders(job, read_orders(text))
    except EditError:
        return
    assert {part.id for part in assigned.edit.job.parts} == {"part-1"}


# --- meshes ---


@given(st.sets(st.integers(0, 319), min_size=1, max_size=40))
def test_open_edges_are_counted_as_their_definition_says(gone):
    whole = ball(10, subdivisions=2)
    kept = np.setdiff1d(np.arange(320), list(gone))
    mesh = whole.with_faces(kept)
    edges = np.sort(np.stack([mesh.faces, np.roll(mesh.faces, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
    once = int((np.unique(edges, axis=0, return_counts=True)[1] == 1).sum())
    found = {fault.kind: fault.count for fault in find_faults(build_topology(mesh), RayTree(mesh))}
    assert found.get("open", 0) == once == examine_mesh(mesh).open_edges


@pytest.mark.parametrize("step", list(STEPS))
@given(st.sets(st.integers(0, 79), max_size=6), st.booleans())
@settings(max_examples=10)
def test_a_step_done_twice_is_a_step_done_once(step, gone, is_turned):
    whole = ball(10, subdivisions=1)
    faces = whole.faces.copy()
    if is_turned:
        faces[:20] = faces[:20][:, ::-1]
    mesh = Mesh(whole.vertices, np.delete(faces, list(gone), axis=0))
    try:
        once = mend(mesh, step).mesh
    except EditError:
        assert step == "unite"
        return
    twice = mend(once, step).mesh
    assert twice.volume == pytest.approx(once.volume, rel=1e-9)
    assert len(twice.faces) == len(once.faces)


@given(st.tuples(*[st.floats(-14, 14)] * 3))
def test_boxes_cross_exactly_where_their_surfaces_do(shift):
    one, other = box((10, 10, 10)), moved(box((10, 10, 10)), *shift)
    mesh = join([one, other])
    overlap = 10 - np.abs(shift)
    clearly_apart = (overlap < -0.01).any()
    clearly_crossing = (overlap > 0.3).all() and (np.abs(shift) > 0.3).any()
    found = crossing_faces(build_topology(mesh), RayTree(mesh))
    if clearly_apart:
        assert len(found) == 0
    elif clearly_crossing and (np.abs(shift) > 0.3).all():
        assert len(found) > 0


def test_crumbs_are_stray_and_equals_are_not():
    crumbs = [moved(ball(0.4, subdivisions=1), 30 + 3 * n, 0, 0) for n in range(5)]
    assert len(stray_shells(build_topology(join([ball(20, subdivisions=3), *crumbs])))) == 5
    twins = join([box((10, 10, 10)), moved(box((10, 10, 10)), 40, 0, 0)])
    assert len(stray_shells(build_topology(twins))) == 0


# --- planning ---


@given(ANGLES)
@settings(max_examples=6)
def test_the_best_figures_do_not_depend_on_how_the_mesh_was_turned_before(angles):
    mesh = cylinder(9, 30, top_radius=3, sides=24)
    turned = mesh.moved(rotation_xyz(*angles), np.zeros(3))
    found = [search_poses(PoseRequest(m, np.eye(3), 45.0, 4.0, directions=3000)) for m in (mesh, turned)]
    for figure in ("height", "support_volume"):
        assert found[1].smallest(figure) == pytest.approx(found[0].smallest(figure), rel=0.02, abs=0.5)


@given(st.lists(st.tuples(*[st.floats(0, 30)] * 6), min_size=1, max_size=6))
@settings(max_examples=15)
def test_a_footprint_covers_what_shapely_says(triangles):
    corners = np.array(triangles).reshape(-1, 3, 2)
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    corners = corners[np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) > 10]
    if not len(corners):
        return
    vertices = np.concatenate([corners.reshape(-1, 2), np.zeros((3 * len(corners), 1))], axis=1)
    mesh = Mesh(vertices, np.arange(3 * len(corners)).reshape(-1, 3).astype(np.int32))
    shape = union_all([Polygon(triangle) for triangle in corners])
    places = covered_places(mesh, 0.2)
    assert len(places) * 0.04 == pytest.approx(shape.area, abs=0.25 * shape.length + 1)
    footprint = footprint_of(places, places.mean(axis=0), 0.0, 0.4, 1.0)
    assert footprint.area >= shape.area
    assert footprint.area <= shape.buffer(2.2).area


def test_small_parts_are_kept_out_of_the_lee_of_tall_ones():
    plate = Plate(shape="rectangle", width=200, depth=200)
    tall = Piece("tall", covered_places(box((60, 60, 90)), 0.4), (30.0, 30.0), 90.0)
    small = Piece("small", covered_places(box((12, 12, 5)), 0.4), (6.0, 6.0), 5.0)
    request = ArrangeRequest(plate, step_deg=0, flow_deg=0.0, preference=1.0)
    found = arrange([tall, small], request).places
    away = np.array(found["small"][:2]) - found["tall"][:2]
    assert not (30 < away[0] < 90 and abs(away[1]) < 30)
    careless = arrange([tall, small], replace(request, preference=0.0)).places
    away = np.array(careless["small"][:2]) - careless["tall"][:2]
    assert 30 < away[0] < 90
    assert abs(away[1]) < 30


def test_a_zone_holds_what_lies_in_it_and_not_its_rim():
    zone = Zone(name="screw", x=10, y=20, width=5, depth=5)
    inside = zone.holds(np.array([[12, 22], [10, 22], [15.1, 22], [12, 26]]))
    assert inside.tolist() == [True, False, False, False]


# --- files that were cut off anywhere ---


def whole_files():
    stream = io.BytesIO()
    amf.write(stream, [Named("ball", ball(4, subdivisions=1))])
    mesh = ball(4, subdivisions=1)
    rows = [f"{len(mesh.vertices)} {len(mesh.faces)} 0"]
    rows += [" ".join(map(str, row)) for row in mesh.vertices.tolist()]
    rows += ["3 " + " ".join(map(str, row)) for row in mesh.faces.tolist()]
    return {"amf": stream.getvalue(), "off": ("OFF\n" + "\n".join(rows) + "\n").encode()}


WHOLE = whole_files()


@pytest.mark.parametrize("suffix", list(WHOLE))
@given(share=st.floats(0, 0.999), noise=st.binary(max_size=8))
@settings(max_examples=40)
def test_a_file_cut_off_anywhere_gets_one_line_and_never_a_wrong_part(tmp_path_factory, suffix, share, noise):
    whole = WHOLE[suffix]
    path = tmp_path_factory.mktemp("cut") / f"part.{suffix}"
    path.write_bytes(whole[: int(share * len(whole))] + noise)
    try:
        bodies = read_bodies(path)
    except FileError as problem:
        assert "\n" not in str(problem)
        assert str(path) in str(problem)
        return
    assert sum(body.triangles_read for body in bodies) == 80

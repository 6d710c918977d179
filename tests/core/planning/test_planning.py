"""Pose search against a dense sphere and closed forms; arranging without overlap, tighter than boxes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from boxes import packed_boxes
from lean_trellis.core.demo import metal_parts
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import Cancelled, EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.planning import (
    FIGURES,
    ArrangeRequest,
    Piece,
    PoseRequest,
    arrange,
    figures_of,
    search_poses,
    sphere_directions,
)
from lean_trellis.core.planning.footprint import covered_places, footprint_of
from lean_trellis.core.progress import CountingWatch
from lean_trellis.core.proposals import ArrangeWishes, arrangement, further_plates, pose_request, take_pose
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop.machine import Plate

UP = np.eye(3)[2]


def request_for(mesh, **changes):
    return PoseRequest(mesh, np.eye(3), **({"critical_angle": 45.0, "build_offset": 4.0} | changes))


# --- pose search ---


def test_the_figures_of_a_slab_are_those_of_geometry():
    area, volume, height, _, protected = figures_of(request_for(box((20, 10, 5))), UP[None])[0]
    assert (area, volume, height, protected) == pytest.approx((200, 200 * 4, 9, 0))
    standing = figures_of(request_for(box((20, 10, 5))), np.array([[1.0, 0, 0]]))[0]
    assert standing[:3].tolist() == pytest.approx([50, 200, 24])
    assert standing[3] > figures_of(request_for(box((20, 10, 5))), UP[None])[0, 3]


def test_the_critical_area_is_that_of_the_overhangs():
    mesh = metal_parts.exhaust_elbow()
    lifted = mesh.moved(np.eye(3), np.array([0, 0, 4 - mesh.bounds[0, 2]]))
    found = detect(build_topology(mesh), lifted, critical_angle=45.0)
    assert figures_of(request_for(mesh), UP[None])[0, 0] == pytest.approx(found.critical_area_mm2, rel=1e-4)


def test_directions_are_spread_evenly():
    directions = sphere_directions(1000)
    np.testing.assert_allclose(np.linalg.norm(directions, axis=1), 1)
    assert np.abs(directions.mean(axis=0)).max() < 1e-3
    nearest = np.sort(directions @ directions.T, axis=1)[:, -2]
    assert np.degrees(np.arccos(nearest)).min() > 2.5


@pytest.mark.parametrize("make", [metal_parts.strut_bracket, metal_parts.exhaust_elbow, metal_parts.impeller])
def test_the_best_figures_come_within_2_percent_of_those_of_20000_directions(make):
    request = request_for(make())
    found = search_poses(request)
    dense = figures_of(request, sphere_directions(20_000)).min(axis=0)
    for place, figure in enumerate(list(FIGURES)[:4]):
        assert found.smallest(figure) <= 1.02 * dense[place] + 1e-9
    assert found.tried >= 1000


def test_found_figures_are_true_and_the_best_are_on_the_front_and_apart():
    request = request_for(metal_parts.strut_bracket())
    found = search_poses(request)
    np.testing.assert_allclose(figures_of(request, found.ups[found.best]), found.figures[found.best], rtol=1e-4)
    assert 2 <= len(found.best) <= 5
    assert set(found.best) <= set(found.front)
    cosines = found.ups[found.best] @ found.ups[found.best].T - 2 * np.eye(len(found.best))
    assert np.degrees(np.arccos(cosines.max())) >= 15 - 1e-6
    front = found.figures[found.front]
    for row in front:
        assert not ((found.figures < row - 1e-9).all(axis=1)).any()


def test_constraints_are_kept_and_impossible_ones_are_said():
    rod = cylinder(3, 60)
    axis = {"main_axis": UP, "pose_range": (30.0, 60.0)}
    found = search_poses(request_for(rod, height_limit=50.0, **axis))
    angles = np.degrees(np.arcsin(np.abs(found.ups @ UP)))
    assert angles.min() >= 30 - 1e-6
    assert angles.max() <= 60 + 1e-6
    assert found.figures[:, 2].max() <= 50
    with pytest.raises(EditError, match="no pose passes"):
        search_poses(request_for(rod, height_limit=5.0))


def test_protected_surfaces_count():
    mesh = box((20, 10, 5))
    protected = mesh.normals[:, 2] < -0.9
    found = search_poses(request_for(mesh, protected=protected))
    assert found.smallest("protected_area") == 0
    assert figures_of(request_for(mesh, protected=protected), UP[None])[0, 4] == pytest.approx(200)


def test_a_search_tells_how_far_it_is_and_can_be_cancelled():
    with pytest.raises(Cancelled):
        search_poses(request_for(ball(5)), CountingWatch(cancel_after=3))


def test_a_pose_that_was_found_is_taken_and_keeps_its_offset(metal):
    mesh = metal_parts.exhaust_elbow()
    job = edits.add_bodies(new_job(*metal), [Body("elbow", mesh, len(mesh.faces))]).job
    found = search_poses(pose_request(job, "part-1", keeps_range=False))
    up = found.ups[found.best[0]]
    part = take_pose(job, "part-1", up).job.part("part-1")
    np.testing.assert_allclose(part.pose.matrix @ up, UP, atol=1e-9)
    assert part.bounds()[0, 2] == pytest.approx(4)
    assert part.bounds()[1, 2] == pytest.approx(found.figures[found.best[0], 2], rel=1e-4)


# --- arranging ---


def pieces_of(meshes, **changes):
    return [
        Piece(str(n), covered_places(mesh, 0.35), tuple(mesh.middle[:2].tolist()), float(mesh.bounds[1, 2]), **changes)
        for n, mesh in enumerate(meshes)
    ]


def placed(piece, place):
    """(n, 2): the piece's points where it was put, turned by hand; independent of the rasters."""
    x, y, degrees = place
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return (piece.points - piece.middle) @ np.array([[c, s], [-s, c]]) + [x, y]


def test_a_footprint_has_the_area_of_the_shape():
    disc = cylinder(10, 5, sides=200)
    cells = footprint_of(covered_places(disc, 0.2), disc.middle[:2], 30.0, 0.4, 0.0)
    assert cells.area == pytest.approx(np.pi * 100, rel=0.08)
    wide = footprint_of(covered_places(disc, 0.2), disc.middle[:2], 0.0, 0.4, 3.0)
    assert wide.area == pytest.approx(np.pi * 13**2, rel=0.08)


@given(st.lists(st.tuples(st.floats(5, 40), st.floats(5, 30)), min_size=2, max_size=7), st.sampled_from([0, 45]))
@settings(max_examples=8)
def test_nothing_overlaps_and_all_lies_on_the_plate(sizes, step):
    pieces = pieces_of([box((w, d, 5)) for w, d in sizes])
    plate = Plate(shape="rectangle", width=160, depth=140)
    found = arrange(pieces, ArrangeRequest(plate, clearance=3.0, step_deg=step))
    shapes = [placed(piece, found.places[piece.key]) for piece in pieces if piece.key in found.places]
    assert len(shapes) + len(found.left_over) == len(pieces)
    for n, one in enumerate(shapes):
        assert one.min() > 1.0
        assert (one.max(axis=0) < np.array([160, 140]) - 1.0).all()
        for other in shapes[:n]:
            assert cKDTree(one).query(other)[0].min() > 3.0 - 0.6  # a cell of 0.4 and half the points' grid


def test_what_does_not_fit_is_left_over_and_what_is_fixed_stays():
    plate = Plate(shape="rectangle", width=100, depth=100)
    pieces = pieces_of([box((45, 45, 5))] * 6)
    assert len(arrange(pieces, ArrangeRequest(plate)).left_over) == 2
    middle = Piece("fixed", pieces[0].points + 27.5, (50.0, 50.0), 5.0, is_fixed=True)
    found = arrange([middle, *pieces], ArrangeRequest(plate))
    assert found.places == {}
    assert len(found.left_over) == 6


def test_a_round_plate_and_zones_are_kept():
    plate = Plate(shape="round", width=120, depth=120)
    pieces = pieces_of([box((30, 20, 5))] * 5)
    zone = (50.0, 50.0, 20.0, 20.0)
    found = arrange(pieces, ArrangeRequest(plate, zones=(zone,)))
    assert not found.left_over
    for piece in pieces:
        shape = placed(piece, found.places[piece.key])
        assert not ((shape > 49) & (shape < 71)).all(axis=1).any()
        assert np.linalg.norm(shape - 60, axis=1).max() < 60


def test_long_edges_are_turned_off_the_blade():
    pieces = [replace(piece, long_edge_deg=0.0) for piece in pieces_of([box((60, 6, 5))])]
    plate = Plate(shape="rectangle", width=200, depth=200)
    for blade in (90.0, 0.0):
        request = ArrangeRequest(plate, step_deg=15, blade_deg=blade, preference=1.0)
        off = (arrange(pieces, request).places["0"][2] - blade - 90) % 180
        assert min(off, 180 - off) >= 8


def test_curved_parts_are_packed_a_fifth_tighter_than_their_boxes_could_be():
    lying = metal_parts.exhaust_elbow().moved(rotation_about("x", 90), np.zeros(3))
    plate = Plate(shape="rectangle", width=260, depth=220)
    pieces = pieces_of([lying] * 10)
    found = arrange(pieces, ArrangeRequest(plate, clearance=2.0, step_deg=30))
    assert not found.left_over
    covered = footprint_of(pieces[0].points, np.array(pieces[0].middle), 0.0, 0.4, 0.0).area
    assert found.density > 1.2 * 10 * covered / packed_boxes([np.ptp(lying.bounds[:, :2], axis=0) + 2.0] * 10)


def apart(job):
    one, other = (job.part(part_id).pose for part_id in ("part-1", "part-2"))
    return np.hypot(one.x - other.x, one.y - other.y)


def test_a_job_is_arranged_with_its_groups_stacks_locks_and_offsets(metal):
    meshes = [box((30, 20, 5)), ball(8), cylinder(5, 30), box((12, 12, 12))]
    job = edits.add_bodies(new_job(*metal), [Body(f"p{n}", m, len(m.faces)) for n, m in enumerate(meshes)]).job
    job = edits.set_build_offset(job, ["part-2"], 7).job
    job = edits.stack_part(edits.group_parts(job, ["part-1", "part-2"]).job, "part-4", 3, 5).job
    job = edits.flag_parts(edits.move_part(job, "part-3", 30, 30).job, ["part-3"], is_locked=True).job
    before = {part.id: part.pose.build_offset for part in job.parts}
    found = arrangement(job, ArrangeWishes(clearance=4), Pipeline())
    after = found.edit.job
    assert not found.left_over
    assert {part.id: part.pose.build_offset for part in after.parts} == pytest.approx(before)
    assert after.part("part-3").pose == job.part("part-3").pose
    assert apart(after) == pytest.approx(apart(job))
    assert len({(round(after.part(i).pose.x, 6), round(after.part(i).pose.y, 6)) for i in after.stacks[0].parts}) == 1
    assert not {"parts_overlap", "outside_volume", "keep_out"} & {f.code for f in Pipeline().findings(after)}
    locked = edits.flag_parts(job, [part.id for part in job.parts], is_locked=True).job
    with pytest.raises(EditError, match="no part is free"):
        arrangement(locked, ArrangeWishes(), Pipeline())


def test_arranging_can_be_cancelled(metal):
    job = edits.add_bodies(new_job(*metal), [Body("a", ball(5), 1), Body("b", ball(5), 1)]).job
    with pytest.raises(Cancelled):
        arrangement(job, ArrangeWishes(), Pipeline(), CountingWatch(cancel_after=2))


def test_a_further_plate_takes_supports_and_stacks_with_its_parts(metal, library):
    bodies = [Body(name, box((150, 120, 5)), 12) for name in "ab"]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.add_support(job, "part-2", shipped_sets()["bars-metal"]).job
    job = edits.stack_part(job, "part-2", 2, 3, "layers", Separator(library.material("petg"))).job
    (plate,) = further_plates(job, ("part-2",), ArrangeWishes(), Pipeline())
    assert [part.name for part in plate.parts] == ["b", "b (2)"]
    assert (len(plate.supports), len(plate.stacks)) == (1, 1)
    assert plate.name == "Untitled, plate 2"


def test_further_plates_keep_groups_together_and_refuse_what_no_plate_holds(metal):
    bodies = [Body(f"p{n}", box((120, 100, 4)), 12) for n in range(5)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.move_part(job, "part-4", 130, 60).job
    job = edits.group_parts(edits.move_part(job, "part-5", 130, 162).job, ["part-4", "part-5"]).job
    pipeline, wishes = Pipeline(), ArrangeWishes(step_deg=90)
    first = arrangement(job, wishes, pipeline)
    plates = further_plates(first.edit.job, first.left_over, wishes, pipeline)
    on = [{part.id for part in plate.parts} for plate in plates]
    assert all({"part-4", "part-5"} <= ids or not {"part-4", "part-5"} & ids for ids in on)
    gone = {part_id for key in first.left_over for part_id in job.companions(key)}
    assert set().union(*on) == gone
    assert all(plate.machine == job.machine for plate in plates)
    large = edits.add_bodies(new_job(*metal), [Body("beam", box((300, 250, 4)), 12)]).job
    with pytest.raises(EditError, match="beam do not fit on an empty plate"):
        further_plates(large, ("part-1",), wishes, pipeline)

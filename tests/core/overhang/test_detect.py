"""Overhangs: regions, low edges, low points, islands, as geometry says."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, revolution, to_manifold
from lean_trellis.core.overhang import detect, find_islands
from lean_trellis.core.overhang.rim import FADING, FREE, WALL, find_rim
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.parts.pose import rotation_between

DOWN = np.array([0.0, 0.0, -1.0])


def found_on(mesh, *, lift=0.0, turn=None, critical=45.0, watch=None):
    pose = Pose(build_offset=lift)
    pose = pose if turn is None else pose.turned(turn)
    return detect(build_topology(mesh), pose.applied(mesh), critical_angle=critical, watch_angle=watch)


def islands_on(mesh, *, lift=0.0, turn=None, layer=0.05):
    pose = Pose(build_offset=lift)
    pose = pose if turn is None else pose.turned(turn)
    return find_islands(build_topology(mesh), pose.applied(mesh), layer)


def test_a_cube_on_the_plate_needs_nothing():
    found = found_on(box((10, 10, 10)))
    assert found.critical_area_mm2 == 0
    assert found.regions == ()


def test_a_lifted_cube_is_one_region_with_its_figures():
    (region,) = found_on(box((10, 20, 5)), lift=4).regions
    assert region.kind == "face"
    assert region.area_mm2 == pytest.approx(200)
    assert region.projected_area_mm2 == pytest.approx(200)
    assert (region.min_angle_deg, region.lowest_mm, region.highest_mm) == pytest.approx((0, 4, 4))
    assert region.centroid_mm == pytest.approx((0, 0, 4))


@pytest.mark.parametrize("angle", [1, 10, 30, 44, 46, 60, 80, 89])
def test_a_slab_is_critical_on_the_side_that_geometry_says(angle):
    found = found_on(box((30, 20, 3)), lift=2, turn=rotation_about("y", angle))
    broad, end = 600.0, 60.0
    expected = (broad if angle < 45 else 0) + (end if 90 - angle < 45 else 0)
    assert found.critical_area_mm2 == pytest.approx(expected)
    steepest = np.cos(np.radians(angle)) if angle < 45 else np.cos(np.radians(90 - angle))
    assert found.projected_area_mm2 == pytest.approx(expected * steepest)


def test_the_cap_of_a_ball_has_the_area_of_a_cap():
    found = found_on(ball(10, subdivisions=6), lift=5)
    assert len(found.regions) == 1
    assert found.critical_area_mm2 == pytest.approx(2 * np.pi * 100 * (1 - np.cos(np.pi / 4)), rel=5e-3)
    assert found.projected_area_mm2 == pytest.approx(np.pi * 50, rel=5e-3)
    assert found.shadow_area_mm2() == pytest.approx(found.projected_area_mm2, rel=1e-6)


def test_a_cube_on_its_corner_is_a_low_point_and_on_its_edge_a_low_edge():
    cube = box((10, 10, 10))
    (point,) = found_on(cube, lift=5, turn=rotation_between(np.ones(3) / 3**0.5, DOWN)).regions
    assert (point.kind, point.lowest_mm) == ("point", pytest.approx(5))
    (edge,) = found_on(cube, lift=5, turn=rotation_about("x", 45)).regions
    assert (edge.kind, edge.lowest_mm) == ("edge", pytest.approx(5))
    assert len(edge.vertices) == 2


def test_edges_and_points_that_rest_on_the_plate_are_no_regions():
    cube = box((10, 10, 10))
    assert found_on(cube, turn=rotation_about("x", 45)).regions == ()
    assert found_on(cube, turn=rotation_between(np.ones(3) / 3**0.5, DOWN)).regions == ()


def test_a_steep_cone_on_its_tip_is_a_low_point_and_a_flat_one_a_region():
    assert [r.kind for r in found_on(cylinder(0, 10, top_radius=4), lift=3).regions] == ["point"]
    assert [r.kind for r in found_on(cylinder(0, 4, top_radius=10), lift=3).regions] == ["face"]


def test_the_bottom_of_a_bowl_is_no_low_point():
    bowl = revolution(np.array([[0, 0], [10, 0], [10, 8], [8, 8], [0.001, 2]]))
    assert found_on(bowl).regions == ()
    assert islands_on(bowl) == ()


def test_a_table_has_one_region_with_walls_and_free_edges(table):
    found = found_on(table)
    (region,) = found.regions
    assert region.area_mm2 == pytest.approx(40 * 40 - 4 * 16)
    rim = find_rim(build_topology(table), found.mesh, found.region_of_face, region.faces)
    lengths = np.linalg.norm(rim.stops - rim.starts, axis=1)
    assert lengths[rim.kinds == WALL].sum() == pytest.approx(4 * 8)
    assert lengths[rim.kinds == FREE].sum() == pytest.approx(4 * 32)
    assert not (rim.kinds == FADING).any()


def test_the_rim_of_a_ball_fades():
    mesh = ball(10, subdivisions=4)
    found = found_on(mesh, lift=5)
    rim = find_rim(build_topology(mesh), found.mesh, found.region_of_face, found.regions[0].faces)
    assert len(rim.kinds)
    assert (rim.kinds == FADING).all()


def test_between_the_angles_a_face_is_doubtful():
    found = found_on(box((30, 20, 3)), lift=2, turn=rotation_about("y", 48), watch=52)
    assert found.mesh.areas[found.doubtful].sum() == pytest.approx(600)


def test_floors_above_one_another_count_once_in_the_shadow():
    two = to_manifold(box((10, 10, 1), corner=(0, 0, 5))) + to_manifold(box((10, 10, 1), corner=(0, 0, 9)))
    found = found_on(from_manifold(two), lift=5)
    assert found.projected_area_mm2 == pytest.approx(200)
    assert found.shadow_area_mm2() == pytest.approx(100)


@given(st.floats(0, 360), st.floats(0, 90), st.floats(20, 70))
def test_turning_about_z_changes_no_area(about_z, about_x, critical):
    mesh = ball(5, subdivisions=2)
    still = found_on(mesh, lift=3, turn=rotation_about("x", about_x), critical=critical)
    turned = found_on(mesh, lift=3, turn=rotation_about("z", about_z) @ rotation_about("x", about_x), critical=critical)
    # Faces within a rounding error of the angle may fall on either side.
    on_edge = np.abs(still.surface_angle - critical) < 1e-6
    assert abs(turned.critical_area_mm2 - still.critical_area_mm2) <= still.mesh.areas[on_edge].sum() + 1e-9


@given(st.integers(0, 2**31), st.floats(10, 80))
def test_the_regions_together_are_a_plain_sum_over_faces(seed, critical):
    rng = np.random.default_rng(seed)
    mesh = ball(5, subdivisions=2)
    mesh = Mesh(mesh.vertices * (1 + 0.1 * rng.standard_normal((len(mesh.vertices), 1))), mesh.faces)
    found = found_on(mesh, lift=5, critical=critical)
    plain = mesh.areas[mesh.normals[:, 2] < -np.cos(np.radians(critical))].sum()
    assert found.critical_area_mm2 == pytest.approx(plain)
    assert sum(r.area_mm2 for r in found.regions) == pytest.approx(plain)


def test_on_a_belt_one_side_holds_itself_and_the_other_does_not():
    mesh, pose = box((10, 10, 10)), Pose(build_offset=20)
    tilted = (0.0, -np.sin(np.radians(45)), np.cos(np.radians(45)))
    found = detect(build_topology(mesh), pose.applied(mesh), critical_angle=46, layer_normal=tilted)
    assert {tuple(np.round(found.mesh.normals[f], 6)) for r in found.regions for f in r.faces} == {
        (0, 0, -1),
        (0, 1, 0),
    }


def test_a_lifted_part_begins_with_an_island_and_a_resting_one_does_not():
    (island,) = islands_on(box((10, 20, 5)), lift=4)
    assert (island.z_mm, island.area_mm2) == pytest.approx((4, 200))
    assert (island.x_mm, island.y_mm) == pytest.approx((0, 0), abs=1e-9)
    assert islands_on(box((10, 20, 5))) == ()


def test_a_hanging_leg_is_an_island_until_it_meets_the_top():
    solid = to_manifold(box((40, 40, 2), corner=(0, 0, 20))) + to_manifold(box((4, 4, 20)))
    mesh = from_manifold(solid + to_manifold(box((4, 4, 10), corner=(36, 36, 10))))
    (island,) = islands_on(mesh)
    assert island.z_mm == pytest.approx(10)
    assert island.area_mm2 == pytest.approx(16)
    assert (island.x_mm, island.y_mm) == pytest.approx((18, 18))
    assert island.joins_mm == pytest.approx(20)


def test_a_leg_shorter_than_a_layer_is_no_island():
    solid = to_manifold(box((40, 40, 2), corner=(0, 0, 20.0))) + to_manifold(box((4, 4, 20)))
    mesh = from_manifold(solid + to_manifold(box((4, 4, 0.5), corner=(36, 36, 19.5))))
    assert len(islands_on(mesh, layer=0.2)) == 1
    assert islands_on(mesh, layer=2.0) == ()


def test_islands_agree_with_slices_of_the_same_layers():
    rng = np.random.default_rng(5)
    solid = to_manifold(box((60, 60, 3), corner=(0, 0, 30))) + to_manifold(box((5, 5, 31)))
    for x in (15, 30, 45):
        for y in (15, 30, 45):
            long = float(rng.uniform(3, 25))
            solid += to_manifold(box((4, 4, long), corner=(x, y, 30 - long)))
    mesh, layer = from_manifold(solid), 0.25
    placed = Pose().applied(mesh)
    sliced = to_manifold(placed)
    begun = 0
    cuts = np.arange(layer / 2, placed.bounds[1, 2], layer)
    below = None
    for z in cuts:
        here = sliced.slice(float(z))
        if below is not None:
            begun += sum((piece ^ below).area() < 1e-9 for piece in here.decompose())
        below = here
    assert len(find_islands(build_topology(mesh), placed, layer)) == begun == 9


def test_awkward_meshes_give_an_answer(awkward):
    topology, placed = build_topology(awkward), Pose(build_offset=3).applied(awkward)
    found = detect(topology, placed, critical_angle=45)
    find_islands(topology, placed, 0.05)
    assert found.region_of_face.shape == (len(awkward.faces),)
    assert found.critical_area_mm2 == pytest.approx(sum(r.area_mm2 for r in found.regions))

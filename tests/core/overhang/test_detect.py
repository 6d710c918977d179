"""Overhangs: regions, low edges, low points, islands, as geometry says."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from seen_regions import found_on

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.overhang import detect, find_islands
from lean_trellis.core.parts import Pose, rotation_about


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


def test_between_the_angles_a_face_is_doubtful():
    found = found_on(box((30, 20, 3)), lift=2, turn=rotation_about("y", 48), watch_angle=52)
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


def test_awkward_meshes_give_an_answer(awkward):
    topology, placed = build_topology(awkward), Pose(build_offset=3).applied(awkward)
    found = detect(topology, placed, critical_angle=45)
    find_islands(topology, placed, 0.05)
    assert found.region_of_face.shape == (len(awkward.faces),)
    assert found.critical_area_mm2 == pytest.approx(sum(r.area_mm2 for r in found.regions))

"""Poses searched."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import ANGLES
from hypothesis import given, settings

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.errors import Cancelled, EditError
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts.pose import rotation_xyz
from lean_trellis.core.planning import (
    FIGURES,
    PoseRequest,
    figures_of,
    search_poses,
    sphere_directions,
)
from lean_trellis.core.progress import CountingWatch

UP = np.eye(3)[2]


@given(ANGLES)
@settings(max_examples=6)
def test_the_best_figures_do_not_depend_on_how_the_mesh_was_turned_before(angles):
    mesh = cylinder(9, 30, top_radius=3, sides=24)
    turned = mesh.moved(rotation_xyz(*angles), np.zeros(3))
    found = [search_poses(PoseRequest(m, np.eye(3), 45.0, 4.0, directions=3000)) for m in (mesh, turned)]
    for figure in ("height", "support_volume"):
        assert found[1].smallest(figure) == pytest.approx(found[0].smallest(figure), rel=0.02, abs=0.5)


def request_for(mesh, **changes):
    return PoseRequest(mesh, np.eye(3), **({"critical_angle": 45.0, "build_offset": 4.0} | changes))


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


@pytest.mark.parametrize("make", [metal_parts.strut_bracket, metal_parts.impeller])
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

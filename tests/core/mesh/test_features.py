"""Fine detail and inner faces."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.features import fine_detail, inner_faces
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, revolution, to_manifold
from lean_trellis.core.mesh.rays import RayTree


def plate_with_letters(rng):
    """A plate with raised marks of two to three millimetres; gives the mesh and which faces are theirs."""
    plate = to_manifold(box((60, 40, 6)))
    marks = []
    for k in range(12):
        x, y = 6 + 16 * (k % 4) + rng.uniform(-1, 1), 6 + 13 * (k // 4) + rng.uniform(-1, 1)
        width, depth = rng.uniform(1.2, 2.6, 2)
        marks.append(to_manifold(box((width, depth, 1.0), corner=(x, y, 5.8))).rotate((0, 0, 0)))
    mesh = from_manifold(sum(marks, plate))
    is_mark = mesh.centroids[:, 2] > 6.0001
    return mesh, is_mark


@pytest.mark.parametrize("seed", range(5))
def test_fine_detail_is_found_and_little_else(seed):
    mesh, is_mark = plate_with_letters(np.random.default_rng(seed))
    found = np.zeros(len(mesh.faces), bool)
    found[fine_detail(build_topology(mesh), 4.0)] = True
    assert mesh.areas[found & is_mark].sum() >= 0.95 * mesh.areas[is_mark].sum()
    assert mesh.areas[found & ~is_mark].sum() <= 0.05 * mesh.areas[~is_mark].sum()


def test_many_small_facets_are_no_detail():
    assert len(fine_detail(build_topology(ball(20, subdivisions=1)), 3.0)) == 0
    faceted = from_manifold(to_manifold(box((60, 40, 6))).refine(30))
    assert len(fine_detail(build_topology(faceted), 4.0)) == 0


@pytest.mark.parametrize("wall", [1.0, 2.5])
def test_the_inside_of_a_cup_is_suggested_and_its_outside_is_not(wall):
    cup = revolution(np.array([[0, 0], [10, 0], [10, 16], [10 - wall, 16], [10 - wall, wall], [0, wall]]))
    cup = from_manifold(to_manifold(cup).refine_to_length(1.0))
    radius = np.hypot(cup.centroids[:, 0], cup.centroids[:, 1])
    inside = (radius < 10 - wall + 1e-6) & (cup.centroids[:, 2] > wall - 1e-6) & (cup.centroids[:, 2] < 16 - 1e-6)
    found = np.zeros(len(cup.faces), bool)
    found[inner_faces(build_topology(cup), RayTree(cup))] = True
    assert cup.areas[found & inside].sum() >= 0.95 * cup.areas[inside].sum()
    assert cup.areas[found & ~inside].sum() <= 0.05 * cup.areas[~inside].sum()


def test_a_convex_part_has_no_inner_faces():
    for mesh in (ball(5), box((10, 20, 5)), Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))):
        assert len(inner_faces(build_topology(mesh), RayTree(mesh))) == 0

"""Pieces of solid as they grow: which are one at which height."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.overhang.pieces import find_pieces


@pytest.fixture
def comb() -> Mesh:
    """Four teeth that hang from two bars at 5 and 7 mm, which hang from one at 9."""
    solid = to_manifold(box((22, 2, 2), corner=(0, 0, 9)))
    for x, height in ((0, 5), (12, 7)):
        solid += to_manifold(box((10, 2, 2), corner=(x, 0, height)))
        solid += to_manifold(box((2, 2, 9 - height), corner=(x + 4, 0, height + 1)))
        for tooth in (x, x + 8):
            solid += to_manifold(box((2, 2, height + 1), corner=(tooth, 0, 0)))
    return from_manifold(solid)


def test_teeth_are_one_from_the_height_on_at_which_a_bar_joins_them(comb):
    pieces = find_pieces(build_topology(comb), comb)
    low = np.flatnonzero(comb.vertices[:, 2] < 1e-6)
    tooth = comb.vertices[low, 0] // 4
    basins = pieces.basin_of_vertex[low]
    first = {int(number): int(basins[tooth == number][0]) for number in np.unique(tooth)}
    assert len(set(first.values())) == 4
    one, two, three, four = (first[number] for number in sorted(first))
    asked = np.array([(one, two), (three, four), (one, three), (two, four), (two, two)])
    heights = pieces.joined_at(*asked.T)
    np.testing.assert_allclose(heights, [5, 7, 9, 9, -np.inf])
    assert pieces.joined_at(one * np.ones(0, np.int64), np.zeros(0, np.int64)).shape == (0,)


def test_two_bodies_never_become_one_and_a_face_leads_down_to_its_piece():
    one, other = box((2, 2, 2)), box((2, 2, 2), corner=(5, 0, 1))
    both = from_manifold(to_manifold(one) + to_manifold(other))
    pieces = find_pieces(build_topology(both), both)
    faces = np.arange(len(both.faces))
    basins = pieces.basins_at(both, faces)
    is_right = both.centroids_of(faces)[:, 0] > 3
    assert pieces.joined_at(basins[is_right][:1], basins[~is_right][:1]).tolist() == [np.inf]
    inside = pieces.joined_at(basins[is_right], np.repeat(basins[is_right][0], is_right.sum()))
    assert (inside <= 3.0 + 1e-9).all()


def test_on_a_tilted_layer_heights_are_along_its_normal():
    cube = box((2, 2, 2))
    normal = (0.0, -(2**-0.5), 2**-0.5)
    pieces = find_pieces(build_topology(cube), cube, normal)
    np.testing.assert_allclose(pieces.along, cube.vertices @ np.array(normal))

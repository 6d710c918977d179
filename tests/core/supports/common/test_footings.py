"""Where pieces of a support begin: of each shell its lowest places, no more than are needed."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.supports.common.footings import Footings, lowest_places


def side_by_side(*meshes: Mesh) -> Mesh:
    starts = np.cumsum([0] + [len(mesh.vertices) for mesh in meshes[:-1]])
    faces = [mesh.faces + start for mesh, start in zip(meshes, starts, strict=True)]
    return Mesh(np.concatenate([mesh.vertices for mesh in meshes]), np.concatenate(faces).astype(np.int32))


def test_each_shell_begins_at_its_own_lowest_places():
    low, high = box((4, 4, 2)), box((4, 4, 2), corner=(10, 0, 3))
    footings = lowest_places(side_by_side(low, high))
    assert not footings.is_sure
    assert np.unique(footings.pieces).tolist() == [0, 1]
    for piece, bounds in enumerate((low.bounds, high.bounds)):
        places = footings.places[footings.pieces == piece]
        assert places[:, 2] == pytest.approx(np.full(len(places), bounds[0][2]))
        assert places.min(axis=0)[:2] == pytest.approx(bounds[0][:2])
        assert places.max(axis=0)[:2] == pytest.approx(bounds[1][:2])


def test_over_a_flat_underside_they_lie_no_more_than_a_millimetre_apart():
    places = lowest_places(box((10, 6, 2))).places[:, :2]
    grid = (
        np.stack(np.meshgrid(np.linspace(0, 10, 41), np.linspace(0, 6, 25)), axis=-1).reshape(-1, 2)
        + box((10, 6, 2)).bounds[0][:2]
    )
    away = np.linalg.norm(grid[:, None] - places[None], axis=2).min(axis=1)
    assert away.max() < 1.0


def test_a_ball_begins_at_its_lowest_corner_and_nothing_begins_nowhere():
    mesh = ball(5)
    footings = lowest_places(mesh)
    assert np.unique(footings.places, axis=0) == pytest.approx(mesh.vertices[[mesh.vertices[:, 2].argmin()]])
    assert len(lowest_places(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))).places) == len(Footings().places) == 0


def test_a_huge_underside_has_no_more_than_two_thousand_places_spread_evenly():
    places = lowest_places(box((200, 200, 2))).places
    assert 1000 <= len(places) <= 2000
    middle = box((200, 200, 2)).bounds.mean(axis=0)
    for x_sign in (1, -1):
        for y_sign in (1, -1):
            quarter = (x_sign * (places[:, 0] - middle[0]) > 0) & (y_sign * (places[:, 1] - middle[1]) > 0)
            assert quarter.sum() > len(places) / 8

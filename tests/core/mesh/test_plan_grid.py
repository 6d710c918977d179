"""Faces by cells in plan: the pairs it finds are all that there are."""

from __future__ import annotations

import pickle

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh, plan_grid
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.plan_grid import PlanGrid
from lean_trellis.core.mesh.primitives import ball, box, wavy_torus


def moved(mesh: Mesh, *step: float) -> Mesh:
    return Mesh(mesh.vertices + np.array(step), mesh.faces)


PARTS = {
    "fine": wavy_torus(60, 50), "coarse": box((30, 20, 10)),
    "fine beside coarse": join([moved(ball(4, subdivisions=4), 40, 0, 0), box((200, 90, 1))]),
    "slivers": join([box((200, 0.5, 1), corner=(-100, 0.5 * n, 0)) for n in range(40)]),
    "one triangle": Mesh(np.array([(0.0, 0, 0), (5, 0, 0), (0, 5, 1)]), np.array([(0, 1, 2)])),
}  # fmt: skip


@pytest.mark.parametrize("name", list(PARTS))
@pytest.mark.parametrize("size", [0.3, 5.0, 60.0])
def test_all_faces_whose_boxes_meet_are_found_and_no_others(name, size):
    mesh, rng = PARTS[name], np.random.default_rng(7)
    low, high = mesh.bounds
    middles = rng.uniform(low - 3, high + 3, (60, 3))
    lows, highs = middles - size * rng.random((60, 3)), middles + size * rng.random((60, 3))
    pairs = [np.column_stack(pair) for pair in PlanGrid.of(mesh).pairs(lows, highs)]
    found = np.concatenate([*pairs, np.zeros((0, 2), np.int64)])
    meets = (mesh.face_lows[:, None] <= highs) & (mesh.face_highs[:, None] >= lows)
    wanted = np.argwhere(meets.all(axis=2))
    assert len(found) == len(wanted), "each once"
    assert set(map(tuple, found.tolist())) == set(map(tuple, wanted.tolist()))


def test_by_portions_the_same_pairs_are_found(monkeypatch):
    mesh, rng = PARTS["fine beside coarse"], np.random.default_rng(11)
    middles = rng.uniform(*mesh.bounds, (50, 3))

    def found():
        pairs = PlanGrid.of(mesh).pairs(middles - 4, middles + 4)
        return {tuple(pair) for portion in pairs for pair in np.column_stack(portion).tolist()}

    whole = found()
    monkeypatch.setattr(plan_grid, "_MOST_BOXES", 25)
    monkeypatch.setattr(plan_grid, "_MOST_PAIRS", 40)
    assert found() == whole
    assert len({box for _, box in whole}) > 25


def test_boxes_far_from_the_mesh_meet_nothing():
    lows = np.array([(-90.0, -90, -90), (500, 0, 0)])
    assert not sum(len(face) for face, _ in PlanGrid.of(PARTS["fine"]).pairs(lows, lows + 5))


def test_it_is_kept_with_its_mesh_and_does_not_travel_with_it():
    mesh = box((3, 3, 3))
    assert PlanGrid.of(mesh) is PlanGrid.of(mesh)
    assert "_plan_grid" not in pickle.loads(pickle.dumps(mesh)).__dict__


def test_long_slivers_beside_small_faces_leave_few_to_be_looked_at(monkeypatch):
    torus = wavy_torus(60, 50)
    strips = [box((200, 0.5, 1), corner=(-100, -60 + 0.5 * n, -20)) for n in range(240)]
    mesh, rng = join([torus, *strips]), np.random.default_rng(3)
    middles = rng.uniform(*torus.bounds, (200, 3))
    looked_at = []

    def counted(sides, place, *others):
        looked_at.append(len(place))
        return meeting(sides, place, *others)

    meeting = plan_grid._meeting
    monkeypatch.setattr(plan_grid, "_meeting", counted)
    for _ in PlanGrid.of(mesh).pairs(middles - 0.5, middles + 0.5):
        pass
    assert sum(looked_at) < 0.05 * len(middles) * len(mesh.faces)

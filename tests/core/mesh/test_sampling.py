"""Places on faces."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.sampling import gathered, places_on


@pytest.mark.parametrize("apart", [0.5, 2.0, 50.0])
def test_places_lie_on_their_faces_as_close_as_asked(apart):
    mesh = box((12, 9, 4))
    places, faces = places_on(mesh, np.arange(len(mesh.faces)), apart, most_across=60)
    for place, face in zip(places[::7], faces[::7], strict=True):
        corner, normal = mesh.vertices[mesh.faces[face, 0]], mesh.normals[face]
        assert abs((place - corner) @ normal) < 1e-9
    assert set(faces.tolist()) == set(range(len(mesh.faces)))
    assert (len(places) == len(mesh.faces)) == (apart == 50.0)


def test_what_lies_in_one_cell_is_gathered_at_its_middle_wherever_all_of_it_is():
    places = np.array([[0, 0, 0], [0.9, 0, 0], [3.0, 0, 0], [0, 0, 1.0], [2.9, 0.2, 0.1]])
    weights = np.array([1.0, 2.0, 3.0, 4.0, 3.0])
    for away in (0.0, 1234.567):
        middles, sums = gathered(places + away, weights, 1.0)
        assert sums == pytest.approx([7, 6])
        assert middles - away == pytest.approx(np.array([[1.8 / 7, 0, 4 / 7], [2.95, 0.1, 0.05]]), abs=1e-9)


def test_pieces_are_gathered_each_by_itself_in_even_cells():
    """Two feet side by side stay two; one of 4 mm falls into two halves, not into 3 mm and the rest."""
    foot = np.linspace(0, 2, 21)
    long = np.linspace(0, 4, 41) + 10
    places = np.zeros((83, 3))
    places[:, 0] = np.concatenate([foot, foot + 2.1, long])
    pieces = np.repeat([0, 1, 2], [21, 21, 41])
    middles, sums = gathered(places, np.ones(83), 3.0, pieces)
    assert sums.tolist() == [21, 21, 20, 21]
    assert middles[:, 0] == pytest.approx([1.0, 3.1, 10.95, 13.0])

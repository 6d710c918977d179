"""Values of paths: they go with the part, and what cannot be laid is refused."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.parts.path_values import PathValues


def test_heights_and_places_move_together():
    values = PathValues(low=1.0, high=3.0, at=(1.0, 2.0, 3.0), loops=4)
    assert values.moved(np.array([10.0, 20.0, 30.0])) == PathValues(31.0, 33.0, (11.0, 22.0, 33.0), loops=4)
    assert PathValues(loops=4).moved(np.ones(3)) == PathValues(loops=4)


def test_a_wish_without_values_is_empty():
    assert PathValues(low=2.0).is_empty
    assert not PathValues(fill_share=0.0).is_empty


@pytest.mark.parametrize(
    ("values", "words"),
    [(PathValues(low=3.0, high=3.0), "there is no layer"), (PathValues(path_width=0.049), "no width of a bead"),
     (PathValues(path_width=5.01), "no width of a bead"), (PathValues(loops=-1), "cannot be laid"),
     (PathValues(loops=51), "give 0 to 50"), (PathValues(fill_share=1.01), "no share")],
)  # fmt: skip
def test_what_no_machine_can_lay_is_refused(values, words):
    with pytest.raises(EditError, match=words):
        values.require()


def test_what_lies_within_the_limits_is_taken():
    PathValues(low=2.9, high=3.0, path_width=0.05, loops=50, fill_share=1.0).require()
    PathValues(path_width=5.0, loops=0, fill_share=0.0).require()

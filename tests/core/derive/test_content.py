"""Digests of what results hold: every bit counts, and nothing that is worked out from them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pytest
import shapely

from lean_trellis.core.derive.content import content_of
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets


@dataclass(frozen=True, eq=False)
class Held:
    """Something of every kind."""

    places: np.ndarray
    words: str = "one"
    inner: tuple[object, ...] = ()

    @cached_property
    def length(self) -> float:
        return float(self.places.sum())


def test_the_same_values_in_other_objects_have_one_digest():
    one, other = (Held(np.arange(6.0), inner=(ball(2.0), frozenset({3, 1}), {"a": 1})) for _ in range(2))
    assert one.length == 15.0
    assert content_of(one) == content_of(other) is not None


@pytest.mark.parametrize(
    "other",
    [
        Held(np.nextafter(np.arange(6.0), 9)), Held(np.arange(6.0).reshape(2, 3)), Held(np.arange(6)),
        Held(np.arange(6.0), "two"), Held(np.arange(6.0), inner=(None,)), Held(np.arange(6.0), inner=("",)),
        Held(np.arange(6.0), inner=(box((1, 1, 1)),)), Held(np.arange(6.0), inner=(shapely.Point(1, 2),)),
        Held(np.arange(6.0), inner=((), ())), Held(np.arange(6.0), inner=(((), ()),)), Held(np.arange(6.0), inner=(0,)),
        Held(np.arange(6.0), inner=(False,)), Held(np.arange(6.0), inner=(0.0,)), Held(np.arange(6.0), inner=(-0.0,)),
    ],
)  # fmt: skip
def test_whatever_differs_is_told_apart(other):
    assert content_of(other) not in (content_of(Held(np.arange(6.0))), None)


def test_models_and_numbers_of_arrays_count():
    sets = shipped_sets()
    digests = {content_of(sets[name].parameters) for name in ("bars-metal", "bars-metal-fine", "raft-follow")}
    assert len(digests - {None}) == 3
    assert content_of(np.float64(1.5)) != content_of(np.float64(1.25))


def test_what_cannot_be_told_apart_has_none():
    assert content_of(Held(np.arange(3.0), inner=(object(),))) is None
    assert content_of(np.array([object()])) is None


def test_order_in_memory_does_not_count_and_empty_arrays_are_told_apart_by_their_shape():
    rows = np.arange(12.0).reshape(3, 4)
    assert content_of(np.asfortranarray(rows)) == content_of(rows) == content_of(np.repeat(rows, 2, axis=0)[::2])
    assert content_of(np.zeros((0, 3))) not in (content_of(np.zeros((0, 2))), None)
    assert content_of(np.array(2.5)) not in (content_of(np.array(3.5)), content_of(np.array([2.5])), None)

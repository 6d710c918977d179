"""Own beads: which layers, and which of their outlines."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection

from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.own_beads import OwnBeads, levels_within
from lean_trellis.core.parts.path_values import PathValues

USUAL = Beads(0.4, 3, 0.15, 5)
HEIGHTS = np.array([0.1, 0.3, 0.5, 0.7, 0.9])


def square(x, size=4.0):
    return CrossSection.square((size, size)).translate((x, 0.0))


def test_values_hold_from_one_height_to_another_both_included():
    assert levels_within(PathValues(), HEIGHTS) == range(5)
    assert levels_within(PathValues(low=0.3, high=0.7), HEIGHTS) == range(1, 4)
    assert levels_within(PathValues(low=0.31, high=0.69), HEIGHTS) == range(2, 3)
    assert len(levels_within(PathValues(low=2.0), HEIGHTS)) == 0


def test_an_outline_is_followed_as_far_as_it_hangs_together():
    """A column that leans to the right by 3 mm a layer, and ends where it jumps by more than its width."""
    shifts = [0.0, 3.0, 6.0, 9.0, 14.0]
    layers = [square(shift) + square(100.0) for shift in shifts]
    own = OwnBeads(USUAL, [PathValues(at=(7.5, 2.0, 0.5), loops=1)], HEIGHTS, layers.__getitem__)
    for level, shift in enumerate(shifts):
        assert own.of(level, square(shift)).loops == (1 if level < 4 else 3)
        assert own.of(level, square(100.0)).loops == 3


def test_outlines_that_part_are_all_followed_and_a_place_in_the_air_picks_none():
    layers = [square(0.0, 20.0), square(0.0) + square(10.0), square(0.0) + square(10.0)] + [CrossSection()] * 2
    own = OwnBeads(USUAL, [PathValues(at=(1.0, 1.0, 0.1), path_width=0.9)], HEIGHTS, layers.__getitem__)
    assert [own.of(2, square(at)).width for at in (0.0, 10.0)] == [0.9, 0.9]
    nowhere = OwnBeads(USUAL, [PathValues(at=(7.0, 1.0, 0.5), path_width=0.9)], HEIGHTS, layers.__getitem__)
    assert nowhere.of(2, square(0.0)) == USUAL
    above = OwnBeads(USUAL, [PathValues(low=5.0, at=(1.0, 1.0, 0.5), path_width=0.9)], HEIGHTS, layers.__getitem__)
    assert above.of(2, square(0.0)) == USUAL


def test_of_several_values_the_last_wins():
    own = [PathValues(loops=1, path_width=0.6), PathValues(low=0.5, loops=2)]
    beads = OwnBeads(USUAL, own, HEIGHTS, lambda _: square(0.0))
    assert (beads.of(0, square(0.0)).loops, beads.of(4, square(0.0)).loops) == (1, 2)
    assert beads.of(4, square(0.0)).width == 0.6

"""Where what meets parts has to end: their offset by a bite or a gap, over places in plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.offsets import OffsetHeights, offset_heights
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import Obstacle

_LEAST_UPRIGHT = 0.2
_DEEPEST = 1.5
"""Inside of corners a bite goes in by no more than so many of its depths, measured along z: where the part is thinner
than two bites, the depth from the near side alone counts."""


def surface_offsets(
    obstacles: Sequence[Obstacle], places: Floats, guess: Floats, contact: Contact, reach_mm: Floats, *, is_below: bool
) -> OffsetHeights:
    """Heights over groups of places (n, k, 2) that are a bite deep in, or a gap off, the surface of the parts.

    `guess` (n, k) are about the heights of the surface there; it is met from below, or stood on. `reach_mm` (n,) is how
    far beyond the guesses, up and down, parts are looked at. Beside the parts a bite ends its depth beyond the guess.
    """
    upward = contact.is_bite == is_below
    distance = np.full(len(places), contact.distance)
    found: OffsetHeights | None = None
    for obstacle in obstacles:
        other = offset_heights(obstacle.placed, places, guess, distance, reach_mm, upward=upward)
        found = other if found is None else _together(found, other, guess, contact, upward=upward)
    if found is None:
        nothing = np.zeros(guess.shape)
        found = OffsetHeights(guess, guess, np.zeros((*guess.shape, 2)), nothing + 1, nothing > 0)
    if not contact.is_bite:
        return found
    inward = 1.0 if upward else -1.0
    depth = contact.distance * np.minimum(found.steep, 1 / _LEAST_UPRIGHT)
    rise = (found.offset - found.surface) * inward
    return replace(
        found, offset=found.surface + inward * np.where(found.over & (rise <= _DEEPEST * depth), rise, depth)
    )


def _together(
    one: OffsetHeights, other: OffsetHeights, guess: Floats, contact: Contact, *, upward: bool
) -> OffsetHeights:
    """Of two parts: the one whose surface is nearer the guess; of gaps the one that keeps farther off."""
    nearer = np.abs(other.surface - guess) < np.abs(one.surface - guess)
    nearer = np.where(one.over == other.over, nearer, other.over)
    farther = np.maximum if upward else np.minimum
    return OffsetHeights(
        np.where(nearer, other.surface, one.surface),
        np.where(nearer, other.offset, one.offset) if contact.is_bite else farther(one.offset, other.offset),
        np.where(nearer[..., None], other.slopes, one.slopes),
        np.where(nearer, other.steep, one.steep),
        one.over | other.over,
    )

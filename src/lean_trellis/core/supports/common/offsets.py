"""Where what meets parts has to end: their surface moved in by a bite or off by a gap, over places in plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.mesh.offsets import OffsetHeights, offset_heights
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.floors import plane_heights
from lean_trellis.core.supports.common.obstacle import Obstacle

_STEEPEST = 3.9
"""A bite is no deeper along z than so many of its depths: on faces of 75 degrees and more it is less deep."""
_LEAST_UPRIGHT, _BEGIN_MM = 0.1, 0.3


def surface_offsets(
    obstacles: Sequence[Obstacle], places: Floats, guess: Floats, contact: Contact, reach_mm: Floats, *, is_below: bool,
    from_guess: bool = False,
) -> OffsetHeights:  # fmt: skip
    """Heights over groups of places (n, k, 2) that are a bite deep in, or a gap off, the surface of the parts.

    `guess` (n, k) are about the heights of the surface there; heads touch it from below, or feet stand on it.
    `reach_mm` (n,) is how far beyond the guesses, up and down, parts are looked at. A gap is kept from all that is
    near; a bite is as deep as asked below the face over each place, along its normal, and nowhere deeper. Beside the
    parts a gap is kept from their rim, and a bite ends its depth beyond the guess. `from_guess` a gap is kept on the
    side of the surface that the guess is on.
    """
    if not contact.is_bite:
        return _surfaces(obstacles, places, guess, contact.distance, reach_mm, is_below, from_guess)
    if len(obstacles) == 1 and len(places):
        heights, is_met = _met_by_rays(obstacles[0], places, guess, is_below=is_below)
        rest = np.flatnonzero(~is_met)
        if len(rest):
            other = _surfaces(obstacles, places[rest], guess[rest], 0.0, reach_mm[rest], is_below)
            for entry in fields(OffsetHeights):
                getattr(heights, entry.name)[rest] = getattr(other, entry.name)
    else:
        heights = _surfaces(obstacles, places, guess, 0.0, reach_mm, is_below)
    inward = 1.0 if is_below else -1.0
    return replace(heights, offset=heights.surface + inward * contact.distance * np.minimum(heights.steep, _STEEPEST))


def _met_by_rays(obstacle: Obstacle, places: Floats, guess: Floats, *, is_below: bool) -> tuple[OffsetHeights, Bools]:
    """The surface over each place as a ray meets it, and which groups (n,) that is true of: those met all over."""
    towards = 1.0 if is_below else -1.0
    spread = np.ptp(guess, axis=1)[:, None] + _BEGIN_MM
    starts = np.column_stack([places.reshape(-1, 2), (guess - towards * spread).reshape(-1)])
    mesh, pose = obstacle.placed, obstacle.pose
    way = np.array([[0.0, 0.0, towards]]) @ pose.matrix
    faces = obstacle.tree.first_hits(pose.to_part(obstacle.tree.mesh, starts), way).face
    normals = mesh.normals[np.maximum(faces, 0)].reshape(*guess.shape, 3)
    faces_us = (faces >= 0).reshape(guess.shape) & (normals[..., 2] * towards < -_LEAST_UPRIGHT)
    upright = np.where(faces_us, normals[..., 2], 1.0)
    slopes = -normals[..., :2] / upright[..., None]
    surface = plane_heights(mesh, np.where(faces_us.reshape(-1), faces, 0), places.reshape(-1, 2)).reshape(guess.shape)
    surface = np.where(faces_us, surface, guess)
    is_met: Bools = np.logical_and.reduce(faces_us & (np.abs(surface - guess) < spread + _BEGIN_MM), axis=1)
    steep = np.sqrt(1 + (slopes**2).sum(axis=2))
    return OffsetHeights(surface, surface.copy(), slopes, steep, np.ones(guess.shape, bool)), is_met


def _surfaces(
    obstacles: Sequence[Obstacle], places: Floats, guess: Floats, distance: float, reach_mm: Floats, is_below: bool,
    from_guess: bool = False,
) -> OffsetHeights:  # fmt: skip
    """Of all parts: the surface nearest the guess, and the offset that is farthest off."""
    off = np.full(len(places), distance)
    nearest: OffsetHeights | None = None
    for obstacle in obstacles:
        other = offset_heights(
            obstacle.placed, places, guess, off, reach_mm, from_below=is_below, from_guess=from_guess
        )
        nearest = other if nearest is None else _together(nearest, other, guess, is_below=is_below)
    if nearest is None:
        level = np.zeros((*guess.shape, 2))
        return OffsetHeights(guess.copy(), guess.copy(), level, level[..., 0] + 1, np.zeros(guess.shape, bool))
    return nearest


def _together(one: OffsetHeights, other: OffsetHeights, guess: Floats, *, is_below: bool) -> OffsetHeights:
    nearer = np.abs(other.surface - guess) < np.abs(one.surface - guess)
    nearer = np.where(one.over == other.over, nearer, other.over)
    farther = np.minimum if is_below else np.maximum
    return OffsetHeights(
        np.where(nearer, other.surface, one.surface),
        farther(one.offset, other.offset),
        np.where(nearer[..., None], other.slopes, one.slopes),
        np.where(nearer, other.steep, one.steep),
        one.over | other.over,
    )

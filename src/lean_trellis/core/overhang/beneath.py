"""What lies beneath a region: the plate, the same part, another part."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.overhang.detect import Overhangs

PLATE, SAME_PART, OTHER_PART = 0, 1, 2
BENEATH_WORDS = {PLATE: "plate", SAME_PART: "same part", OTHER_PART: "other part"}
_SAMPLES = 25
_NUDGE_MM = 1e-3

Distances = Callable[[Floats], Floats]
"""Distances straight down (n,) from places (n, 3) on the plate's frame to a part; infinite where it is not below."""


def below(overhangs: Overhangs, own: Distances, others: Sequence[Distances]) -> tuple[Floats, Floats]:
    """(r, 3) and (r,): which share of each region has the plate, the same part, another part beneath it, and how far.

    Looked at from the middles of up to 25 faces a region, evenly taken and weighted by area; from the vertices of low
    edges and points. The distance is the mean, straight down, mm.
    """
    places, regions, weights = _samples(overhangs)
    shares, heights = np.zeros((len(overhangs.regions), 3)), np.zeros(len(overhangs.regions))
    if not len(places):
        return shares, heights
    to_own = own(places)
    to_others = np.min([other(places) for other in others], axis=0) if others else np.full(len(places), np.inf)
    nearest = np.minimum(to_own, to_others)
    kinds = np.where(nearest > places[:, 2], PLATE, np.where(to_own <= to_others, SAME_PART, OTHER_PART))
    np.add.at(shares, (regions, kinds), weights)
    np.add.at(heights, regions, weights * np.minimum(nearest, np.maximum(places[:, 2], 0)))
    whole = np.maximum(shares.sum(axis=1), 1e-300)
    return shares / whole[:, None], heights / whole


def shares_beneath(overhangs: Overhangs, own: Distances, others: Sequence[Distances]) -> Floats:
    """(r, 3): which share of each region's area has the plate, the same part, another part beneath it."""
    return below(overhangs, own, others)[0]


def _samples(overhangs: Overhangs) -> tuple[Floats, np.ndarray, Floats]:
    mesh = overhangs.mesh
    places, regions, weights = [], [], []
    for region in overhangs.regions:
        if region.kind == "face":
            chosen = region.faces[np.linspace(0, len(region.faces) - 1, _SAMPLES).astype(int)]
            chosen = np.unique(chosen)
            here, weight = mesh.centroids_of(chosen), mesh.areas[chosen]
        else:
            here = mesh.vertices[region.vertices[:_SAMPLES]]
            weight = np.ones(len(here))
        places.append(here - [0, 0, _NUDGE_MM])
        regions.append(np.full(len(here), region.id))
        weights.append(weight)
    if not places:
        return np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros(0)
    return np.concatenate(places), np.concatenate(regions), np.concatenate(weights)


def in_words(shares: Floats) -> str:
    """What lies beneath one region, the most of it first: `plate`, or `plate, same part`."""
    order = np.argsort(-shares, kind="stable")
    return ", ".join(BENEATH_WORDS[int(kind)] for kind in order if shares[kind] > 0.01)

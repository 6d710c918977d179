"""What is known of a region besides its own figures: by these rules choose what supports it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Longs
from lean_trellis.core.overhang.beneath import SAME_PART, Distances, below
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.islands import Island
from lean_trellis.core.overhang.region import RegionKind
from lean_trellis.core.overhang.spans import greatest_spans


@dataclass(frozen=True)
class RegionTraits:
    """One region: its number among the regions, and what rules ask about it. Lengths mm, area mm², angle degrees.

    `height_mm` is the mean distance straight down to what is below, `is_inner` whether that is mostly the part itself.
    `is_protected`: some of its faces are marked, to be kept off or avoided; `is_island`: a piece of the part begins in
    it.
    """

    number: int
    kind: RegionKind
    angle_deg: float = 0.0
    area_mm2: float = 0.0
    span_mm: float = 0.0
    height_mm: float = 0.0
    is_inner: bool = False
    is_protected: bool = False
    is_island: bool = False


def traits_of(
    overhangs: Overhangs,
    own: Distances,
    others: Sequence[Distances],
    islands: Sequence[Island] = (),
    protected: np.ndarray | None = None,
) -> tuple[RegionTraits, ...]:
    """The traits of every region; `protected` (m,) marks the part's faces where it is above 0."""
    shares, heights = below(overhangs, own, others)
    spans = greatest_spans(overhangs)
    begins = np.array([island.vertex for island in islands], np.int64)
    return tuple(
        RegionTraits(
            region.id, region.kind, region.min_angle_deg, region.area_mm2, float(spans[region.id]),
            float(heights[region.id]), bool(np.argmax(shares[region.id]) == SAME_PART),
            protected is not None and bool((protected[region.faces] > 0).any()),
            bool(np.isin(begins, _vertices(overhangs, region.id)).any()),
        )
        for region in overhangs.regions
    )  # fmt: skip


def _vertices(overhangs: Overhangs, number: int) -> Longs:
    region = overhangs.regions[number]
    return region.vertices if region.kind != "face" else np.unique(overhangs.mesh.faces[region.faces])

"""Powder beds: outlines and hatch of a body's layers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Longs, counted_out
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.scanning import Lines, Rings, scanned
from lean_trellis.core.layers.set_in import set_in
from lean_trellis.core.shop.material import Constant, value_or

HATCH_TURN_DEG = 73.0
"""By how much hatch turns from layer to layer, unless the material says otherwise: it comes again after 180 layers."""


@dataclass(frozen=True)
class Hatching:
    """How layers are hatched: mm and degrees. `stripe` is how long a line is at most, 0: as long as the layer."""

    distance: float
    turn_deg: float
    stripe: float
    inset: float = 0.0
    """Outlines are set in by so much: the melt grows beyond them."""

    @classmethod
    def of(cls, constants: Mapping[str, Constant], *, is_support: bool) -> Hatching:
        """The material's values; supports have a distance of their own where it says so."""
        distance = constants["hatch_distance"].value
        if is_support:
            distance = value_or(constants, "support_hatch_distance", distance)
        return cls(
            distance, value_or(constants, "hatch_turn", HATCH_TURN_DEG), value_or(constants, "stripe_width", 0.0),
            value_or(constants, "outline_offset", 0.0),
        )  # fmt: skip


@heavy
def hatched(body: BodyLayers, numbers: Longs, hatching: Hatching, first: int = 0, last: int | None = None) -> Paths:
    """Outlines, then hatch of the layers from place `first` to before `last`; open lines are run along once.

    `numbers` (l,) are those of all layers of the body.
    """
    last = len(numbers) if last is None else last
    rings = set_in(body.filled.between(first, last), hatching.inset)
    lines = scanned(Rings.of_ways(rings), hatching.distance, np.asarray(numbers * hatching.turn_deg, np.float64))
    if hatching.stripe:
        lines = striped(lines, hatching.stripe)
    return Paths.joined([
        Paths.of_rings(rings, Kind.OUTLINE, hatching.distance),
        Paths.of_lines(lines, Kind.FILL, hatching.distance),
        Paths.of_ways(body.lines.between(first, last), Kind.LINE, body.line_mm),
    ])  # fmt: skip


def striped(lines: Lines, width: float) -> Lines:
    """Lines cut where stripes `width` mm wide meet, which lie across them and begin at the origin."""
    ways = lines.ends - lines.begins
    lengths = np.maximum(np.hypot(ways[:, 0], ways[:, 1]), 1e-12)
    units = ways / lengths[:, None]
    begin = np.einsum("nd,nd->n", lines.begins, units)
    first = np.floor(begin / width).astype(np.int64)
    counts = np.maximum(np.ceil((begin + lengths) / width - 1e-9).astype(np.int64) - first, 1)
    owner, number = counted_out(counts)
    low = np.maximum((first[owner] + number) * width - begin[owner], 0.0)
    high = np.minimum((first[owner] + number + 1) * width - begin[owner], lengths[owner])
    start = lines.begins[owner]
    cut = Lines(start + low[:, None] * units[owner], start + high[:, None] * units[owner], lines.levels[owner],
                lines.rows[owner])  # fmt: skip
    return cut.only(high - low > 1e-6)

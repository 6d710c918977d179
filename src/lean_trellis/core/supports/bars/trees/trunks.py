"""Trunks: what joined bars go on as, with a foot on the plate or a lower end that follows the part below."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Bytes, Floats, Longs, frozen
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads, level_heads, level_rings
from lean_trellis.core.supports.common.solids import ring_solids, ring_volumes, swept, swept_volumes

TRUNK_RINGS = 5
"""Of a trunk: lower end, foot's top, start of the shaft, bend, top."""


@dataclass(frozen=True, eq=False)
class LowerEnds:
    """The lower ends of all trunks where some stand on a part: their grid and heads, and which do, `lands` (t,).

    Of the others heads mean nothing.
    """

    grid: HeadGrid
    heads: Heads
    lands: Bools


@dataclass(frozen=True, eq=False)
class Trunks:
    """What joined bars go on as: `centres` (t, 5, 3) and `radii` (t, 5) from the lower end up.

    `below` (t,) is the trunk that each stands on, -1 for none; `contacts` (t,) how many support points it carries;
    `landings` (t,) ON_PLATE, ON_PART or ON_TRUNK; `ends` how lower ends follow parts, where any stand on one.
    """

    centres: Floats = field(default_factory=lambda: np.zeros((0, TRUNK_RINGS, 3)))
    radii: Floats = field(default_factory=lambda: np.zeros((0, TRUNK_RINGS)))
    below: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    contacts: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    landings: Bytes = field(default_factory=lambda: np.zeros(0, np.uint8))
    saved_mm3: float = 0.0
    """How much less material trees take than single bars of the same strength would; feet apart."""
    ends: LowerEnds | None = None

    def __len__(self) -> int:
        return len(self.radii)

    def volumes_mm3(self, sides: int) -> Floats:
        """(t,): exact, from the faces where ends follow a part."""
        if self.ends is None:
            return frozen(swept_volumes(self.centres, self.radii, sides))
        return frozen(ring_volumes(*self._rings(self.ends)))

    def mesh(self, sides: int) -> Mesh:
        """Closed, outward solids, one after another; with other sides than they have, ends are planes."""
        if self.ends is None:
            return swept(self.centres, self.radii, sides)
        ends = self.ends
        if sides != ends.grid.sides:
            coarse = HeadGrid(sides, sides, 1)
            ends = replace(ends, grid=coarse, heads=ends.heads.as_planes(ends.grid, coarse))
        return ring_solids(*self._rings(ends))

    def _rings(self, ends: LowerEnds) -> tuple[Floats, Floats]:
        """Rings (t, r, k, 3) from the lower end up, and the middles (t, 2, 3) of both caps."""
        heads = level_heads(self.centres[:, 0, 2], self.radii[:, 0], ends.grid)
        heads = heads.with_rows(ends.lands, ends.heads.only(ends.lands))
        low, bottom = heads.rings(self.centres[:, 0, :2], self.radii[:, 0], ends.grid)
        level = level_rings(self.centres[:, 1:], self.radii[:, 1:], ends.grid.circle)
        return np.concatenate([low[:, ::-1], level], axis=1), np.stack([bottom, self.centres[:, -1]], axis=1)

    def beam_lines(self) -> Floats:
        """(t, 5, 3): middle lines; on a part they end a radius short, since readers close beams with balls."""
        if self.ends is None:
            return self.centres
        centres = self.centres.copy()
        steep = np.sqrt(1 + self.ends.heads.slopes() ** 2)
        room = 0.9 * (centres[:, 1, 2] - centres[:, 0, 2])
        centres[:, 0, 2] += np.where(self.ends.lands, np.minimum(steep * self.radii[:, 0], room), 0.0)
        return centres

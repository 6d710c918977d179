"""Bars kept as struts: six level rings each, from which figures and solids are read."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bytes, Floats, Ints, Longs, frozen
from lean_trellis.core.mesh.mesh import Mesh

ON_PLATE, ON_PART = 0, 1
NO_WAY_WORDS = {
    1: "the part is in the way and landing on it is not allowed",
    2: "a part is nearer than the clearance",
    3: "there is too little room above what is below",
    4: "the surface below is too steep to stand on, or protected",
    5: "the plate ends there, or is kept free",
}
BLOCKED, TOO_NEAR, TOO_SHORT, TOO_STEEP, OFF_PLATE = 1, 2, 3, 4, 5
RINGS = 6


@dataclass(frozen=True, eq=False)
class Bars:
    """All bars of one support, as arrays.

    `centres` (n, 6, 3) and `radii` (n, 6) are the rings from the lower end to the tip's end: lower end, top of the
    foot, bend, end of the shaft, neck, tip's end; every ring is level. A straight bar's bend is on its line.
    `holds` (n, 3) is where each bar takes hold, `landings` (n,) ON_PLATE or ON_PART, `regions` (n,) the region each
    serves. `missed_holds` (k, 3), `missed_reasons` (k,) and `missed_regions` (k,) are hold points with no way;
    `bare_holds` (b, 3) those above the height limit.
    """

    sides: int
    centres: Floats
    radii: Floats
    holds: Floats
    landings: Bytes
    regions: Ints
    missed_holds: Floats
    missed_reasons: Bytes
    missed_regions: Ints
    bare_holds: Floats

    def __len__(self) -> int:
        return len(self.holds)

    @property
    def _polygon_share(self) -> float:
        """Area of a regular polygon over the square of its corner radius."""
        return float(self.sides / 2 * np.sin(2 * np.pi / self.sides))

    @cached_property
    def lengths_mm(self) -> Floats:
        """(n,): from lower end to tip's end along the middle line."""
        steps = np.diff(self.centres, axis=1)
        return frozen(np.linalg.norm(steps, axis=2).sum(axis=1))

    @cached_property
    def volumes_mm3(self) -> Floats:
        """(n,): exact for level rings: the frustum formula holds for sheared frustums too."""
        heights = np.diff(self.centres[:, :, 2], axis=1)
        lower, upper = self.radii[:, :-1], self.radii[:, 1:]
        sums = heights * (lower**2 + lower * upper + upper**2) / 3
        return frozen(self._polygon_share * sums.sum(axis=1))

    @cached_property
    def contact_areas_mm2(self) -> Floats:
        """(n,): area of the tip's end; for bars that stand on the part, the lower end as well."""
        tips = self.radii[:, -1] ** 2
        lower = np.where(self.landings == ON_PART, self.radii[:, 0] ** 2, 0)
        return frozen(self._polygon_share * (tips + lower))

    @property
    def volume_mm3(self) -> float:
        """Sum over the bars; overlaps count twice."""
        return float(self.volumes_mm3.sum())

    @cached_property
    def leans_deg(self) -> Floats:
        """(n,): how far each shaft leans from vertical above its bend, degrees; 0 for straight ones."""
        step = self.centres[:, 3] - self.centres[:, 2]
        return frozen(np.degrees(np.arctan2(np.hypot(step[:, 0], step[:, 1]), step[:, 2])))

    def shafts(self) -> tuple[Floats, Floats, Longs]:
        """The straight stretches of the shafts: lower and upper ends (k, 3), and the bar of each (k,).

        Two for each bar: from the foot's top to the bend, and from there to the tip.
        """
        lower = np.concatenate([self.centres[:, 1], self.centres[:, 2]])
        upper = np.concatenate([self.centres[:, 2], self.centres[:, 3]])
        return lower, upper, np.tile(np.arange(len(self)), 2)

    @property
    def contact_area_mm2(self) -> float:
        """Sum over the bars."""
        return float(self.contact_areas_mm2.sum())

    @property
    def longest_mm(self) -> float:
        """Length of the longest bar; 0 without bars."""
        return float(self.lengths_mm.max(initial=0.0))

    @cached_property
    def mesh(self) -> Mesh:
        """All bars as closed, outward solids side by side."""
        return _swept(self.centres, self.radii, self.sides)

    def bounds(self) -> Floats:
        """(2, 3): box round all bars; zeros without bars."""
        if not len(self):
            return np.zeros((2, 3))
        reach = self.radii[:, :, None] * np.array([1, 1, 0])
        return np.array([(self.centres - reach).min(axis=(0, 1)), (self.centres + reach).max(axis=(0, 1))])


def no_bars(sides: int = 8) -> Bars:
    """An empty set of bars."""
    points, numbers, marks = np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros(0, np.uint8)
    rings = np.zeros((0, RINGS, 3))
    return Bars(sides, rings, np.zeros((0, RINGS)), points, marks, numbers, points, marks, numbers, points)


def _swept(centres: Floats, radii: Floats, sides: int) -> Mesh:
    n, rings = radii.shape
    if n == 0:
        return Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    turn = 2 * np.pi * (np.arange(sides) + 0.5) / sides
    circle = np.stack([np.cos(turn), np.sin(turn), np.zeros(sides)], axis=1)
    vertices = centres[:, :, None, :] + radii[:, :, None, None] * circle
    template = _faces_of_one(rings, sides)
    faces = template[None] + (np.arange(n, dtype=np.int64) * rings * sides)[:, None, None]
    return Mesh(vertices.reshape(-1, 3), faces.reshape(-1, 3).astype(np.int32))


def _faces_of_one(rings: int, sides: int) -> Ints:
    """Side walls as pairs of triangles, both ends as fans; outward."""
    here = np.arange(sides)
    after = (here + 1) % sides
    walls = []
    for ring in range(rings - 1):
        low, high = ring * sides, (ring + 1) * sides
        walls.append(np.stack([low + here, low + after, high + after], axis=1))
        walls.append(np.stack([low + here, high + after, high + here], axis=1))
    fan = np.stack([np.zeros(sides - 2, np.int64), np.arange(1, sides - 1), np.arange(2, sides)], axis=1)
    top = fan + (rings - 1) * sides
    return np.concatenate([*walls, fan[:, ::-1], top]).astype(np.int32)

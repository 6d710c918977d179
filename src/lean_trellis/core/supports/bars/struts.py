"""Bars kept as struts: level rings, trunks, braces and shared feet, from which figures and solids are read."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Bytes, Floats, Ints, Longs, Rows, crossed, frozen
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.supports.bars.clearing import Stretches, stretches_of
from lean_trellis.core.supports.bars.ends.heads import Ends, level_rings
from lean_trellis.core.supports.bars.trees.trunks import Trunks
from lean_trellis.core.supports.common.footings import Footings
from lean_trellis.core.supports.common.solids import (
    polygon_share,
    prisms,
    ring_solids,
    ring_volumes,
    swept,
    swept_volumes,
)  # fmt: skip
from lean_trellis.core.supports.common.structure import Counted, Unkept

ON_PLATE, ON_PART, ON_TRUNK = 0, 1, 2
NO_WAY_WORDS = {
    1: "the part is in the way and landing on it is off",
    2: "too close to the part",
    3: "too little height above the surface below",
    4: "the surface below is too steep or protected",
    5: "outside the plate or in a keep-out zone",
    6: "too close to another bar",
}
BLOCKED, TOO_NEAR, TOO_SHORT, TOO_STEEP, OFF_PLATE, CROWDED = 1, 2, 3, 4, 5, 6
STRAIGHT, LEANT_OFF_PART, LEANT_OFF_BARS, LANDED, BY_HAND, LANDED_FOR_ROOM = 0, 1, 2, 3, 4, 5
"""Why a bar goes where it goes."""
RINGS = 7
LOWER_END, FOOT_TOP, SHAFT_START, BEND, SHAFT_END, NECK, TIP_END = range(RINGS)


def without_path(count: int) -> str:
    """So many support points have no clear path, in words."""
    return "1 support point has no clear path" if count == 1 else f"{count} support points have no clear path"


def leans_of(lower: Floats, upper: Floats) -> Floats:
    """(n,): degrees from vertical of the way from `lower` up to `upper`, both (n, 3)."""
    step = upper - lower
    result: Floats = np.degrees(np.arctan2(np.hypot(step[:, 0], step[:, 1]), step[:, 2]))
    return result


def _rings(count: int) -> Floats:
    return np.zeros((0, count, 3))


@dataclass(frozen=True, eq=False)
class Struts(Rows):
    """Straight struts: `starts`, `stops` (b, 3) of their middle lines, `radii` (b,).

    Of braces, `columns` (b, 2) are those they join: the bars are numbered first, then the trunks.
    """

    starts: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    stops: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    radii: Floats = field(default_factory=lambda: np.zeros(0))
    columns: Longs = field(default_factory=lambda: np.zeros((0, 2), np.int64))

    def __len__(self) -> int:
        return len(self.starts)

    @cached_property
    def lengths_mm(self) -> Floats:
        """(b,): from end to end."""
        return frozen(np.linalg.norm(self.stops - self.starts, axis=1))


@dataclass(frozen=True, eq=False)
class SharedFeet:
    """One foot under several bars each: `rings` (f, 4, k, 3), level and convex, from the plate up."""

    rings: Floats = field(default_factory=lambda: np.zeros((0, 4, 3, 3)))

    def __len__(self) -> int:
        return len(self.rings)

    @cached_property
    def mesh(self) -> Mesh:
        """The feet as closed, outward solids side by side."""
        return ring_solids(self.rings)

    @cached_property
    def volumes_mm3(self) -> Floats:
        """(f,): of the solids, from their faces."""
        corners = self.mesh.corners
        spans = np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])) / 6
        return frozen(spans.reshape(len(self), -1).sum(axis=1) if len(self) else np.zeros(0))


@dataclass(frozen=True, eq=False)
class Missed:
    """Support points without a bar: those with no way with why and which region, and those above the height limit."""

    holds: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    reasons: Bytes = field(default_factory=lambda: np.zeros(0, np.uint8))
    regions: Ints = field(default_factory=lambda: np.zeros(0, np.int32))
    above_limit: Floats = field(default_factory=lambda: np.zeros((0, 3)))

    @property
    def is_empty(self) -> bool:
        """Whether every support point has its bar."""
        return not len(self.holds) and not len(self.above_limit)


@dataclass(frozen=True, eq=False)
class Bars:
    """All bars of one support, as arrays.

    `centres` (n, 7, 3) and `radii` (n, 7) are the rings from the lower end to the tip's end: lower end, top of the
    foot, start of the shaft, bend, end of the shaft, neck, tip's end. Every ring is level but those of its heads, which
    follow the part as `ends` tell; without these the ends are level, too. A straight bar's bend is on its line.
    `holds` (n, 3) is where each bar touches the part, `landings` (n,) ON_PLATE, ON_PART or ON_TRUNK, `regions` (n,) the
    region each serves, -1 for none. `whys` (n,) tell why each goes where it goes, `further` (n,) how much longer the
    shortest way to the plate is that was seen, mm, infinite where none was. `missed` are support points without a bar.
    `trunk` (n,) is the trunk a bar stands on, -1 for none; `by_hand` (n,) the number of the bar by hand it is, -1 where
    it was generated. `ties` are
    bars between two points of the part.
    """

    sides: int
    centres: Floats
    radii: Floats
    holds: Floats
    landings: Bytes
    regions: Ints
    ends: Ends | None = None
    whys: Bytes = field(default_factory=lambda: np.zeros(0, np.uint8))
    further: Floats = field(default_factory=lambda: np.zeros(0))
    trunk: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    by_hand: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    missed: Missed = field(default_factory=Missed)
    trunks: Trunks = field(default_factory=Trunks)
    braces: Struts = field(default_factory=Struts)
    feet: SharedFeet = field(default_factory=SharedFeet)
    ties: Struts = field(default_factory=Struts)
    unkept: Unkept = field(default_factory=Unkept)

    def __len__(self) -> int:
        return len(self.holds)

    def __getstate__(self) -> dict[str, Any]:
        """What is kept, without what was made from it: meshes are made again where they are wanted."""
        return {entry.name: getattr(self, entry.name) for entry in fields(self)}

    @property
    def counted(self) -> Counted:
        """The bars themselves."""
        return Counted(len(self), "bar", "bars")

    @property
    def contacts(self) -> Floats:
        """(n, 3): one a bar."""
        return self.holds

    @property
    def hold_radii(self) -> Floats:
        """(n,): of the heads of tips, which hold all that lies over them."""
        result: Floats = self.radii[:, TIP_END]
        return result

    @cached_property
    def served(self) -> frozenset[int]:
        """The regions that bars touch, or would, if other bars did not stand there."""
        crowded = self.missed.regions[self.missed.reasons == CROWDED]
        return frozenset(np.unique(np.concatenate([self.regions, crowded])).tolist())

    @property
    def lost_by_hand(self) -> tuple[str, ...]:
        """Why each manual edit that found no place was not kept."""
        return tuple(self.unkept.reasons)

    @property
    def derived_values(self) -> dict[str, float]:
        """None of its values follows from others as they are generated."""
        return {}

    def footings(self) -> Footings:
        """The lower ends of bars and trunks that stand on the plate or a part; their ways lead to where they stand."""
        stand, low = self.landings != ON_TRUNK, self.trunks.below < 0
        places = np.concatenate([self.centres[stand, LOWER_END], self.trunks.centres[low, LOWER_END]])
        on_plate = np.append(self.landings[stand], self.trunks.landings[low]) == ON_PLATE
        places[on_plate, 2] = 0.0  # their own lower ends may lie within a shared foot
        return Footings(places, np.arange(len(places)), is_sure=True)

    def touches(self) -> tuple[Floats, Floats]:
        """Places (k, 3) where tips and lower ends meet a part, and their radii (k,)."""
        lands, stems = self.landings == ON_PART, self.trunks.landings == ON_PART
        places = [self.holds, self.centres[lands, LOWER_END], self.trunks.centres[stems, LOWER_END]]
        radii = [self.radii[:, TIP_END], self.radii[lands, LOWER_END], self.trunks.radii[stems, LOWER_END]]
        return np.concatenate(places), np.concatenate(radii)

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to build: no bar and no tie."""
        return not len(self) and not len(self.ties)

    @cached_property
    def lengths_mm(self) -> Floats:
        """(n,): from lower end to tip's end along the middle line."""
        steps = np.diff(self.centres, axis=1)
        return frozen(np.linalg.norm(steps, axis=2).sum(axis=1))

    @cached_property
    def volumes_mm3(self) -> Floats:
        """(n,): exact: the frustum formula holds for sheared frustums too, both ends by their faces; nothing shared."""
        if self.ends is None:
            return frozen(swept_volumes(self.centres, self.radii, self.sides))
        level = slice(FOOT_TOP, SHAFT_END + 1)
        upper, lower = self._end_rings
        return frozen(
            swept_volumes(self.centres[:, level], self.radii[:, level], self.sides)
            + ring_volumes(*upper) + ring_volumes(*lower)
        )  # fmt: skip

    @cached_property
    def contact_areas_mm2(self) -> Floats:
        """(n,): area of the tip's end; for bars that stand on the part, the lower end as well."""
        tips = self.radii[:, TIP_END] ** 2
        lower = np.where(self.landings == ON_PART, self.radii[:, LOWER_END] ** 2, 0)
        return frozen(polygon_share(self.sides) * (tips + lower))

    @cached_property
    def volume_mm3(self) -> float:
        """Sum over bars, trunks, braces, shared feet and ties; overlaps count twice."""
        trunks = self.trunks.volumes_mm3(self.sides).sum()
        straight = sum(
            polygon_share(self.sides) * float((struts.lengths_mm * struts.radii**2).sum())
            for struts in (self.braces, self.ties)
        )
        return float(self.volumes_mm3.sum() + trunks + straight + self.feet.volumes_mm3.sum())

    @cached_property
    def length_mm(self) -> float:
        """Of bars, trunks, braces and ties along their middle lines."""
        trunks = np.linalg.norm(np.diff(self.trunks.centres, axis=1), axis=2).sum()
        straight = sum(float(struts.lengths_mm.sum()) for struts in (self.braces, self.ties))
        return float(self.lengths_mm.sum() + trunks + straight)

    @cached_property
    def leans_deg(self) -> Floats:
        """(n,): how far each shaft leans from vertical above its bend, degrees; 0 for straight ones."""
        return frozen(leans_of(self.centres[:, BEND], self.centres[:, SHAFT_END]))

    @property
    def on_part(self) -> int:
        """How many bars stand on a part."""
        return int((self.landings == ON_PART).sum())

    def shafts(self) -> tuple[Floats, Floats, Longs]:
        """The straight stretches of the bars' own shafts: lower and upper ends (k, 3), and the bar of each (k,).

        Two for each bar: from the foot to the bend, and from there to the tip.
        """
        lower = np.concatenate([self.centres[:, SHAFT_START], self.centres[:, BEND]])
        upper = np.concatenate([self.centres[:, BEND], self.centres[:, SHAFT_END]])
        return lower, upper, np.tile(np.arange(len(self)), 2)

    def members(self) -> tuple[Floats, Floats, Floats]:
        """Every straight strut besides the bars' own shafts: trunks and braces as ends (k, 3) and radii (k,)."""
        trunks, braces = self.trunks, self.braces
        starts = [trunks.centres[:, 2], trunks.centres[:, 3], braces.starts]
        stops = [trunks.centres[:, 3], trunks.centres[:, 4], braces.stops]
        radii = [trunks.radii[:, 2], trunks.radii[:, 3], braces.radii]
        return np.concatenate(starts), np.concatenate(stops), np.concatenate(radii)

    def stretches(self, number: int | None = None) -> Stretches:
        """All that others keep clear of: tips and shafts with the numbers of their bars, trunks after them, braces.

        Braces have the number -1, as all have where -1 is passed.
        """
        centres, radii, trunks = self.centres, self.radii, self.trunks
        count, stems = len(self), len(trunks)
        own = stretches_of(
            centres[:, NECK], centres[:, SHAFT_END], centres[:, BEND], centres[:, SHAFT_START], radii[:, TIP_END],
            radii[:, SHAFT_START], np.arange(count),
        )  # fmt: skip
        starts, stops, sizes = self.members()
        owners = np.concatenate([np.tile(count + np.arange(stems), 2), np.full(len(self.braces), -1)])
        every = Stretches.joined([own, Stretches(starts, stops, sizes, owners, np.zeros(len(sizes), bool))])
        return every if number is None else replace(every, owners=np.full(len(every), number))

    @property
    def contact_area_mm2(self) -> float:
        """Sum over the bars, and trunks that stand on the part."""
        stems = self.trunks.radii[self.trunks.landings == ON_PART, LOWER_END]
        return float(self.contact_areas_mm2.sum() + polygon_share(self.sides) * (stems**2).sum())

    @property
    def longest_mm(self) -> float:
        """Length of the longest bar; 0 without bars."""
        return float(self.lengths_mm.max(initial=0.0))

    @cached_property
    def mesh(self) -> Mesh:
        """All bars, trunks, braces and shared feet as closed, outward solids side by side."""
        return join([self.bar_mesh, self.shared_mesh])

    @cached_property
    def bar_mesh(self) -> Mesh:
        """The bars alone, one closed solid each, in order."""
        if self.ends is None:
            return swept(self.centres, self.radii, self.sides)
        shaft = slice(SHAFT_START, SHAFT_END)
        between = level_rings(self.centres[:, shaft], self.radii[:, shaft], self.ends.grid.circle)
        (upper, tops), (lower, bottoms) = self._end_rings
        middles = np.stack([bottoms[:, 0], tops[:, 1]], axis=1)
        return ring_solids(np.concatenate([lower, between, upper], axis=1), middles)

    @property
    def _end_rings(self) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:
        """Rings (n, r, k, 3) of both ends and the middles (n, 2, 3) of their caps: from the shaft up, then the foot."""
        assert self.ends is not None
        grid = self.ends.grid
        base, foot = (level_rings(self.centres[:, [ring]], self.radii[:, [ring]], grid.circle)
                      for ring in (SHAFT_END, FOOT_TOP))  # fmt: skip
        high, top = self.ends.upper.rings(self.centres[:, TIP_END, :2], self.radii[:, TIP_END], grid)
        low, bottom = self.ends.lower.rings(self.centres[:, LOWER_END, :2], self.radii[:, LOWER_END], grid)
        neck = self.ends.upper.neck_rings(self.centres[:, NECK, :2], self.radii[:, NECK], grid)
        return (
            np.concatenate([base, neck, high], axis=1), np.stack([self.centres[:, SHAFT_END], top], axis=1)
        ), (
            np.concatenate([low[:, ::-1], foot], axis=1), np.stack([bottom, self.centres[:, FOOT_TOP]], axis=1)
        )  # fmt: skip

    @cached_property
    def shared_mesh(self) -> Mesh:
        """Trunks, braces, ties and shared feet as closed solids side by side."""
        braces, ties = self.braces, self.ties
        return join([
            self.trunks.mesh(self.sides),
            prisms(braces.starts, braces.stops, braces.radii, self.sides),
            prisms(ties.starts, ties.stops, ties.radii, self.sides),
            self.feet.mesh,
        ])  # fmt: skip

    def beams(self) -> tuple[Floats, Floats]:
        """Everything but shared feet as beams: ends (k, 2, 3) and radii at the ends (k, 2)."""
        ends, radii = [], []
        for centres, sizes in (self._beam_lines(), (self.trunks.beam_lines(), self.trunks.radii)):
            ends.append(np.stack([centres[:, :-1], centres[:, 1:]], axis=2).reshape(-1, 2, 3))
            radii.append(np.stack([sizes[:, :-1], sizes[:, 1:]], axis=2).reshape(-1, 2))
        for struts in (self.braces, self.ties):
            ends.append(np.stack([struts.starts, struts.stops], axis=1))
            radii.append(np.column_stack([struts.radii, struts.radii]))
        return np.concatenate(ends), np.concatenate(radii)

    def _beam_lines(self) -> tuple[Floats, Floats]:
        """Middle lines of the bars that end a radius short of where their heads do: readers close beams with balls."""
        centres, radii = self.centres[:, :TIP_END].copy(), self.radii[:, :TIP_END]
        steep = np.ones((2, len(self)))
        if self.ends is not None:
            steep = np.stack([np.sqrt(1 + heads.slopes() ** 2) for heads in (self.ends.lower, self.ends.upper)])
        centres[:, NECK] = self.centres[:, TIP_END]
        room = 0.9 * (centres[:, NECK, 2] - centres[:, SHAFT_END, 2])
        centres[:, NECK, 2] -= np.minimum(steep[1] * radii[:, NECK], room)
        lands = self.landings == ON_PART
        room = 0.9 * (centres[:, FOOT_TOP, 2] - centres[:, LOWER_END, 2])
        centres[:, LOWER_END, 2] += np.where(lands, np.minimum(steep[0] * radii[:, LOWER_END], room), 0.0)
        return centres, radii

    def bounds(self) -> Floats:
        """(2, 3): box round everything; zeros without bars."""
        return np.zeros((2, 3)) if self.is_empty else self.mesh.bounds


def no_bars(sides: int = 8) -> Bars:
    """An empty set of bars."""
    points, numbers, marks = np.zeros((0, 3)), np.zeros(0, np.int32), np.zeros(0, np.uint8)
    return Bars(sides, _rings(RINGS), np.zeros((0, RINGS)), points, marks, numbers)

"""Walls kept as panels: a path in plan, and upright slabs between places along it, from which all else is read.

A slab is a trapezoid in (along, height): material between two neighbouring columns of a wall, from a low edge to a high
one. Openings, tabs and cuts are what slabs leave out, so a panel's area is exactly the sum of its slabs'.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from functools import cached_property
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats, Ints, Longs, Rows, counted_out, distinct_pairs, frozen
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.footings import Footings
from lean_trellis.core.supports.common.structure import Counted, Unkept

SAME_MM = 1e-6
"""Heights nearer than this on one column are one place."""


@dataclass(frozen=True, eq=False)
class Columns:
    """Places along all walls, one after the other: `places` (c, 2) in plan, `across` (c, 2) from there to the side.

    Half the thickness times `across` leads to the side on the right of the path, mitred at bends. `tilts` (c, 2) is how
    much higher tabs end at the right and at the left side than in the middle; `low_tilts` (c, 2) the same of those
    below. `lifts` (c,) is how far tabs end beyond the surface, `low_lifts` (c,) how much higher than the one below.
    """

    places: Floats
    across: Floats
    tilts: Floats
    low_tilts: Floats
    lifts: Floats
    low_lifts: Floats

    def __len__(self) -> int:
        return len(self.places)


@dataclass(frozen=True, eq=False)
class Slabs(Rows):
    """Trapezoids between columns `left` and `right` (k,), with heights `low`, `high` (k, 2) at these.

    `walls` (k,) are the walls that they belong to. `bites` (k,) and `low_bites` (k,) mark those whose high, or low,
    edge meets a part.
    """

    left: Longs
    right: Longs
    low: Floats
    high: Floats
    walls: Longs
    bites: np.ndarray
    low_bites: np.ndarray

    def __len__(self) -> int:
        return len(self.left)


@dataclass(frozen=True, eq=False)
class Tabs(Rows):
    """Where walls touch the part: `places` (t, 3) their middles on the surface, `widths` (t,) along it, `regions`."""

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    widths: Floats = field(default_factory=lambda: np.zeros(0))
    regions: Ints = field(default_factory=lambda: np.zeros(0, np.int32))
    ends: Floats = field(default_factory=lambda: np.zeros((0, 2, 3)))
    """(t, 2, 3): where each begins and ends."""

    def __len__(self) -> int:
        return len(self.places)


@dataclass(frozen=True, eq=False)
class LeftOut:
    """Stretches of wall that could not be built, with their middles (n, 3), lengths (n,) and reasons."""

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    lengths_mm: Floats = field(default_factory=lambda: np.zeros(0))
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Panels:
    """All walls of one support.

    `thickness` 0 means sheets of one scan line, `line_mm` wide. `pieces` (k,) is the piece that each slab comes off
    with. `tabs` meet the part above, `low_tabs` the part below.
    """

    columns: Columns
    slabs: Slabs
    pieces: Longs
    thickness: float
    line_mm: float
    tabs: Tabs = field(default_factory=Tabs)
    low_tabs: Tabs = field(default_factory=Tabs)
    left_out: LeftOut = field(default_factory=LeftOut)
    unkept: Unkept = field(default_factory=Unkept)
    open_mm2: float = 0.0
    """Area of all openings."""

    def __getstate__(self) -> dict[str, Any]:
        """What is kept, without what was made from it."""
        return {entry.name: getattr(self, entry.name) for entry in fields(self)}

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to build."""
        return not len(self.slabs)

    @property
    def counted(self) -> Counted:
        """The walls."""
        return Counted(len(np.unique(self.slabs.walls)), "wall", "walls")

    @property
    def piece_count(self) -> int:
        """How many pieces come off."""
        return len(np.unique(self.pieces))

    @cached_property
    def lengths_mm(self) -> Floats:
        """(k,): of each slab along its wall."""
        steps = self.columns.places[self.slabs.right] - self.columns.places[self.slabs.left]
        return frozen(np.hypot(steps[:, 0], steps[:, 1]))

    @cached_property
    def middles(self) -> Floats:
        """(k, 2): the middle of each slab in plan."""
        return frozen((self.columns.places[self.slabs.left] + self.columns.places[self.slabs.right]) / 2)

    @cached_property
    def length_mm(self) -> float:
        """Of all walls in plan."""
        return float(self.lengths_mm[distinct_pairs(self.slabs.left, self.slabs.right)].sum())

    @cached_property
    def areas_mm2(self) -> Floats:
        """(k,): of each slab."""
        return frozen(self.lengths_mm * (self.slabs.high - self.slabs.low).mean(axis=1))

    @property
    def area_mm2(self) -> float:
        """Of all panels, openings and gaps left out."""
        return float(self.areas_mm2.sum())

    @property
    def built_thickness(self) -> float:
        """The thickness, of sheets the width of their scan line."""
        return self.thickness or self.line_mm

    @property
    def volume_mm3(self) -> float:
        """Area times thickness, of sheets times the width of their scan line; crossings count twice."""
        return self.area_mm2 * self.built_thickness

    @property
    def contact_area_mm2(self) -> float:
        """Widths of all tabs times the thickness, above and below."""
        return float((self.tabs.widths.sum() + self.low_tabs.widths.sum()) * self.built_thickness)

    @property
    def contacts(self) -> Floats:
        """(t, 3): one a tab."""
        return self.tabs.places

    @cached_property
    def holds(self) -> Floats:
        """(n, 3): ends, middles and places between, so that no place of a tab is far from one."""
        return frozen(_along_tabs(self.tabs))

    @property
    def hold_radii(self) -> Floats:
        """(n,): 0, as its places are close together."""
        return np.zeros(len(self.holds))

    @cached_property
    def served(self) -> frozenset[int]:
        """The regions that tabs touch."""
        return frozenset(np.unique(self.tabs.regions).tolist())

    @property
    def lost_by_hand(self) -> tuple[str, ...]:
        """Why each manual edit that found no place was not kept."""
        return tuple(self.unkept.reasons)

    @property
    def derived_values(self) -> dict[str, float]:
        """None of its values follows from others as they are generated."""
        return {}

    def footings(self) -> Footings:
        """Below each slab that is the lowest of its piece between two columns, the middle of its lower edge."""
        slabs = self.slabs
        low = slabs.low.mean(axis=1)
        order = np.lexsort((low, slabs.left, self.pieces))
        pieces, left = self.pieces[order], slabs.left[order]
        first = np.ones(len(order), bool)
        first[1:] = (pieces[1:] != pieces[:-1]) | (left[1:] != left[:-1])
        chosen = order[first]
        _, numbers = np.unique(self.pieces[chosen], return_inverse=True)
        return Footings(np.column_stack([self.middles[chosen], low[chosen]]), numbers)

    def touches(self) -> tuple[Floats, Floats]:
        """Places along all tabs, and half the thickness there."""
        places = np.concatenate([_along_tabs(self.tabs), _along_tabs(self.low_tabs)])
        return places, np.full(len(places), self.built_thickness / 2)

    @cached_property
    def piece_sizes_mm(self) -> Floats:
        """(p,): the greatest extent in plan of each piece, in any direction, its thickness included."""
        if not len(self.slabs):
            return np.zeros(0)
        order = np.argsort(self.pieces, kind="stable")
        begins = np.flatnonzero(np.append(True, np.diff(self.pieces[order]) != 0))
        turned = np.array([np.cos(_TURNS), np.sin(_TURNS)])
        left, right = (self.columns.places[ends[order]] @ turned for ends in (self.slabs.left, self.slabs.right))
        high = np.maximum.reduceat(np.maximum(left, right), begins)
        low = np.minimum.reduceat(np.minimum(left, right), begins)
        return frozen((high - low).max(axis=1) + self.thickness)

    @cached_property
    def _faces(self) -> _Faces:
        return _build(self.columns, self.slabs, self.thickness)

    @property
    def mesh(self) -> Mesh:
        """Closed solids, or sheets where the thickness is 0."""
        return self._faces.mesh

    @cached_property
    def sheets(self) -> tuple[Mesh, Longs]:
        """The walls as sheets in their middle, whatever their thickness; and the slab of each face."""
        faces = self._faces if self.thickness == 0 else _build(self.columns, self.slabs, 0.0)
        return faces.mesh, faces.slab_of_face

    def wall_frames(self) -> Floats:
        """(4 w, 2, 3): each wall as the four sides of the upright rectangle between its ends, quick to draw."""
        slabs, places = self.slabs, self.columns.places
        _, first = np.unique(slabs.walls, return_index=True)
        last = np.append(first[1:], len(slabs)) - 1
        ends = np.stack([places[slabs.left[first]], places[slabs.right[last]]], axis=1)
        low = np.minimum.reduceat(slabs.low.min(axis=1), first) if len(first) else np.zeros(0)
        high = np.maximum.reduceat(slabs.high.max(axis=1), first) if len(first) else np.zeros(0)
        a, b, c, d = (
            np.column_stack([ends[:, end], level]) for end, level in ((0, low), (1, low), (1, high), (0, high))
        )
        return np.concatenate([np.stack(pair, axis=1) for pair in ((a, b), (b, c), (c, d), (d, a))])

    @property
    def solid_mesh(self) -> Mesh:
        """Closed solids in either case: sheets as thick as their scan line."""
        return self.mesh if self.thickness else _build(self.columns, self.slabs, self.line_mm).mesh

    @property
    def element_of_face(self) -> Longs:
        """(m,): the wall of each face."""
        return self.slabs.walls[self._faces.slab_of_face]

    @property
    def piece_of_face(self) -> Longs:
        """(m,): the piece of each face."""
        return self.pieces[self._faces.slab_of_face]


def _nothing() -> Panels:
    none, pairs, numbers, marks = np.zeros(0), np.zeros((0, 2)), np.zeros(0, np.int64), np.zeros(0, bool)
    columns = Columns(pairs, pairs, pairs, pairs, none, none)
    return Panels(columns, Slabs(numbers, numbers, pairs, pairs, numbers, marks, marks), numbers, 0.0, 0.1)


NO_PANELS = _nothing()
_HOLD_STEP_MM = 0.25


def _along_tabs(tabs: Tabs) -> Floats:
    """Places along each tab, a quarter of a millimetre apart or nearer."""
    counts = 1 + np.maximum(1, np.ceil(tabs.widths / _HOLD_STEP_MM)).astype(np.int64)
    which, within = counted_out(counts)
    share = (within / (counts[which] - 1))[:, None]
    result: Floats = tabs.ends[which, 0] * (1 - share) + tabs.ends[which, 1] * share
    return result


_TURNS = np.linspace(0, np.pi, 37)[:-1]


@dataclass(frozen=True, eq=False)
class _Faces:
    mesh: Mesh
    slab_of_face: Longs


def _build(columns: Columns, slabs: Slabs, thickness: float) -> _Faces:
    """Triangles of all slabs, conforming along columns; with a thickness on both sides and round the rim."""
    flat = _flat(slabs)
    places = columns.places[flat.columns]
    if thickness == 0:
        vertices = np.column_stack([places, flat.heights])
        return _Faces(Mesh(vertices, flat.faces.astype(np.int32)), flat.owners)
    aside = columns.across[flat.columns] * (thickness / 2)
    tilts = np.zeros((len(places), 2))
    for some, by in ((flat.is_top, columns.tilts), (flat.is_bottom, columns.low_tilts)):
        tilts[some] = by[flat.columns[some]]
    right = np.column_stack([places + aside, flat.heights + tilts[:, 0]])
    left = np.column_stack([places - aside, flat.heights + tilts[:, 1]])
    count = len(places)
    begins, ends, owners = _rim(flat, count)
    sides = np.concatenate(
        [
            np.column_stack([ends, begins, begins + count]),
            np.column_stack([ends, begins + count, ends + count]),
        ]
    )
    faces = np.concatenate([flat.faces, flat.faces[:, ::-1] + count, sides])
    slab_of_face = np.concatenate([flat.owners, flat.owners, owners, owners])
    return _Faces(Mesh(np.concatenate([right, left]), faces.astype(np.int32)), slab_of_face)


@dataclass(frozen=True, eq=False)
class _FlatPanels:
    """The panels in (along, height): vertices by column and height, triangles, and the slab of each triangle."""

    columns: Longs
    heights: Floats
    is_top: np.ndarray
    is_bottom: np.ndarray
    faces: Longs
    owners: Longs


def _flat(slabs: Slabs) -> _FlatPanels:
    """Every height at which something begins or ends on a column is a vertex of all slabs that pass it there."""
    count = len(slabs)
    at = np.concatenate([slabs.left, slabs.right, slabs.left, slabs.right])
    heights = np.concatenate([slabs.low[:, 0], slabs.low[:, 1], slabs.high[:, 0], slabs.high[:, 1]])
    steps = np.round(heights / SAME_MM).astype(np.int64)
    order = np.lexsort((steps, at))
    fresh = np.append(True, (np.diff(at[order]) != 0) | (np.diff(steps[order]) != 0))[: len(order)]
    numbers = np.empty(len(order), np.int64)
    numbers[order] = np.cumsum(fresh) - 1
    first = order[fresh]
    a0, b0, a1, b1 = numbers.reshape(4, count)
    is_top, is_bottom = (np.zeros(len(first), bool) for _ in range(2))
    is_top[np.concatenate([a1[slabs.bites], b1[slabs.bites]])] = True
    is_bottom[np.concatenate([a0[slabs.low_bites], b0[slabs.low_bites]])] = True
    right_owner, right_step = counted_out(b1 - b0)
    left_owner, left_step = counted_out(a1 - a0)
    upward = b0[right_owner] + right_step
    downward = a0[left_owner] + left_step
    faces = np.concatenate(
        [
            np.column_stack([a0[right_owner], upward, upward + 1]),
            np.column_stack([b1[left_owner], downward + 1, downward]),
        ]
    )
    return _FlatPanels(at[first], heights[first], is_top, is_bottom, faces, np.concatenate([right_owner, left_owner]))


def _rim(flat: _FlatPanels, count: int) -> tuple[Longs, Longs, Longs]:
    """Directed edges of only one triangle: begins, ends and the slab of each."""
    begins = flat.faces.reshape(-1)
    ends = flat.faces[:, [1, 2, 0]].reshape(-1)
    # An edge inside is passed once each way: sorted by its lower end, then its upper one, both stand side by side.
    low, high = np.minimum(begins, ends), np.maximum(begins, ends)
    keys = low * count + high
    order = np.argsort(keys, kind="stable")
    same = keys[order][1:] == keys[order][:-1]
    paired = np.zeros(len(keys), bool)
    paired[order[1:][same]] = True
    paired[order[:-1][same]] = True
    return begins[~paired], ends[~paired], np.repeat(flat.owners, 3)[~paired]

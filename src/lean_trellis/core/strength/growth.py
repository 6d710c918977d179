"""A part as it grows: its layers, which of them hang together so far, and what holds each of these bodies.

Up to 72 layers are looked at. A layer's pieces belong to the bodies that they lie on; bodies that meet become one, with
all contacts of both.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import shapely
from manifold3d import CrossSection, FillRule

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.cuts import pieces_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.slices import sliced
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.strength.corners import has_corner

_MOST_LEVELS = 72
_LEAST_STEP_MM = 0.25
_Layer = tuple[float, float, float, float, float]


@dataclass(frozen=True, eq=False)
class GrownBody:
    """One body of what is built so far, with the layer at a `level` on top. Lengths mm, in the frame of the layers.

    Of that layer: `area` mm², `middle` (3,), the second `moments` (3,) of its area about that, mm⁴ (Σx², Σy², Σxy), and
    the corners `hull` (k, 2) round it. Of the body: the numbers of its `holds` (h,), its `volume` mm³, `heavy` (3,) its
    centre of mass, and the `stem` (s, 5) of layers below: level, second moments and area.
    """

    level: float
    step: float
    area: float
    middle: Floats
    moments: Floats
    hull: Floats
    holds: Longs
    volume: float
    heavy: Floats
    stem: Floats
    has_holes: bool = False
    """Whether a piece of the layer goes round a hole."""

    @cached_property
    def has_corner(self) -> bool:
        """Whether the outline round the layer turns sharply anywhere."""
        return has_corner(self.hull)


@dataclass
class _Body:
    """What hangs together up to a height."""

    holds: list[int] = field(default_factory=list)
    volume: float = 0.0
    first: Floats = field(default_factory=lambda: np.zeros(3))
    """Volume times place, summed."""
    stem: list[_Layer] = field(default_factory=list)


def stages(placed: Mesh, holds: Floats, watch: Watch = UNWATCHED) -> Iterator[GrownBody]:
    """Every body at every level, from the lowest up, with the contacts (n, 3) that hold it by then.

    A mesh that bounds no solid is one stage: its shadow, held by all there is.
    """
    low, high = placed.bounds[:, 2]
    count = int(np.clip((high - low) / _LEAST_STEP_MM, 4, _MOST_LEVELS))
    step = float(high - low) / count
    levels = low + (np.arange(count) + 0.5) * step
    layers = _layers(placed, levels, watch)
    if layers is None:
        whole = _as_one(placed, len(holds))
        if len(whole.hull):  # a sheet that only looks up has no shadow from below
            yield whole
        return
    sums = _sums_of([piece for pieces in layers for piece in pieces])
    order = np.argsort(holds[:, 2], kind="stable")
    upto = np.searchsorted(holds[order, 2], levels + step / 2, side="right")
    first, passed, rising = 0, 0, _Rising(step)
    for level, pieces, last in zip(levels.tolist(), layers, upto.tolist(), strict=True):
        if pieces:
            rising.rise(pieces, sums[passed : passed + len(pieces)], holds, order[first:last])
            first, passed = last, passed + len(pieces)
            yield from rising.bodies(level)


def _layers(placed: Mesh, levels: Floats, watch: Watch) -> list[list[shapely.Polygon]] | None:
    """The pieces of the solid at each level; None where it bounds none. What overlaps counts once."""
    topology = build_topology(placed)
    if topology.is_watertight and not len(topology.misoriented_edges):
        cuts = sliced(topology, levels, watch=watch)
        areas = np.split(cuts.ring_areas, cuts.first_ways[1:-1])
        return [_filled(cuts.rings(number), areas[number]) for number in range(len(levels))]
    try:
        solid = to_manifold(placed)
    except EditError:
        return None
    layers = []
    for number, level in enumerate(levels.tolist()):
        watch.at(number / len(levels), "weighing layers")
        layers.append(_pieces(solid.slice(level)))
    return layers


def _filled(rings: list[Floats], areas: Floats) -> list[shapely.Polygon]:
    """What rings (k, 2) go round, whose `areas` (r,) are negative for holes.

    Only rings of which several are outer ones, or which cross, need to be united.
    """
    shells = np.flatnonzero(areas > 0)
    if len(shells) == 1:
        one = shapely.Polygon(rings[shells[0]], [ring for number, ring in enumerate(rings) if number != shells[0]])
        if one.is_valid:
            return [one]
    return _pieces(CrossSection(rings, FillRule.Positive))


def _pieces(cut: CrossSection) -> list[shapely.Polygon]:
    return [piece for part in cut.decompose() for piece in pieces_of(part.to_polygons())]


class _Rising:
    """Pieces of the current layer and the bodies that they belong to."""

    def __init__(self, step: float) -> None:
        self._step = step
        self._pieces: list[shapely.Polygon] = []
        self._sums = np.zeros((0, 6))
        self._bodies: list[_Body] = []

    def rise(self, pieces: list[shapely.Polygon], sums: Floats, holds: Floats, fresh: Longs) -> None:
        """The next layer: its pieces belong to the bodies they lie on; fresh holds to the nearest piece."""
        bodies = [_Body() for _ in pieces]
        if self._pieces:
            upper, lower = shapely.STRtree(self._pieces).query(pieces, predicate="intersects")
            for new, old in zip(upper.tolist(), lower.tolist(), strict=True):
                _merge(bodies, new, self._bodies, old)
        if len(pieces) == 1:
            bodies[0].holds.extend(fresh.tolist())
        elif len(fresh):
            nearest = shapely.STRtree(pieces).query_nearest(shapely.points(holds[fresh, :2]), all_matches=False)
            for hold, piece in zip(fresh[nearest[0]].tolist(), nearest[1].tolist(), strict=True):
                bodies[piece].holds.append(hold)
        self._pieces, self._sums, self._bodies = pieces, sums, bodies

    def bodies(self, level: float) -> Iterator[GrownBody]:
        """Every body with its pieces of the layer."""
        for body in {id(body): body for body in self._bodies}.values():
            which = [number for number, owner in enumerate(self._bodies) if owner is body]
            mine = [self._pieces[number] for number in which]
            area, middle, moments = _about_middle(self._sums[which].sum(axis=0))
            at = np.array([*middle, level])
            body.volume += area * self._step
            body.first += area * self._step * at
            body.stem.append((level, *moments, area))
            hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipolygons(mine)))
            yield GrownBody(
                level, self._step, area, at, np.array(moments), hull, np.array(body.holds, np.int64), body.volume,
                body.first / body.volume, np.array(body.stem), any(len(piece.interiors) for piece in mine),
            )  # fmt: skip


def _merge(bodies: list[_Body], new: int, below: list[_Body], old: int) -> None:
    """The new piece joins the body of the old one; two bodies that it joins become one everywhere."""
    mine, theirs = bodies[new], below[old]
    if mine is theirs:
        return
    theirs.holds.extend(mine.holds)
    theirs.volume += mine.volume
    theirs.first = theirs.first + mine.first
    theirs.stem = _both(theirs.stem, mine.stem)
    for some in (bodies, below):
        for place, body in enumerate(some):
            if body is mine:
                some[place] = theirs


def _both(one: list[_Layer], other: list[_Layer]) -> list[_Layer]:
    """The layers below two bodies that meet: side by side, each bends for itself."""
    entries = {entry[0]: entry for entry in one}
    for level, xx, yy, xy, area in other:
        mine = entries.get(level, (level, 0.0, 0.0, 0.0, 0.0))
        entries[level] = (level, mine[1] + xx, mine[2] + yy, mine[3] + xy, mine[4] + area)
    return [entries[level] for level in sorted(entries)]


def area_moments(pieces: list[shapely.Polygon]) -> tuple[float, Floats, tuple[float, float, float]]:
    """Area mm² and middle (2,) of polygons, and Σx², Σy², Σxy over their area about that middle, mm⁴."""
    return _about_middle(_sums_of(pieces).sum(axis=0))


def _about_middle(sums: Floats) -> tuple[float, Floats, tuple[float, float, float]]:
    total, first, second = float(sums[0]), sums[1:3], sums[3:]
    middle = first / max(total, 1e-12)
    x, y = middle
    xx, yy, xy = (second - total * np.array([x * x, y * y, x * y])).tolist()
    return total, middle, (xx, yy, xy)


def _sums_of(pieces: list[shapely.Polygon]) -> Floats:
    """(n, 6): of each polygon its area, Σ (x, y) and Σ (x², y², xy) over it.

    Green's theorem over every ring (Steger 1996); outer rings come first, what holes go round is taken away.
    """
    rings, piece_of_ring = shapely.get_rings(pieces, return_index=True)
    at, ring_of = shapely.get_coordinates(rings, return_index=True)
    if not len(at):
        return np.zeros((len(pieces), 6))
    going = np.flatnonzero(ring_of[:-1] == ring_of[1:])
    (x, y), (u, v), ring_of = at[going].T, at[going + 1].T, ring_of[going]
    twice = x * v - u * y
    each = np.stack([
        twice / 2, (x + u) * twice / 6, (y + v) * twice / 6, (x * x + x * u + u * u) * twice / 12,
        (y * y + y * v + v * v) * twice / 12, (x * v + 2 * x * y + 2 * u * v + u * y) * twice / 24,
    ])  # fmt: skip
    of_ring = np.stack([np.bincount(ring_of, row, len(rings)) for row in each], axis=1)
    is_outer = np.diff(piece_of_ring, prepend=-1) > 0
    of_ring *= (np.sign(of_ring[:, 0]) * np.where(is_outer, 1.0, -1.0))[:, None]
    result: Floats = np.stack([np.bincount(piece_of_ring, row, len(pieces)) for row in of_ring.T], axis=1)
    return result


def _as_one(placed: Mesh, count: int) -> GrownBody:
    """Without a solid: the part's shadow, held by everything that is there."""
    corners = placed.corners[placed.normals[:, 2] < 0][:, :, :2]
    shadow = shapely.union_all(shapely.convex_hull(shapely.multipoints(corners)))
    pieces = [piece for piece in getattr(shadow, "geoms", [shadow]) if piece.geom_type == "Polygon"]
    area, middle, moments = area_moments(pieces)
    low, high = placed.bounds[:, 2]
    at = np.array([*middle, float(high)])
    return GrownBody(
        float(high), float(high - low), area, at, np.array(moments),
        shapely.get_coordinates(shapely.convex_hull(shadow)), np.arange(count), area * float(high - low),
        np.array([*middle, float(low + high) / 2]), np.array([[float(low), *moments, area]]),
    )  # fmt: skip

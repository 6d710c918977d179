"""A part as it grows: its layers, which of them hang together so far, and what holds each of these bodies.

Up to 72 layers are looked at. A layer's pieces belong to the bodies that they lie on; bodies that meet become one, with
all contacts of both.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
import shapely
from manifold3d import Manifold

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.cuts import pieces_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.progress import UNWATCHED, Watch

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
    try:
        solid = to_manifold(placed)
    except EditError:
        yield _as_one(placed, len(holds))
        return
    order = np.argsort(holds[:, 2], kind="stable")
    first, rising = 0, _Rising(step)
    for number, level in enumerate(levels.tolist()):
        watch.at(number / count, "weighing layers")
        pieces = _cut(solid, level)
        if not pieces:
            continue
        upto = int(np.searchsorted(holds[order, 2], level + step / 2, side="right"))
        rising.rise(pieces, holds, order[first:upto])
        first = upto
        yield from rising.bodies(level)


def _cut(solid: Manifold, level: float) -> list[shapely.Polygon]:
    return [piece for part in solid.slice(level).decompose() for piece in pieces_of(part.to_polygons())]


class _Rising:
    """Pieces of the current layer and the bodies that they belong to."""

    def __init__(self, step: float) -> None:
        self._step = step
        self._pieces: list[shapely.Polygon] = []
        self._bodies: list[_Body] = []

    def rise(self, pieces: list[shapely.Polygon], holds: Floats, fresh: Longs) -> None:
        """The next layer: its pieces belong to the bodies they lie on; fresh holds to the nearest piece."""
        bodies = [_Body() for _ in pieces]
        if self._pieces:
            upper, lower = shapely.STRtree(self._pieces).query(pieces, predicate="intersects")
            for new, old in zip(upper.tolist(), lower.tolist(), strict=True):
                _merge(bodies, new, self._bodies, old)
        if len(fresh):
            nearest = shapely.STRtree(pieces).query_nearest(shapely.points(holds[fresh, :2]), all_matches=False)
            for hold, piece in zip(fresh[nearest[0]].tolist(), nearest[1].tolist(), strict=True):
                bodies[piece].holds.append(hold)
        self._pieces, self._bodies = pieces, bodies

    def bodies(self, level: float) -> Iterator[GrownBody]:
        """Every body with its pieces of the layer."""
        for body in {id(body): body for body in self._bodies}.values():
            mine = [piece for piece, owner in zip(self._pieces, self._bodies, strict=True) if owner is body]
            area, middle, moments = area_moments(mine)
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
    found = {entry[0]: entry for entry in one}
    for level, xx, yy, xy, area in other:
        mine = found.get(level, (level, 0.0, 0.0, 0.0, 0.0))
        found[level] = (level, mine[1] + xx, mine[2] + yy, mine[3] + xy, mine[4] + area)
    return [found[level] for level in sorted(found)]


def area_moments(pieces: list[shapely.Polygon]) -> tuple[float, Floats, tuple[float, float, float]]:
    """Area mm² and middle (2,) of polygons, and Σx², Σy², Σxy over their area about that middle, mm⁴.

    Green's theorem over every ring (Steger 1996); outer rings run one way and holes the other.
    """
    total, first, second = 0.0, np.zeros(2), np.zeros(3)
    for piece in pieces:
        for ring, sign in ((piece.exterior, 1.0), *((hole, -1.0) for hole in piece.interiors)):
            area, once, twice = _ring_moments(shapely.get_coordinates(ring))
            total, first, second = total + sign * area, first + sign * once, second + sign * twice
    middle = first / max(total, 1e-12)
    x, y = middle
    about = second - total * np.array([x * x, y * y, x * y])
    return float(total), middle, (float(about[0]), float(about[1]), float(about[2]))


def _ring_moments(at: Floats) -> tuple[float, Floats, Floats]:
    """Area, Σ (x, y) and Σ (x², y², xy) of what a closed ring (k, 2) goes round, whichever way it runs."""
    x, y = at[:-1].T
    u, v = at[1:].T
    twice = x * v - u * y
    area = float(twice.sum()) / 2
    sign = 1.0 if area >= 0 else -1.0
    once = np.array([((x + u) * twice).sum(), ((y + v) * twice).sum()]) / 6
    second = np.array([
        ((x * x + x * u + u * u) * twice).sum() / 12, ((y * y + y * v + v * v) * twice).sum() / 12,
        ((x * v + 2 * x * y + 2 * u * v + u * y) * twice).sum() / 24,
    ])  # fmt: skip
    return abs(area), sign * once, sign * second


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

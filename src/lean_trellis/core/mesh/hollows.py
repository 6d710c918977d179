"""Hollows of a part: what is closed off from outside, when it is built and as it is built.

The part is read as cells of a grid. Air is followed from level to level: what hangs together in a level and lies over
the same below is one. What never meets the outside is sealed; what does not meet it yet, when a level is the newest, is
closed by the film of a vat. How narrow a way out is follows from distances to the walls (Euclidean distance transform):
the widest ball that still comes out, by halving.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy import ndimage

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.cells import inside_cells
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

_MOST_ACROSS, _LEAST_CELL_MM = 96, 0.2
_PAD = 2
_OUTSIDE = 0
_HALVINGS = 5
_LEAST_MOUTH_MM2 = 1.0


@dataclass(frozen=True, eq=False)
class Cups:
    """Hollows that open only to the level being built: a row for each and level.

    `levels` (k,) mm, the `areas` (k,) mm² of their mouths there and the `middles` (k, 3) of these.
    """

    levels: Floats = field(default_factory=lambda: np.zeros(0))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    middles: Floats = field(default_factory=lambda: np.zeros((0, 3)))

    def __len__(self) -> int:
        return len(self.areas)


@dataclass(frozen=True, eq=False)
class AirCells:
    """The air in and round a part, cell by cell; `origin` (3,) is the middle of the first, `cell` mm their size.

    `air` (x, y, z) marks what is not solid; the plate closes it below, above and beside it is open. `body` numbers what
    hangs together: 0 is solid, 1 the outside, 2 and on are sealed.
    """

    origin: Floats
    cell: float
    air: Bools
    body: Longs
    cups: Cups
    is_raised: bool

    @property
    def sealed(self) -> int:
        """How many sealed hollows there are."""
        return max(int(self.body.max(initial=0)) - 1, 0)

    def is_on_plate(self, mine: Bools) -> bool:
        """Whether some of its cells lie right on the plate."""
        return bool(mine[:, :, 0].any()) and not self.is_raised

    def place(self, at: Longs) -> Floats:
        """(3,): the middle of a cell by its numbers (3,)."""
        result: Floats = self.origin + self.cell * np.asarray(at, np.float64)
        return result

    def bodies_at(self, places: Floats) -> Longs:
        """(n,): what hangs together at each of places (n, 3): 0 in the solid, 1 outside."""
        at = np.round((places - self.origin) / self.cell).astype(np.int64)
        inside = ((at >= 0) & (at < self.body.shape)).all(axis=1)
        result = np.ones(len(places), np.int64)
        result[inside] = self.body[tuple(at[inside].T)]
        return result


@dataclass(frozen=True)
class Hollow:
    """A hollow: its volume mm³, a place deep in it, and the diameter mm of the widest ball that comes out, 0 if none.

    `thinnest_mm` is the least wall between it and the outside, at the place `drain_mm`: there a drain would serve.
    `is_on_plate`: it opens downwards and nothing but the plate closes it.
    """

    volume_mm3: float
    at_mm: tuple[float, float, float]
    way_mm: float
    drain_mm: tuple[float, float, float]
    thinnest_mm: float
    is_on_plate: bool = False


@heavy
def air_cells(placed: Mesh, watch: Watch = UNWATCHED) -> AirCells | None:
    """The air round a part as it stands on the plate; None where the mesh bounds no solid."""
    try:
        solid = to_manifold(placed)
    except EditError:
        return None
    low, high = placed.bounds
    cell = max(float((high - low).max()) / _MOST_ACROSS, _LEAST_CELL_MM)
    gap = 0 if low[2] <= cell else _PAD  # a part that is raised is open below
    origin = np.array([*(low[:2] - (_PAD - 0.5) * cell), low[2] + (0.5 - gap) * cell])
    shape = np.ceil((high - low) / cell).astype(int) + [2 * _PAD, 2 * _PAD, gap + _PAD]
    inside = inside_cells(solid, origin, cell, tuple(shape.tolist()), Stretch(watch, 0.0, 0.6))
    body, cups = _followed(~inside, origin, cell)
    return AirCells(origin, cell, ~inside, body, cups, gap > 0)


class _Bodies:
    """What hangs together of the pieces of all levels; number 0 is the outside."""

    def __init__(self) -> None:
        self._root = [_OUTSIDE]

    def add(self, count: int) -> Longs:
        """Numbers for so many more."""
        first = len(self._root)
        self._root.extend(range(first, first + count))
        return np.arange(first, first + count)

    def root(self, number: int) -> int:
        """The lowest number of all that it hangs together with."""
        while self._root[number] != number:
            self._root[number] = self._root[self._root[number]]
            number = self._root[number]
        return number

    def join(self, one: int, other: int) -> None:
        """Two hang together: the lower number stays, so that the outside does."""
        low, high = sorted((self.root(one), self.root(other)))
        self._root[high] = low

    def roots(self) -> Longs:
        """The root of each."""
        return np.array([self.root(number) for number in range(len(self._root))])


def _followed(air: Bools, origin: Floats, cell: float) -> tuple[Longs, Cups]:
    """The body of each cell, and the cups at each level on the way up."""
    bodies, levels = _Bodies(), air.shape[2]
    numbers = np.full(air.shape, -1, np.int64)
    rows: list[tuple[float, float, Floats]] = []
    for level in range(levels):
        pieces, count = ndimage.label(air[:, :, level])
        names = np.append(-1, bodies.add(count))
        names[pieces[0, 0]] = _OUTSIDE  # what is beside the part is outside at every level
        here = names[pieces]
        numbers[:, :, level] = here
        if level:
            below = numbers[:, :, level - 1]
            both = (here >= 0) & (below >= 0)
            for one, other in np.unique(np.column_stack([here[both], below[both]]), axis=0).tolist():
                bodies.join(one, other)
        for piece in range(1, count + 1):
            if bodies.root(int(names[piece])) == _OUTSIDE:
                continue
            places = np.argwhere(pieces == piece)
            area = len(places) * cell**2
            if area >= _LEAST_MOUTH_MM2:
                middle = origin[:2] + cell * places.mean(axis=0)
                rows.append((origin[2] + level * cell, area, middle))
    roots = bodies.roots()
    used = np.unique(np.append(_OUTSIDE, roots[np.unique(numbers[numbers >= 0])]))  # the outside comes first, being 0
    body = np.where(numbers >= 0, np.searchsorted(used, roots)[numbers] + 1, 0)
    if not rows:
        return body, Cups()
    heights = np.array([level for level, _, _ in rows])
    middles = np.column_stack([np.array([middle for _, _, middle in rows]), heights])
    return body, Cups(heights, np.array([area for _, area, _ in rows]), middles)


@heavy
def find_hollows(
    cells: AirCells, least_way_mm: float, least_mm3: float, watch: Watch = UNWATCHED
) -> tuple[Hollow, ...]:
    """Hollows out of which nothing comes that is as wide as `least_way_mm`, the largest first."""
    found = [_sealed(cells, number, watch) for number in range(2, cells.sealed + 2)]
    found += _narrow(cells, least_way_mm, watch)
    return tuple(sorted((one for one in found if one.volume_mm3 >= least_mm3), key=lambda one: -one.volume_mm3))


def _sealed(cells: AirCells, number: int, watch: Watch) -> Hollow:
    watch.at(0.7, "measuring hollows")
    return _hollow(cells, cells.body == number, 0.0)


def _narrow(cells: AirCells, least_way_mm: float, watch: Watch) -> list[Hollow]:
    """What is open, but only through ways that are too narrow."""
    watch.at(0.8, "measuring ways out")
    away = _to_walls(cells)
    closed = _closed_off(away, least_way_mm / 2, cells)
    pieces, count = ndimage.label(closed)
    found = []
    for piece in range(1, count + 1):
        mine = pieces == piece
        at = np.unravel_index(int(np.where(mine, away, 0).argmax()), away.shape)
        low, high = 0.0, least_way_mm / 2
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            low, high = (low, middle) if _closed_off(away, middle, cells)[at] else (middle, high)
        # What belongs to it besides its core: all within reach of that, which is as far as it was drawn in.
        whole = ndimage.distance_transform_edt(~mine) * cells.cell <= least_way_mm / 2
        found.append(_hollow(cells, whole & cells.air & (cells.body == 1), low + high))
    return found


def _to_walls(cells: AirCells) -> Floats:
    """How far each cell of the outside's air is from the nearest wall, mm; the plate is one where the part is on it."""
    padded = np.pad(cells.body == 1, ((0, 0), (0, 0), (1, 0)), constant_values=cells.is_raised)
    away = ndimage.distance_transform_edt(padded)[:, :, 1:] * cells.cell
    return np.asarray(away, np.float64)


def _closed_off(away: Floats, radius: float, cells: AirCells) -> Bools:
    """Where a ball of a radius has room but does not come out: to the side, the top, or below a part that is raised."""
    pieces, _ = ndimage.label(away > radius)
    rim = [pieces[0], pieces[-1], pieces[:, 0], pieces[:, -1], pieces[:, :, -1], pieces[:, :, 0] * cells.is_raised]
    open_ones = np.unique(np.concatenate([side.reshape(-1) for side in rim]))
    return np.asarray((pieces > 0) & ~np.isin(pieces, open_ones), bool)


def _hollow(cells: AirCells, mine: Bools, way: float) -> Hollow:
    depth = ndimage.distance_transform_edt(mine)
    deepest = np.unravel_index(int(depth.argmax()), depth.shape)
    outside = cells.air & (cells.body == 1) & ~mine
    far, nearest = ndimage.distance_transform_edt(~outside, return_indices=True)
    rim = np.where(mine, far, np.inf)
    at = np.unravel_index(int(rim.argmin()), rim.shape)
    out = np.array([index[at] for index in nearest])
    wall = max(float(rim[at]) - 1, 0.0) * cells.cell
    return Hollow(
        float(mine.sum()) * cells.cell**3, _triple(cells.place(np.array(deepest))), way,
        _triple((cells.place(np.array(at)) + cells.place(out)) / 2), wall, cells.is_on_plate(mine),
    )  # fmt: skip


def _triple(place: Floats) -> tuple[float, float, float]:
    x, y, z = place.tolist()
    return x, y, z

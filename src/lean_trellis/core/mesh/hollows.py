"""Hollows of a part: what is closed off from outside, when it is built and as it is built.

The part is read as cells of a grid. Air is followed from level to level: what hangs together in a level and lies over
the same below is one. What never meets the outside is sealed; what does not meet it yet, when a level is the newest, is
closed by the film of a vat. How narrow a way out is follows from distances to the walls (Euclidean distance transform):
the widest ball that still comes out, by halving.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType, Manifold

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.cells import inside_cells
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.shells import shells_of
from lean_trellis.core.mesh.slices import ring_areas, sliced
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

_MOST_ACROSS, _LEAST_CELL_MM = 96, 0.4
_PAD = 2
_OUTSIDE = 0
_HALVINGS = 5
_LEAST_MOUTH_MM2 = 1.0
_TRIED, _TRIED_FOR_SLITS = 48, 8
_SLIT_MM = 3.0
"""A slit that is narrower may shut a hollow off: a layer with a hole once such slits are closed is looked at."""


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
class Cavity:
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
def air_cells(placed: Mesh, watch: Watch = UNWATCHED, topology: Topology | None = None) -> AirCells | None:
    """The air round a part on the plate; None where the mesh bounds no solid.

    The `topology` of its mesh tells much sooner of most parts that they go round nothing.
    """
    if topology is not None and _goes_round_nothing(topology, placed):
        return NO_HOLLOWS
    try:
        solid = to_manifold(placed)
    except EditError:
        return None
    if not _has_holes(solid, placed):
        return NO_HOLLOWS
    low, high = placed.bounds
    cell = max(float((high - low).max()) / _MOST_ACROSS, _LEAST_CELL_MM)
    gap = 0 if low[2] <= cell else _PAD  # a part that is raised is open below
    origin = np.array([*(low[:2] - (_PAD - 0.5) * cell), low[2] + (0.5 - gap) * cell])
    shape = np.ceil((high - low) / cell).astype(int) + [2 * _PAD, 2 * _PAD, gap + _PAD]
    inside = inside_cells(solid, origin, cell, tuple(shape.tolist()), Stretch(watch, 0.0, 0.6))
    body, cups = _followed(~inside, origin, cell)
    return AirCells(origin, cell, ~inside, body, cups, gap > 0)


NO_HOLLOWS = AirCells(np.zeros(3), 1.0, np.ones((1, 1, 1), bool), np.ones((1, 1, 1), np.int64), Cups(), is_raised=True)
"""Of a part that goes round nothing: all its air is outside."""


def _goes_round_nothing(topology: Topology, placed: Mesh) -> bool:
    """Whether a mesh is one closed shell whose cuts at the levels that are tried have no hole."""
    is_sound = topology.is_watertight and topology.shells == 1 and not len(topology.misoriented_edges)
    if not is_sound or not len(placed.faces):
        return False
    low, high = placed.bounds[:, 2]
    cuts = sliced(topology, np.linspace(low, high, _TRIED + 2)[1:-1], vertices=placed.vertices)
    if not (cuts.ring_areas > 0).all():
        return False
    return not any(_goes_round_a_slit(cuts.rings(level)) for level in range(0, _TRIED, _TRIED // _TRIED_FOR_SLITS))


def _goes_round_a_slit(rings: list[Floats]) -> bool:
    """Whether a layer goes round a hole once its slits are closed: it is drawn wider by half of their width."""
    section = CrossSection(rings, FillRule.NonZero).simplify(_SLIT_MM / 100) if rings else CrossSection()
    wider = [np.asarray(ring) for ring in section.offset(_SLIT_MM / 2, JoinType.Square).to_polygons() if len(ring) > 2]
    return bool((_areas(wider) < -_LEAST_MOUTH_MM2).any())


def _areas(rings: list[Floats]) -> Floats:
    """(n,): the areas of rings (k, 2), below 0 of those that go round a hole."""
    starts = np.cumsum([0, *(len(ring) for ring in rings)])
    return ring_areas(np.concatenate([np.zeros((0, 2)), *rings]), starts)


def _has_holes(solid: Manifold, placed: Mesh) -> bool:
    """Whether a layer goes round a hole at some levels, or round one that only a slit opens: what is closed off does.

    A void has a shell of its own, and is seen by that however low it is.
    """
    if len(np.unique(shells_of(placed)[placed.faces[:, 0]])) > 1:
        return True
    low, high = placed.bounds[:, 2]
    for number, level in enumerate(np.linspace(low, high, _TRIED + 2)[1:-1].tolist()):
        rings = [np.asarray(ring) for ring in solid.slice(level).to_polygons() if len(ring) > 2]
        if (_areas(rings) < 0).any():
            return True
        if number % (_TRIED // _TRIED_FOR_SLITS) == 0 and _goes_round_a_slit(rings):
            return True
    return False


class _Bodies:
    """What hangs together of the pieces of all levels; number 0 is the outside."""

    def __init__(self, count: int) -> None:
        self._root = list(range(count + 1))

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
    from scipy import ndimage  # takes a tenth of a second, which a window that starts has not

    flat = np.zeros((3, 3, 3), bool)
    flat[:, 1, 1] = flat[1, :, 1] = True  # cells of one level that share a side hang together
    pieces, count = ndimage.label(air, flat)
    outside = np.unique(pieces[0, 0])  # what is beside the part is outside at every level
    names = np.arange(count + 1)
    names[outside] = _OUTSIDE
    levels = np.zeros(count + 1, np.int64)
    levels[pieces] = np.arange(air.shape[2])  # a piece lies in one level
    above, below = pieces[:, :, 1:].reshape(-1), pieces[:, :, :-1].reshape(-1)
    both = (above > 0) & (below > 0) & ((names[above] != _OUTSIDE) | (names[below] != _OUTSIDE))
    pairs = np.unique(above[both].astype(np.int64) * (count + 1) + below[both])
    bodies = _Bodies(count)
    for number in outside[outside > 0].tolist():
        bodies.join(number, _OUTSIDE)
    inner = np.flatnonzero(names != _OUTSIDE)
    sizes = np.bincount(pieces.reshape(-1), minlength=count + 1)
    rows: list[int] = []
    joins = list(zip((pairs // (count + 1)).tolist(), (pairs % (count + 1)).tolist(), strict=True))
    joins.sort(key=lambda pair: int(levels[pair[0]]))
    at = 0
    for number in inner[np.argsort(levels[inner], kind="stable")].tolist():
        while at < len(joins) and levels[joins[at][0]] <= levels[number]:
            bodies.join(*joins[at])
            at += 1
        if bodies.root(number) != _OUTSIDE and sizes[number] * cell**2 >= _LEAST_MOUTH_MM2:
            rows.append(number)
    for one, other in joins[at:]:
        bodies.join(one, other)
    roots = bodies.roots()
    used = np.unique(np.append(_OUTSIDE, roots[1:]))  # the outside comes first, being 0
    body = np.where(pieces > 0, np.searchsorted(used, roots)[pieces] + 1, 0)
    if not rows:
        return body, Cups()
    chosen = np.array(rows)
    middles = np.array(ndimage.center_of_mass(air, pieces, chosen))
    heights = origin[2] + cell * levels[chosen]
    places = np.column_stack([origin[:2] + cell * middles[:, :2], heights])
    return body, Cups(heights, sizes[chosen] * cell**2, places)


@heavy
def find_hollows(
    cells: AirCells, least_way_mm: float, least_mm3: float, watch: Watch = UNWATCHED
) -> tuple[Cavity, ...]:
    """Hollows out of which nothing comes that is as wide as `least_way_mm`, the largest first."""
    hollows = [_sealed(cells, number, watch) for number in range(2, cells.sealed + 2)]
    hollows += _narrow(cells, least_way_mm, watch)
    return tuple(sorted((one for one in hollows if one.volume_mm3 >= least_mm3), key=lambda one: -one.volume_mm3))


def _sealed(cells: AirCells, number: int, watch: Watch) -> Cavity:
    watch.at(0.7, "measuring hollows")
    return _hollow(cells, cells.body == number, 0.0)


def _narrow(cells: AirCells, least_way_mm: float, watch: Watch) -> list[Cavity]:
    """What is open, but only through ways that are too narrow."""
    from scipy import ndimage  # takes a tenth of a second, which a window that starts has not

    watch.at(0.8, "measuring ways out")
    away = _to_walls(cells)
    closed = _closed_off(away, least_way_mm / 2, cells)
    pieces, count = ndimage.label(closed)
    hollows = []
    for piece in range(1, count + 1):
        mine = pieces == piece
        at = np.unravel_index(int(np.where(mine, away, 0).argmax()), away.shape)
        low, high = 0.0, least_way_mm / 2
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            low, high = (low, middle) if _closed_off(away, middle, cells)[at] else (middle, high)
        # What belongs to it besides its core: all within reach of that, which is as far as it was drawn in.
        whole = ndimage.distance_transform_edt(~mine) * cells.cell <= least_way_mm / 2
        hollows.append(_hollow(cells, whole & cells.air & (cells.body == 1), low + high))
    return hollows


def _to_walls(cells: AirCells) -> Floats:
    """How far each cell of the outside's air is from the nearest wall, mm; the plate is one where the part is on it."""
    from scipy import ndimage  # takes a tenth of a second, which a window that starts has not

    padded = np.pad(cells.body == 1, ((0, 0), (0, 0), (1, 0)), constant_values=cells.is_raised)
    away = ndimage.distance_transform_edt(padded)[:, :, 1:] * cells.cell
    return np.asarray(away, np.float64)


def _closed_off(away: Floats, radius: float, cells: AirCells) -> Bools:
    """Where a ball of a radius has room but does not come out: to the side, the top, or below a part that is raised."""
    from scipy import ndimage  # takes a tenth of a second, which a window that starts has not

    pieces, _ = ndimage.label(away > radius)
    rim = [pieces[0], pieces[-1], pieces[:, 0], pieces[:, -1], pieces[:, :, -1], pieces[:, :, 0] * cells.is_raised]
    open_ones = np.unique(np.concatenate([side.reshape(-1) for side in rim]))
    return np.asarray((pieces > 0) & ~np.isin(pieces, open_ones), bool)


def _hollow(cells: AirCells, mine: Bools, way: float) -> Cavity:
    from scipy import ndimage  # takes a tenth of a second, which a window that starts has not

    depth = ndimage.distance_transform_edt(mine)
    deepest = np.unravel_index(int(depth.argmax()), depth.shape)
    outside = cells.air & (cells.body == 1) & ~mine
    far, nearest = ndimage.distance_transform_edt(~outside, return_indices=True)
    rim = np.where(mine, far, np.inf)
    at = np.unravel_index(int(rim.argmin()), rim.shape)
    out = np.array([index[at] for index in nearest])
    wall = max(float(rim[at]) - 1, 0.0) * cells.cell
    return Cavity(
        float(mine.sum()) * cells.cell**3, _triple(cells.place(np.array(deepest))), way,
        _triple((cells.place(np.array(at)) + cells.place(out)) / 2), wall, cells.is_on_plate(mine),
    )  # fmt: skip


def _triple(place: Floats) -> tuple[float, float, float]:
    x, y, z = place.tolist()
    return x, y, z

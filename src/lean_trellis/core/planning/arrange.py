"""Arranging parts on the plate by their true footprints: each where the space used grows least."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.planning.footprint import Footprint, footprint_of
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.shop.machine import Plate

_CELLS_ACROSS = 440
_FINEST_MM = 0.4
_LEE_MM = 60.0
_PARALLEL_DEG = 8.0
_HIT = 0.5
_FILL = 0.65
_STRIPS = (1.0, 1.2, 1.5)
_MANY = 360
_MANY_TRIES = 160
_PREFERENCE_MM = 80.0


@dataclass(frozen=True, eq=False)
class Piece:
    """What is placed as one: (n, 2) `points` that it covers in its pose, its `middle` (2,), its height in mm.

    `long_edge_deg` is the direction of its long edges; a fixed piece only takes up room.
    """

    key: str
    points: Floats
    middle: tuple[float, float]
    height: float = 0.0
    long_edge_deg: float | None = None
    is_fixed: bool = False


@dataclass(frozen=True)
class ArrangeRequest:
    """How to arrange. `clearance` in mm between pieces and to keep-out zones; `step_deg` 0 turns nothing.

    `blade_deg` is the direction in which a recoater's blade moves, `flow_deg` that of the gas; `preference` from 0
    to 1 how much long edges off the blade and small parts out of the lee of tall ones count against room.
    """

    plate: Plate
    clearance: float = 3.0
    step_deg: float = 45.0
    rim: float = 2.0
    blade_deg: float | None = None
    flow_deg: float | None = None
    preference: float = 0.3
    zones: tuple[tuple[float, float, float, float], ...] = ()


@dataclass(frozen=True)
class Arranged:
    """`places`: for each key placed, x and y of its middle and by how many degrees it is turned.

    `left_over` found no room. `density` is footprint over the area of the rectangle round all of it.
    """

    places: dict[str, tuple[float, float, float]]
    left_over: tuple[str, ...]
    density: float


@dataclass
class _Ground:
    """The plate as cells [x, y]: what is taken, how high the tallest part is in whose lee a cell lies."""

    taken: Bools
    cell: float
    lee: Floats

    def again(self) -> _Ground:
        """The same ground for another try."""
        return _Ground(self.taken.copy(), self.cell, self.lee.copy())

    def block(self, before: _Ground) -> tuple[Longs, Longs] | None:
        """First and last + 1 cell of the rectangle round all that was taken since."""
        fresh = np.argwhere(self.taken & ~before.taken)
        return (fresh.min(axis=0), fresh.max(axis=0) + 1) if len(fresh) else None


@dataclass(frozen=True, eq=False)
class _Turned:
    """A piece at one turn: its footprint with margin, the spectrum of it, and where its middle of area lies."""

    degrees: float
    footprint: Footprint
    spectrum: np.ndarray
    middle: Floats


@dataclass(frozen=True, eq=False)
class _Try:
    """One way of placing all: the strip of the plate that is filled, in cells along x, and the rule."""

    strip: tuple[int, int]
    rule: str


@heavy
def arrange(pieces: Sequence[Piece], request: ArrangeRequest, watch: Watch = UNWATCHED) -> Arranged:
    """Place all pieces that are not fixed, the largest first, where their middle of area comes to lie lowest.

    A few strips of the plate are filled so; the one that leaves out least, then needs least room, is taken and
    moved to the plate's middle. Positions are looked for by correlation of rasters (FFT).
    """
    plate = request.plate
    cell = max(_FINEST_MM, max(plate.width, plate.depth) / _CELLS_ACROSS)
    ground = _ground(request, cell)
    for piece in (piece for piece in pieces if piece.is_fixed):
        whole = footprint_of(piece.points, np.array(piece.middle), 0.0, cell, request.clearance)
        _mark(ground.taken, whole, np.round((np.array(piece.middle) + whole.corner) / cell).astype(np.int64))
    free = [piece for piece in pieces if not piece.is_fixed]
    size = _fft_size(ground.taken)
    turned = {}
    for number, piece in enumerate(free):
        watch.at(0.2 * number / max(1, len(free)), f"turning {number + 1} of {len(free)} footprints")
        turned[piece.key] = _turns(piece, request, cell, size)
    order = sorted(free, key=lambda piece: -turned[piece.key][0].footprint.area)
    bare = {piece.key: footprint_of(piece.points, np.array(piece.middle), 0.0, cell, 0.0).area for piece in free}
    tries = _tries(request, ground, sum(turned[piece.key][0].footprint.area for piece in free), len(free))
    best: tuple[tuple[int, float], dict[str, tuple[_Turned, Longs]], _Ground] | None = None
    for number, one in enumerate(tries):
        stretch = Stretch(watch, 0.2 + 0.8 * number / len(tries), 0.2 + 0.8 * (number + 1) / len(tries))
        filled, places, unwanted = ground.again(), dict[str, tuple[_Turned, Longs]](), 0.0
        for place, piece in enumerate(order):
            stretch.at(place / len(order), f"placing {place + 1} of {len(order)} parts, try {number + 1}")
            chosen = _placed(piece, turned[piece.key], filled, one, request, size)
            if chosen is not None:
                places[piece.key] = chosen[:2]
                unwanted += chosen[2] / len(order)
        block = filled.block(ground)
        room = float(np.prod(block[1] - block[0])) if block is not None else 0.0
        room *= 1 + request.preference * unwanted
        if best is None or (len(order) - len(places), room) < best[0]:
            best = ((len(order) - len(places), room), places, filled)
    assert best is not None
    return _arranged(pieces, best[1], best[2], ground, request, bare)


def _ground(request: ArrangeRequest, cell: float) -> _Ground:
    plate = request.plate
    shape = (int(np.ceil(plate.width / cell)), int(np.ceil(plate.depth / cell)))
    x, y = np.meshgrid((np.arange(shape[0]) + 0.5) * cell, (np.arange(shape[1]) + 0.5) * cell, indexing="ij")
    xy = np.stack([x.reshape(-1), y.reshape(-1)], axis=1)
    # The margin of each piece, half the clearance, may hang over the rim's own.
    taken = (plate.excess(xy) > -(request.rim - request.clearance / 2)).reshape(shape)
    for x0, y0, width, depth in request.zones:
        half = request.clearance / 2
        taken |= (x > x0 - half) & (x < x0 + width + half) & (y > y0 - half) & (y < y0 + depth + half)
    return _Ground(taken, cell, np.zeros(shape))


def _fft_size(cells: Bools) -> tuple[int, int]:
    from scipy import fft  # not before it is needed: a window starts without it

    return fft.next_fast_len(cells.shape[0], real=True), fft.next_fast_len(cells.shape[1], real=True)


def _spectrum(cells: Bools, size: tuple[int, int]) -> np.ndarray:
    from scipy import fft  # not before it is needed: a window starts without it

    return fft.rfft2(cells.astype(np.float32), size, workers=2)


def _turns(piece: Piece, request: ArrangeRequest, cell: float, size: tuple[int, int]) -> list[_Turned]:
    """The piece at every turn at which it is no larger than the plate."""
    degrees = np.arange(0, 360, request.step_deg) if request.step_deg > 0 else np.zeros(1)
    turns = []
    for turn in degrees.tolist():
        footprint = footprint_of(piece.points, np.array(piece.middle), turn, cell, request.clearance / 2)
        fits = all(part <= whole for part, whole in zip(footprint.cells.shape, size, strict=True))
        spectrum = np.conj(_spectrum(footprint.cells, size)) if fits else np.zeros(0)
        turns.append(_Turned(turn, footprint, spectrum, np.argwhere(footprint.cells).mean(axis=0)))
    return turns


def _tries(request: ArrangeRequest, ground: _Ground, area: float, count: int) -> list[_Try]:
    """Strips of several widths round the plate's middle line, and the whole plate; fewer where there are many."""
    across = ground.taken.shape[0]
    side = (area / _FILL) ** 0.5 / ground.cell
    widths = [min(across, round(side * share)) for share in _STRIPS] + [across]
    if count * max(1, round(360 / request.step_deg) if request.step_deg else 1) > _MANY:
        widths = [widths[1], across]
    tries = []
    for width in dict.fromkeys(widths):
        first = (across - width) // 2
        tries += [_Try((first, first + width), rule) for rule in ("middle", "top")]
    return tries if count * len(tries) <= _MANY_TRIES else tries[::2]


def _placed(
    piece: Piece,
    turns: Sequence[_Turned],
    ground: _Ground,
    one: _Try,
    request: ArrangeRequest,
    size: tuple[int, int],
) -> tuple[_Turned, Longs, float] | None:
    """The best free place over all turns, and how unwanted it is; the ground then knows of it."""
    taken = ground.taken.copy()
    taken[: one.strip[0]] = taken[one.strip[1] :] = True
    spectrum = _spectrum(taken, size)
    best: tuple[float, _Turned, Longs, float] | None = None
    for turned in turns:
        places = _free(ground, turned, spectrum, size)
        if not len(places):
            continue
        unwanted = _unwanted(piece, turned, places, ground, request)
        cost = _costs(turned, places, one) + request.preference * _PREFERENCE_MM / ground.cell * unwanted
        cheapest = int(np.argmin(cost))
        if best is None or cost[cheapest] < best[0] - 1e-9:
            best = float(cost[cheapest]), turned, places[cheapest], float(unwanted[cheapest])
    if best is None:
        return None
    _, turned, at, unwanted_there = best
    _mark(ground.taken, turned.footprint, at)
    if request.flow_deg is not None:
        _cast_lee(piece, ground, request.flow_deg, at, at + turned.footprint.cells.shape)
    return turned, at, unwanted_there


def _free(ground: _Ground, turned: _Turned, spectrum: np.ndarray, size: tuple[int, int]) -> Longs:
    """(k, 2): where the first cell of a footprint may lie so that no cell of it is taken."""
    from scipy import fft  # not before it is needed: a window starts without it

    room = np.array(ground.taken.shape) - turned.footprint.cells.shape + 1
    if (room < 1).any() or not turned.spectrum.size:
        return np.zeros((0, 2), np.int64)
    overlap = fft.irfft2(spectrum * turned.spectrum, size, workers=2)[: room[0], : room[1]]
    return np.argwhere(overlap < _HIT)


def _costs(turned: _Turned, places: Longs, one: _Try) -> Floats:
    """(k,): the lower the middle of area, or the top, the better, in cells."""
    middle = places + turned.middle
    cost: Floats = middle[:, 1] + 0.02 * (middle[:, 0] - one.strip[0])
    if one.rule == "top":
        cost = places[:, 1] + turned.footprint.cells.shape[1] + 0.5 * cost
    return cost


def _unwanted(piece: Piece, turned: _Turned, places: Longs, ground: _Ground, request: ArrangeRequest) -> Floats:
    """(k,): 1 for long edges along the blade, and up to 1 more for lying in the lee of something taller."""
    costs = np.full(len(places), _along_blade(piece, request, turned.degrees))
    if request.flow_deg is not None:
        middle = np.minimum((places + turned.middle).astype(np.int64), np.array(ground.lee.shape) - 1)
        lee = ground.lee[middle[:, 0], middle[:, 1]]
        costs += np.clip((lee - piece.height) / np.maximum(lee, 1e-9), 0, 1)
    return costs


def _along_blade(piece: Piece, request: ArrangeRequest, degrees: float) -> float:
    """1 where the long edges lie along the blade, falling to 0 at 8° off it."""
    if request.blade_deg is None or piece.long_edge_deg is None:
        return 0.0
    off = (piece.long_edge_deg + degrees - request.blade_deg - 90) % 180
    return max(0.0, 1 - min(off, 180 - off) / _PARALLEL_DEG)


def _mark(taken: Bools, footprint: Footprint, first: Longs) -> None:
    """Mark the cells under a footprint whose first cell lies at `first`; what hangs over the plate is passed over."""
    last = first + footprint.cells.shape
    low, high = np.maximum(first, 0), np.minimum(last, taken.shape)
    if (high > low).all():
        part = footprint.cells[low[0] - first[0] : high[0] - first[0], low[1] - first[1] : high[1] - first[1]]
        taken[low[0] : high[0], low[1] : high[1]] |= part


def _cast_lee(piece: Piece, ground: _Ground, flow_deg: float, first: Longs, last: Longs) -> None:
    """Where the gas comes from the piece, for some way, a lower part lies in its lee."""
    flow = np.array([np.cos(np.radians(flow_deg)), np.sin(np.radians(flow_deg))])
    for way in np.linspace(0, _LEE_MM / ground.cell, 13):
        shift = np.round(way * flow).astype(np.int64)
        low, high = np.maximum(first + shift, 0), np.minimum(last + shift, ground.lee.shape)
        if (high > low).all():
            patch = ground.lee[low[0] : high[0], low[1] : high[1]]
            np.maximum(patch, piece.height, out=patch)


def _arranged(
    pieces: Sequence[Piece],
    by_piece: dict[str, tuple[_Turned, Longs]],
    filled: _Ground,
    ground: _Ground,
    request: ArrangeRequest,
    bare: dict[str, float],
) -> Arranged:
    """Places in mm, the whole block moved, as one footprint, to the free place nearest to the plate's middle."""
    block = filled.block(ground)
    left_over = tuple(piece.key for piece in pieces if not piece.is_fixed and piece.key not in by_piece)
    if block is None:
        return Arranged({}, left_over, 0.0)
    first, last = block
    fresh = (filled.taken & ~ground.taken)[first[0] : last[0], first[1] : last[1]]
    size = _fft_size(ground.taken)
    whole = _Turned(0.0, Footprint(fresh, (0.0, 0.0), ground.cell), np.conj(_spectrum(fresh, size)), np.zeros(2))
    free = _free(ground, whole, _spectrum(ground.taken, size), size)
    shift = np.zeros(2, np.int64)
    if len(free):
        middles = (free + np.array(fresh.shape) / 2) * ground.cell
        shift = free[int(np.argmin(np.linalg.norm(middles - request.plate.middle, axis=1)))] - first
    places = {}
    for key, (turned, at) in by_piece.items():
        x, y = ((at + shift) * ground.cell - turned.footprint.corner).tolist()
        places[key] = (x, y, turned.degrees)
    room = float(np.prod((last - first) * ground.cell - request.clearance))
    return Arranged(places, left_over, sum(bare[key] for key in places) / max(room, 1e-9))

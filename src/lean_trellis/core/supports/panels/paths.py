"""Where walls run in plan: paths, what is left of them beside shapes, and their straight pieces end to end."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.supports.common.floors import Shape

LEAST_WALL_MM = 0.3
_MOST_MITRE = 2.0


@dataclass(frozen=True, eq=False)
class Path:
    """Where a wall runs in plan, (k, 2), below a floor (its number). A closed one ends where it begins."""

    places: Floats
    floor: int
    is_closed: bool = False

    @property
    def ring(self) -> Floats:
        """(k, 2): its places from end to end; of a closed one the first again at the end."""
        return np.vstack([self.places, self.places[:1]]) if self.is_closed else self.places

    @property
    def line(self) -> Shape:
        """The same as a line of shapely's."""
        return shapely.linestrings(self.ring)


def stretches(lines: Shape, floor: int) -> list[Path]:
    """What is left of lines as open paths, merged where it goes on, the very short left out."""
    return [
        Path(shapely.get_coordinates(part), floor)
        for part in shapely.get_parts(shapely.line_merge(lines))
        if part.geom_type == "LineString" and part.length >= LEAST_WALL_MM
    ]


def without(paths: list[Path], shape: Shape) -> list[Path]:
    """Paths, but for what of them lies within a shape."""
    kept: list[Path] = []
    for path in paths:
        line = path.line
        kept += stretches(line.difference(shape), path.floor) if shapely.intersects(line, shape) else [path]
    return kept


class Segments:
    """The straight pieces of all paths: ends `a`, `b` (m, 2), `walls`, `floors` (m,), `begins` (m,) as stations.

    A station is a place along all walls: `offsets` (w,), `wholes` (w,) long each, plus the length along the wall.
    """

    def __init__(self, paths: tuple[Path, ...]) -> None:
        rings = [p.ring for p in paths]
        counts = np.array([len(ring) - 1 for ring in rings], np.int64)
        self.walls = np.repeat(np.arange(len(paths)), counts)
        self.floors = np.array([p.floor for p in paths], np.int64)[self.walls]
        self.a = np.concatenate([ring[:-1] for ring in rings]) if rings else np.zeros((0, 2))
        self.b = np.concatenate([ring[1:] for ring in rings]) if rings else np.zeros((0, 2))
        steps = self.b - self.a
        self.lengths = np.hypot(steps[:, 0], steps[:, 1])
        whole = np.bincount(self.walls, weights=self.lengths, minlength=len(paths))
        self.offsets = np.concatenate([[0.0], np.cumsum(whole + 1.0)[:-1]]) if len(paths) else np.zeros(0)
        before = np.cumsum(self.lengths) - self.lengths
        first = np.cumsum(counts) - counts
        self.begins = self.offsets[self.walls] + before - before[first][self.walls]
        self.wholes, self._closed = whole, np.array([p.is_closed for p in paths], bool)
        directions = steps / np.maximum(self.lengths, 1e-12)[:, None]
        self._right = np.column_stack([directions[:, 1], -directions[:, 0]])
        self._first = first

    @property
    def bends(self) -> Floats:
        """Stations of all corners of the paths, their ends too."""
        return np.sort(np.concatenate([self.begins, self.offsets + self.wholes]))

    def at(self, stations: Floats) -> tuple[Floats, Floats, Longs]:
        """Places (n, 2), the way to the right side, mitred at bends, and walls."""
        segment = np.clip(np.searchsorted(self.begins, stations + 1e-9, side="right") - 1, 0, None)
        along = stations - self.begins[segment]
        share = np.clip(along / np.maximum(self.lengths[segment], 1e-12), 0, 1)[:, None]
        places = self.a[segment] * (1 - share) + self.b[segment] * share
        walls = self.walls[segment]
        before, after = segment.copy(), segment.copy()
        first, last = self._first[walls], np.append(self._first[1:], len(self.walls))[walls] - 1
        at_begin = along < 1e-9
        at_end = stations > self.offsets[walls] + self.wholes[walls] - 1e-9
        before[at_begin] = np.where(
            segment == first, np.where(self._closed[walls], last, segment), segment - 1
        )[at_begin]  # fmt: skip
        after[at_end] = np.where(self._closed[walls], first, segment)[at_end]
        one, other = self._right[before], self._right[after]
        middle = one + other
        # The mitre: as long as needed for both sides to stay half the thickness away.
        scale = np.maximum((middle * one).sum(axis=1), 1 / _MOST_MITRE)
        return places, middle / scale[:, None], walls

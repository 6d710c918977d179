"""How long paths take: speeds, accelerations, ways between paths.

A path begins and ends at rest. Along it the speed rises and falls by no more than the acceleration, and at a corner the
velocity changes by no more than the corner speed at once, as motion controls with looking ahead do (trapezoids of
speed; the limits are carried forward and backward along the path). Without an acceleration speeds are constant.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.paths import Paths


@dataclass(frozen=True)
class Motion:
    """Speeds in mm/s: of paths by kind (six of them), of ways between paths; acceleration mm/s², 0: none is counted.

    `corner_speed` is what the velocity may change by at a corner, `start_s` what each path takes besides. On ways
    between paths longer than `draw_back_beyond` mm the filament is drawn back and pushed again: `draw_back_s`.
    """

    speeds: tuple[float, ...]
    travel_speed: float
    acceleration: float = 0.0
    corner_speed: float = 0.0
    start_s: float = 0.0
    draw_back_s: float = 0.0
    draw_back_beyond: float = 0.0

    def travels(self, lengths: Floats) -> Floats:
        """(n,): seconds for ways between paths, straight and from rest to rest."""
        speed, acceleration = self.travel_speed, self.acceleration
        drawn = np.where(lengths > self.draw_back_beyond, self.draw_back_s, 0.0)
        if not acceleration:
            return np.asarray(lengths / speed + drawn, np.float64)
        enough = lengths >= speed * speed / acceleration
        ramped = np.where(enough, lengths / speed + speed / acceleration, 2.0 * np.sqrt(lengths / acceleration))
        return np.asarray(ramped + drawn, np.float64)

    def seconds(self, paths: Paths) -> Floats:
        """(p,): what each path takes, its start included."""
        speeds = np.array(self.speeds)[paths.kinds]
        if not self.acceleration or not len(paths):
            return np.asarray(paths.lengths / speeds + self.start_s, np.float64)
        inside, lengths = paths.is_step, paths.steps
        owners = paths.ways.owners[: len(lengths)]
        limits = self._limits(paths, speeds)
        entry, leave = limits[:-1], limits[1:]
        peak = np.minimum(speeds[owners], np.sqrt((entry**2 + leave**2) / 2 + self.acceleration * lengths))
        ramps = (2 * peak**2 - entry**2 - leave**2) / (2 * self.acceleration)
        cruise = np.maximum(lengths - ramps, 0.0) / np.maximum(peak, 1e-12)
        times = (2 * peak - entry - leave) / self.acceleration + cruise
        return np.asarray(np.bincount(owners[inside], times[inside], len(paths)) + self.start_s, np.float64)

    def _limits(self, paths: Paths, speeds: Floats) -> Floats:
        """(n,): the speed at each point of the paths, what comes before and after respected."""
        inside, lengths = paths.is_step, paths.steps
        owners = paths.ways.owners[: len(lengths)]
        units = np.diff(paths.ways.points, axis=0) / np.maximum(lengths, 1e-12)[:, None]
        most = np.zeros(len(paths.ways.points))
        corner = inside[1:] & inside[:-1]
        turns = units[1:] - units[:-1]
        change = np.hypot(turns[:, 0], turns[:, 1])
        most[1:-1][corner] = np.minimum(
            speeds[owners[1:][corner]], self.corner_speed / np.maximum(change[corner], 1e-9)
        )
        # v² may rise by 2 a s: the least of v² - 2 a s so far limits what follows; paths begin at rest and end it.
        rise = 2 * self.acceleration * np.concatenate([[0.0], np.cumsum(lengths)])
        square = most**2
        forward = np.minimum.accumulate(square - rise) + rise
        backward = (np.minimum.accumulate((square + rise)[::-1])[::-1]) - rise
        return np.sqrt(np.maximum(np.minimum(forward, backward), 0.0))

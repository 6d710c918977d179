"""Warp: what layers that shrink ask, at its ends, of what holds a body down.

Layers that are kept from shrinking pull above what holds the body: it wants to curl up at its ends. It is followed as a
beam on an elastic foundation, with the moment of that pull at both of its ends (Hetényi 1946, Beams on Elastic
Foundation, beams of finite length with free ends).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Rows
from lean_trellis.core.strength.growth import GrownBody

_FAR = 30.0
"""Ends farther apart than so many times what bends know nothing of each other."""
_LEAST_MM = 1e-6
_INWARD = (np.arange(12) + 0.5) / 12
_WEIGHTS = 1 - _INWARD
"""Places from an end inward, as shares, and what each counts."""
_MOST_WIDE = 2.0
"""No convex outline is wider at an end than so many times its mean: a triangle is."""


@dataclass(frozen=True, eq=False)
class Hold(Rows):
    """What holds a body down, spot by spot.

    `places` (n, 3) mm, in the frame of the layers; `widths` (n,) mm; `stiffness` (n,) N/mm; `bears` (n,) N.
    """

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    widths: Floats = field(default_factory=lambda: np.zeros(0))
    stiffness: Floats = field(default_factory=lambda: np.zeros(0))
    bears: Floats = field(default_factory=lambda: np.zeros(0))

    def __len__(self) -> int:
        return len(self.bears)

    @cached_property
    def axis(self) -> tuple[Floats, float, float]:
        """The way (2,) of its length, its length and its breadth in plan, mm."""
        way, breadth = _long_way(self.places[:, :2])
        wide = float(self.widths.mean())
        return way, float(np.ptp(self.places[:, :2] @ way)) + wide, breadth + wide


@dataclass(frozen=True, eq=False)
class End:
    """An end of a body that curls: `most` is at least how much of its hold it uses, `body` and the `way` (2,) to it.

    `counts` (n,) is how much each spot of the `hold` counts, out to `reach` mm from the end; corners lift `corner`
    times as much as straight ends.
    """

    most: float
    body: GrownBody
    way: Floats
    reach: float
    hold: Hold
    counts: Floats
    corner: float

    @cached_property
    def as_corner(self) -> float:
        """The pull over what bears it, if its outline turns sharply."""
        return self.most / _MOST_WIDE * width_at_end(self.body.hull, self.way, self.reach)

    @cached_property
    def used(self) -> float:
        """The pull over what bears it."""
        return self.as_corner if self.body.has_corner else self.as_corner / self.corner

    @property
    def at_mm(self) -> tuple[float, float, float]:
        """The middle of what holds it."""
        x, y, z = (self.counts @ self.hold.places / max(self.counts.sum(), _LEAST_MM)).tolist()
        return x, y, z


def lift_of_end(moment: float, bending: float, foundation: float, length: float) -> tuple[float, float]:
    """The line load, N/mm, with which the end of a beam on a foundation pulls at it, and β, 1/mm.

    The beam is `length` mm long, `bending` N mm² stiff, on a foundation of N/mm², with a moment of N mm at both ends:
    2 M β² (sinh βL - sin βL) / (sinh βL + sin βL), β = (k / 4 EI)^¼.
    """
    beta = (foundation / (4 * bending)) ** 0.25
    x = min(beta * length, _FAR)
    share = (np.sinh(x) - np.sin(x)) / (np.sinh(x) + np.sin(x))
    return float(2 * moment * beta**2 * share), float(beta)


def ends_of(body: GrownBody, hold: Hold, stress: float, stiffness: float, corner: float) -> list[End]:
    """Both ends of a body's greatest length, with what is built so far; none where it is free along a length.

    `stress` MPa is left in every layer.
    """
    if len(hold) < 2:
        return []
    way, length, breadth = hold.axis
    moment, second = _pull(body, way, length, float(hold.places[:, 2].mean()))
    if moment <= 0 or length <= _LEAST_MM:
        return []
    foundation = max(float(hold.stiffness.sum()) / length, _LEAST_MM)
    load, beta = lift_of_end(stress * moment, stiffness * second, foundation, length)
    reach = min(max(np.pi / (4 * beta), 2 * float(np.sqrt(length * breadth / len(hold)))), length / 2)
    along, wide = hold.places[:, :2] @ way, float(hold.widths.mean())
    ends = []
    for side in (-1.0, 1.0):
        # The pull falls off from the end inward, to nothing at `reach`; so does what each spot counts.
        end = min(float((side * along).max()) + wide / 2, float((body.hull @ (side * way)).max()))
        counts = np.clip(1 - (end - side * along) / reach, 0, 1)
        bears = max(float(hold.bears @ counts) / (reach / 2), _LEAST_MM)
        ends.append(End(_MOST_WIDE * corner * load / bears, body, side * way, reach, hold, counts, corner))
    return ends


def worst_of(ends: Iterable[End], least: float) -> End | None:
    """The end that uses most of its hold; None where none uses more than `least`."""
    worst = None
    for end in sorted(ends, key=lambda end: -end.most):
        if end.most <= least:
            break
        if end.as_corner > least and end.used > least:
            worst, least = end, end.used
    return worst


def _long_way(xy: Floats) -> tuple[Floats, float]:
    """(2,): the way of the longer side of the least rectangle round places (n, 2); and how long the shorter one is."""
    sides = np.diff(shapely.get_coordinates(shapely.oriented_envelope(shapely.linestrings(xy))), axis=0)[:2]
    long = np.hypot(*sides.T)
    if not len(sides) or long.max() < _LEAST_MM:
        return np.array([1.0, 0.0]), 0.0
    result: Floats = sides[long.argmax()] / long.max()
    return result, float(long.min()) if len(long) > 1 else 0.0


def width_at_end(hull: Floats, way: Floats, reach: float) -> float:
    """How wide a convex outline (k, 2) is at its end in a way (2,), as a share of how wide it is on the whole.

    Counted from the end inward over `reach` mm, less and less: a disc ends narrow, and little pulls there.
    """
    along, across = hull @ way, hull @ np.array([-way[1], way[0]])
    if not len(hull) or np.ptp(along) <= 0:
        return 1.0
    # From its nearest to its farthest corner a convex outline has two sides, along each of which it goes onward.
    order = np.arange(len(hull) + 1) + int(along.argmin())
    along, across = along.take(order, mode="wrap"), across.take(order, mode="wrap")
    farthest, length = int(along.argmax()), float(np.ptp(along))
    area = abs(float(along[:-1] @ across[1:] - along[1:] @ across[:-1])) / 2
    if area <= 0:
        return 1.0
    at = along[farthest] - _INWARD * min(reach, length)
    there = np.interp(at, along[: farthest + 1], across[: farthest + 1])
    back = np.interp(at, along[farthest:][::-1], across[farthest:][::-1])
    return float(_WEIGHTS @ np.abs(there - back) / _WEIGHTS.sum()) / (area / length)


def _pull(body: GrownBody, way: Floats, length: float, base: float) -> tuple[float, float]:
    """Of the section across a way: its first moment about the base, mm³, and its second about its own middle, mm⁴.

    Each layer is as long as a rectangle with its area and second moment; what is shorter than the hold counts as if its
    width were spread over that.
    """
    levels, xx, yy, xy, areas = body.stem.T
    x, y = way
    spread = np.maximum(xx * x * x + yy * y * y + 2 * xy * x * y, 0)
    long = np.maximum(np.sqrt(12 * spread / np.maximum(areas, 1e-12)), length)
    widths, arms = areas / np.maximum(long, _LEAST_MM), np.maximum(levels - base, 0)
    section = float(widths.sum()) * body.step
    first = float((widths * arms).sum()) * body.step
    middle = first / max(section, 1e-12)
    second = float((widths * ((arms - middle) ** 2 + body.step**2 / 12)).sum()) * body.step
    return first, second

"""Where a part is thinner than its process builds, and where its layers grow at once: over all its layers.

Thin is what an opening by half the least width takes away: the outline set in and out again by it (mathematical
morphology, Serra 1982). Pieces that lie over each other from layer to layer are one place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.progress import UNWATCHED, Watch

_MITER, _SPARE = 2.0, 1.02
_FINE = 0.01
"""Of the least width: what outlines may be off for it to be found sooner."""
_LEAST_LENGTH = 2.0
"""What is no longer than this many times the least width is the tip of a corner, not a wall."""
LEAST_MM2 = 0.005
_LEAST_LAYERS = 3
"""What is in fewer layers is a sliver where surfaces run together."""


@dataclass(frozen=True)
class ThinPlace:
    """One place: its middle in the layer at `at_mm`, from where to where it reaches along the normal, mm.

    `width_mm` is its width in the middle one of its layers by width: an edge that tapers off is half as wide there as
    where it counts as thin. `area_mm2` is its largest area in a layer.
    """

    at_mm: tuple[float, float]
    low_mm: float
    high_mm: float
    width_mm: float
    area_mm2: float


@dataclass(frozen=True)
class AreaJump:
    """A layer that is larger than the one below: at a height along the normal, by so much, to so much, mm²."""

    at_mm: tuple[float, float]
    height_mm: float
    before_mm2: float
    after_mm2: float


@dataclass(frozen=True, eq=False)
class LayerFaults:
    """What is thin in a part, the thinnest first, and its greatest step in area; None without one."""

    thin: tuple[ThinPlace, ...]
    jump: AreaJump | None


def thin_of(rings: list[Floats], least_mm: float) -> CrossSection:
    """What of rings (k, 2) is narrower than `least_mm`."""
    here = CrossSection(rings, FillRule.NonZero).simplify(_FINE * least_mm) if rings else CrossSection()
    inner = here.offset(-least_mm / 2, JoinType.Miter, _MITER)
    return here - inner.offset(least_mm / 2 * _SPARE, JoinType.Miter, _MITER)


def layer_faults(
    layers: BodyLayers, least_mm: float, *, stands_on_plate: bool, watch: Watch = UNWATCHED
) -> LayerFaults:
    """What is thinner than `least_mm` in the layers of a part, and where its area grows most."""
    pieces: list[_Piece] = []
    for level, height in enumerate(layers.heights.tolist()):
        watch.at(level / max(1, len(layers.heights)), "looking for what is thin")
        pieces += _pieces(layers.filled.of_level(level), level, height, least_mm)
    return LayerFaults(_gathered(pieces), _jump(layers, stands_on_plate=stands_on_plate))


@dataclass(frozen=True)
class _Piece:
    level: int
    height: float
    middle: tuple[float, float]
    width: float
    area: float
    box: shapely.Polygon


def _pieces(rings: list[Floats], level: int, height: float, least_mm: float) -> list[_Piece]:
    pieces = []
    for piece in thin_of(rings, least_mm).decompose():
        area = float(piece.area())
        if area < LEAST_MM2:
            continue
        outlines = [np.asarray(ring) for ring in piece.to_polygons()]
        width = width_of(piece)
        if area / max(width, 1e-9) < _LEAST_LENGTH * least_mm:
            continue
        points = np.concatenate(outlines)
        low, high = points.min(axis=0), points.max(axis=0)
        # The middle of the box may lie in air; the point of the outline nearest to it never does.
        nearest = points[np.hypot(*(points - (low + high) / 2).T).argmin()]
        middle = float(nearest[0]), float(nearest[1])
        pieces.append(_Piece(level, height, middle, width, area, shapely.box(*low, *high)))
    return pieces


def width_of(piece: CrossSection) -> float:
    """How wide a thin piece of a layer is, mm."""
    return strip_width(float(piece.area()), sum(_length(np.asarray(ring)) for ring in piece.to_polygons()))


def strip_width(area: float, outline: float) -> float:
    """How wide a strip of an area and an outline is: of the rectangle with both, else of the square."""
    half = outline / 2
    inside = half * half / 4 - area
    return half / 2 - math.sqrt(inside) if inside > 0 else math.sqrt(area)


def _length(ring: Floats) -> float:
    return float(np.hypot(*(ring - np.roll(ring, 1, axis=0)).T).sum())


def _gathered(pieces: list[_Piece]) -> tuple[ThinPlace, ...]:
    """Pieces that lie over each other in neighbouring layers as one place; what is in one layer alone is left out."""
    if not pieces:
        return ()
    levels = np.array([piece.level for piece in pieces])
    upper, lower = shapely.STRtree([piece.box for piece in pieces]).query([piece.box for piece in pieces],
                                                                          predicate="intersects")  # fmt: skip
    joined = np.abs(levels[upper] - levels[lower]) <= 1
    owners = components_of(len(pieces), upper[joined], lower[joined])
    count = int(owners.max(initial=-1)) + 1
    places = []
    for owner in range(count):
        mine = [pieces[number] for number in np.flatnonzero(owners == owner).tolist()]
        if mine[-1].level - mine[0].level + 1 >= _LEAST_LAYERS:
            middle = sorted(mine, key=lambda piece: piece.width)[len(mine) // 2]
            most = max(piece.area for piece in mine)
            places.append(ThinPlace(middle.middle, mine[0].height, mine[-1].height, middle.width, most))
    return tuple(sorted(places, key=lambda place: place.width_mm))


def _jump(layers: BodyLayers, *, stands_on_plate: bool) -> AreaJump | None:
    """The greatest step up in area from one layer to the next; the lowest steps up from nothing, if not the plate."""
    areas = layers.areas_mm2
    if not len(areas):
        return None
    steps = np.diff(areas, prepend=areas[0] if stands_on_plate else 0.0)
    most = int(steps.argmax())
    rings = layers.filled.of_level(most)
    middle = np.concatenate(rings).mean(axis=0) if rings else np.zeros(2)
    return AreaJump((float(middle[0]), float(middle[1])), float(layers.heights[most]),
                    float(areas[most] - steps[most]), float(areas[most]))  # fmt: skip

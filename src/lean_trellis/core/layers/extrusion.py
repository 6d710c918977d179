"""Extrusion: loops along the outlines and fill of a body's layers, as beads of a width."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.own_beads import OwnBeads
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.scanning import Rings, scanned
from lean_trellis.core.layers.set_in import set_in
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.progress import UNWATCHED, Watch

_FILL_TURNS_DEG = (45.0, 135.0)
_MITER = 2.0
_LEAST_MM2, _SPARE = 1e-4, 1.02
_SMOOTH_MM = 0.002
"""What outlines are straightened by: offsets leave steps behind that no machine can follow."""


@heavy
def beaded(
    body: BodyLayers, numbers: Longs, beads: Beads, own: Sequence[PathValues] = (), watch: Watch = UNWATCHED
) -> Paths:
    """Loops from the outside in, then fill; open lines are run along once. `numbers` (l,) are those of the layers.

    `own` values hold where they say so, in the layers' frame. Offsets are those of manifold3d's cross sections. What is
    too narrow for a bead gets one as wide as half of it, there and back, so that what is extruded stays as much as the
    layer holds.
    """
    sections = _Sections(set_in(body.filled, beads.inset), len(body.heights))
    own_beads = OwnBeads(beads, own, body.heights, sections.at)
    rings, narrow = _Collected(), _Collected()
    insides: dict[Beads, _Collected] = {beads: _Collected()}
    for level in range(len(body.heights)):
        if level % 32 == 0:
            watch.at(level / len(body.heights), f"laying paths, layer {level + 1} of {len(body.heights)}")
        for piece in sections.at(level).decompose():
            mine = own_beads.of(level, piece)
            inside = _looped(piece, mine, level, rings, narrow)
            insides.setdefault(mine, _Collected()).add(inside, level)
    turns = np.array(_FILL_TURNS_DEG)[numbers % len(_FILL_TURNS_DEG)]
    dense, sparse = [], []
    for mine, inside_of_mine in insides.items():
        full, apart = _parted(inside_of_mine.ways, sections, mine)
        dense.append(_filled(full, mine.width, mine.width, turns))
        if mine.share > 0:
            sparse.append(_filled(apart, mine.width, mine.width / mine.share, turns))
    lines = Paths.of_ways(body.lines, Kind.LINE, body.line_mm)
    return Paths.joined([rings.paths, narrow.paths, *dense, lines, *sparse])


def _looped(piece: CrossSection, beads: Beads, level: int, rings: _Collected, narrow: _Collected) -> CrossSection:
    """Lay the loops of a piece of a layer; what is left inside them."""
    for number in range(beads.loops):
        inside = piece.offset(-beads.width, JoinType.Miter, _MITER)
        thin = _too_narrow(piece, beads.width)
        loop = piece.offset(-beads.width / 2, JoinType.Miter, _MITER)
        _add_thin(narrow, thin, level)
        rings.add(loop, level, piece.area() - inside.area() - thin.area(), Kind.LOOP if number else Kind.OUTLINE)
        piece = inside
        if piece.is_empty():
            break
    return piece


def _filled(ways: LayerWays, width: float, distance: float, turns: Floats) -> Paths:
    """Lines of fill a distance apart."""
    return Paths.of_lines(scanned(Rings.of_ways(ways), distance, turns), Kind.FILL, width)


class _Collected:
    """Outlines of cross sections as they come, layer by layer."""

    def __init__(self) -> None:
        self._rings: list[Floats] = []
        self._levels: list[int] = []
        self._widths: list[float] = []
        self._kinds: list[int] = []

    def add(self, section: CrossSection, level: int, area_mm2: float = 0.0, kind: Kind = Kind.LINE) -> None:
        """Add its outlines: so wide each that together, gone round once, they cover an area."""
        rings = [np.asarray(ring) for ring in section.simplify(_SMOOTH_MM).to_polygons()]
        length = sum(_round_mm(ring) for ring in rings)
        self._rings += rings
        self._levels += [level] * len(rings)
        self._widths += [area_mm2 / max(length, 1e-9)] * len(rings)
        self._kinds += [int(kind)] * len(rings)

    @property
    def ways(self) -> LayerWays:
        """The outlines alone."""
        return LayerWays.of_rings(self._rings, np.array(self._levels, np.int64))

    @property
    def paths(self) -> Paths:
        """Each gone round once."""
        ways = Paths.of_rings(self.ways, Kind.LINE, 0.0).ways
        return Paths(ways, np.array(self._kinds, np.int64), np.array(self._widths, np.float64))


def _round_mm(ring: Floats) -> float:
    """The length of a ring (k, 2)."""
    return float(np.hypot(*(np.roll(ring, -1, axis=0) - ring).T).sum())


class _Sections:
    """Cross sections of the layers of a body; beyond its ends there is nothing."""

    def __init__(self, outlines: LayerWays, count: int) -> None:
        self._outlines, self._count = outlines, count
        self._made: dict[int, CrossSection] = {}

    def at(self, level: int) -> CrossSection:
        if not 0 <= level < self._count:
            return CrossSection()
        if level not in self._made:
            rings = self._outlines.of_level(level)
            made = CrossSection(rings, FillRule.NonZero) if rings else CrossSection()
            self._made[level] = made.simplify(_SMOOTH_MM)
        return self._made[level]


def _too_narrow(section: CrossSection, width: float) -> CrossSection:
    """What no bead of a width fits into with a little to spare: the section less its opening by half of it.

    Without spare a wall of just a bead would have a loop without any width along its middle, and be lost.
    """
    half = width / 2 * _SPARE
    opened = section.offset(-half, JoinType.Miter, _MITER).offset(1.05 * half, JoinType.Miter, _MITER)
    return section - opened


def _add_thin(narrow: _Collected, thin: CrossSection, level: int) -> None:
    """Beads along narrow places: once round each, there and back, so wide as keeps the area."""
    for place in thin.decompose():
        if place.area() > _LEAST_MM2:
            inset = place.area() / sum(_round_mm(np.asarray(ring)) for ring in place.to_polygons()) / 2
            narrow.add(place.offset(-inset, JoinType.Miter, _MITER), level, place.area())


def _parted(insides: LayerWays, sections: _Sections, beads: Beads) -> tuple[LayerWays, LayerWays]:
    """The insides of the layers, parted into what is filled fully and what is not."""
    if beads.share >= 1.0 or not beads.shells:
        nothing = insides.only(np.zeros(0, np.int64))
        return (insides, nothing) if beads.share >= 1.0 else (nothing, insides)
    dense, sparse = _Collected(), _Collected()
    steps = [step for step in range(-beads.shells, beads.shells + 1) if step]
    for level in np.unique(insides.levels).tolist():
        inside = CrossSection(insides.of_level(level), FillRule.NonZero)
        deep = inside
        for step in steps:
            deep = deep ^ sections.at(level + step)
            if deep.is_empty():
                break
        # Slivers of less than a bead are filled with what lies beside them.
        deep = deep.offset(-beads.width, JoinType.Miter, _MITER).offset(beads.width, JoinType.Miter, _MITER) ^ deep
        sparse.add(deep, level)
        dense.add(inside - deep, level)
    return dense.ways, sparse.ways

"""Bars of a support as one actor: what of them is drawn, and how they are coloured."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, level_rings
from lean_trellis.core.supports.bars.facts.figures import BarFigures
from lean_trellis.core.supports.bars.struts import (
    BEND,
    FOOT_TOP,
    LOWER_END,
    ON_PART,
    SHAFT_END,
    SHAFT_START,
    TIP_END,
)
from lean_trellis.core.supports.common.solids import faces_of_one, ring_solids
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.view3d.actors import (
    as_bytes,
    colour_faces,
    line_actor,
    line_data,
    mesh_actor,
    mixed_bytes,
    poly_data,
)

_SLIGHTLY, _TIP_PALE = 1.001, 0.8
_LEANS_DEG = 0.01


@dataclass
class BarsActor:
    """The actor of a support: the bars' faces first, in order, then those of trunks and of all else that is shared."""

    actor: vtkActor
    data: vtkPolyData
    bars: Bars
    faces_per_bar: int
    faces_per_trunk: int
    faces_per_strut: int
    tip_faces: Longs
    """Which faces of each bar are those of its tip."""
    look: Any = None
    lines: vtkActor | None = None
    """What stands for it while the view moves, where it is heavy: the middle lines alone."""

    def bar_of(self, cell: int) -> int:
        """The bar that a cell belongs to, -1 for what is shared."""
        bar = cell // max(self.faces_per_bar, 1)
        return bar if bar < len(self.bars) else -1


@dataclass(frozen=True, eq=False)
class Shades:
    """The figure that bars are coloured by, and from where to where it goes."""

    figures: BarFigures
    key: str
    limits: tuple[float, float]


def stand_in(bars: Bars, tokens: Tokens) -> vtkActor:
    """The middle lines of bars, trunks and braces, two pixels wide."""
    places, _ = bars.beams()
    actor = line_actor(line_data(places[:, 0], places[:, 1]), tokens.copper, 2)
    actor.PickableOff()
    return actor


def bars_actor(bars: Bars, sides: int, tokens: Tokens) -> BarsActor:
    """An actor with as many sides a bar as there is time for."""
    rings = _shown_rings(bars)
    own = _drawn_bars(bars, rings, sides)
    mesh = join([own, replace(bars, sides=sides).shared_mesh])
    data = poly_data(mesh.vertices, mesh.faces)
    per_bar = len(own.faces) // max(len(bars), 1)
    per_trunk = len(bars.trunks.mesh(sides).faces) // max(len(bars.trunks), 1)
    per_strut = faces_of_one(2, sides)
    ring_of_corner = own.faces[:per_bar] // sides
    tips = np.flatnonzero(ring_of_corner.min(axis=1) >= len(rings) - 2) if per_bar else np.zeros(0, np.int64)
    return BarsActor(mesh_actor(data, tokens.copper), data, bars, per_bar, per_trunk, per_strut, tips)


def colour_bars(entry: BarsActor, selected: Set[int], shades: Shades | None, tokens: Tokens) -> None:
    """Copper with pale tips, darker on parts; by a figure where there is one; selected ones ivy; shared ones darker."""
    bars, copper, ink = entry.bars, as_bytes(tokens.copper), as_bytes(tokens.ink)
    own = np.where((bars.landings == ON_PART)[:, None], mixed_bytes(copper, ink, 0.4), copper)
    if shades is not None:
        own = figure_colours(shades.figures.values(shades.key), shades.limits, tokens)
    own = own.astype(np.uint8)
    own[sorted(number for number in selected if number < len(bars))] = as_bytes(tokens.ivy)
    colours = np.tile(mixed_bytes(copper, ink, 0.15), (entry.data.GetNumberOfPolys(), 1))
    first = len(bars) * entry.faces_per_bar
    colours[:first] = np.repeat(own, entry.faces_per_bar, axis=0)
    plain = np.ones(len(bars), bool)
    plain[[number for number in selected if number < len(bars)]] = False
    if shades is None:
        each = np.flatnonzero(plain)[:, None] * entry.faces_per_bar + entry.tip_faces
        colours[each.reshape(-1)] = mixed_bytes(copper, as_bytes(tokens.pale), _TIP_PALE)
    if shades is not None and shades.key == "used" and len(bars.trunks):
        stems = figure_colours(shades.figures.trunk_used, shades.limits, tokens)
        last = first + len(stems) * entry.faces_per_trunk
        colours[first:last] = np.repeat(stems, entry.faces_per_trunk, axis=0)
    _colour_shared(entry, colours, tokens)
    colour_faces(entry.data, colours)


def _colour_shared(entry: BarsActor, colours: np.ndarray, tokens: Tokens) -> None:
    """Shared feet in slate and ties in heather: they are the last of the faces."""
    feet, ties = len(entry.bars.feet.mesh.faces), len(entry.bars.ties) * entry.faces_per_strut
    last = len(colours) - feet
    colours[last:] = as_bytes(tokens.slate)
    colours[last - ties : last] = as_bytes(tokens.heather)


def _drawn_bars(bars: Bars, rings: list[int], sides: int) -> Mesh:
    """The bars alone as solids with those rings; heads as planes that rise with the part."""
    grid = HeadGrid(sides, sides, 1)
    corners = level_rings(bars.centres[:, rings], bars.radii[:, rings], grid.circle)
    if bars.ends is not None:
        for ring, heads in ((0, bars.ends.lower), (-1, bars.ends.upper)):
            corners[:, ring, :, 2] = heads.as_planes(bars.ends.grid, grid).tops[:, :sides]
    return ring_solids(corners)


def _shown_rings(bars: Bars) -> list[int]:
    """The rings that make a difference: the neck is not drawn, nor those on a straight line."""
    rings = [LOWER_END, SHAFT_START, SHAFT_END, TIP_END]
    if len(bars) and (bars.leans_deg > 0.01).any():
        rings.append(BEND)
    if len(bars) and (bars.radii[:, FOOT_TOP] > bars.radii[:, SHAFT_START] * 1.001).any():
        rings.append(FOOT_TOP)
    return sorted(rings)


def figure_colours(values: Floats, limits: tuple[float, float], tokens: Tokens) -> np.ndarray:
    """(n, 3): from verdigris at the lower limit over straw to the colour of stops at the upper one."""
    low, high = limits
    share = np.clip((values - low) / max(high - low, 1e-12), 0, 1)[:, None]
    cool, middle, hot = (as_bytes(colour) for colour in (tokens.verdigris, tokens.straw, tokens.stop))
    lower, upper = cool + (middle - cool) * share * 2, middle + (hot - middle) * (share * 2 - 1)
    return np.round(np.where(share < 0.5, lower, upper))

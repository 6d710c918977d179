"""What the underside map shows, as paths in plate coordinates; made anew only where something changed."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainterPath, QPolygonF

from lean_trellis.core.arrays import Floats
from lean_trellis.core.overhang import Island, Region
from lean_trellis.core.overhang.rim import FADING, FREE, WALL
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.bars.struts import BEND, ON_PART, ON_TRUNK, TIP_END
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.studio.forms.qt import points_of, polygon_of
from lean_trellis.studio.hatched import Hatch
from lean_trellis.studio.looks import look_of
from lean_trellis.studio.painter_paths import path_of
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownRegions, filling_name
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.map_sheet import SolidSheet, add_shape
from lean_trellis.studio.underside.solid_sheet import solid_sheet

_SHADES = 32


@dataclass(frozen=True, eq=False)
class RegionShape:
    """A region in plan: its filled path (face regions), its places (low edges and points), its box."""

    region: Region
    path: QPainterPath
    places: QPolygonF
    box: QRectF

    def holds(self, x: float, y: float, reach: float) -> bool:
        """Whether a place is on it; low edges and points count within `reach` mm."""
        if self.region.kind == "face":
            return self.box.contains(x, y) and self.path.contains(QPointF(x, y))
        return any(np.hypot(p.x() - x, p.y() - y) <= reach for p in points_of(self.places))


@dataclass
class PartSheet:
    """All that is drawn of one part."""

    part: str
    silhouette: QPainterPath
    shapes: list[RegionShape]
    rims: dict[int, list[QPolygonF]]
    islands: tuple[Island, ...] = ()
    hatches: dict[int, list[QLineF]] = field(default_factory=dict)
    selected: list[QLineF] = field(default_factory=list)

    def from_above(self) -> list[RegionShape]:
        """The face regions, the highest first: seen from below the lower ones lie over them."""
        faces = (shape for shape in self.shapes if shape.region.kind == "face")
        return sorted(faces, key=lambda shape: -shape.region.lowest_mm)


@dataclass(frozen=True, eq=False)
class Dots:
    """Contacts or feet: (n, 2) middles by their diameter in mm; feet on a part apart."""

    by_diameter: dict[float, Floats]
    on_part: Floats


@dataclass(frozen=True, eq=False)
class SupportSheet:
    """A support from below: contacts, feet, what leans or goes across as lines, the outlines of shared feet."""

    support: str
    contacts: Dots
    feet: Dots
    lines: list[QLineF]
    shared: list[QPolygonF]


class UndersideSheet:
    """Keeps the parts' drawings in step with the session, by the identity of what they follow from."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._kept: dict[str, tuple[Any, PartSheet]] = {}
        self._supports: dict[str, tuple[Bars, SupportSheet]] = {}
        self._solids: dict[str, tuple[Any, SolidSheet]] = {}

    def parts(self) -> list[PartSheet]:
        """The drawings of all parts that are shown and known; the lowest last, which lies over the others."""
        sheets = []
        for part in sorted(self._session.job.parts, key=lambda part: -float(part.bounds()[0, 2])):
            regions = self._session.regions(part)
            if part.is_hidden or regions is None:
                continue
            selected = self._session.selection.faces if part.id == self._session.selection.part else None
            hatch = self._session.hatch(part)
            picks = None if selected is None else self._session.selected_hatch(part, selected)
            key = (regions, self._session.islands(part), hatch, part.pose, selected, picks is None)
            kept = self._kept.get(part.id)
            if kept is None or kept[0] != key:
                kept = (key, _drawn(part, regions, key[1] or (), hatch, picks))
                self._kept[part.id] = kept
            sheets.append(kept[1])
        return sheets

    def supports(self) -> list[SupportSheet]:
        """The drawings of all supports that are known and of parts that are shown."""
        sheets = []
        hidden = {part.id for part in self._session.job.parts if part.is_hidden}
        for support in self._session.job.supports:
            bars = self._session.bars(support)
            if bars is None or support.part_id in hidden or bars.is_empty:
                continue
            kept = self._supports.get(support.id)
            if kept is None or kept[0] is not bars:
                shared = [polygon_of(rings[1, :, :2]) for rings in bars.feet.rings]
                kept = (bars, SupportSheet(support.id, _contacts(bars), _feet(bars), _lines(bars), shared))
                self._supports[support.id] = kept
            sheets.append(kept[1])
        return sheets

    def separators(self) -> list[tuple[str, QPainterPath]]:
        """What lies in the gaps of stacks, once known: names and outlines."""
        sheets = []
        for stack in self._session.job.stacks:
            shown = None if stack.filling is None else self._session.fillings(stack)
            if stack.filling is None or shown is None:
                continue
            path = QPainterPath()
            add_shape(path, shown.covers)
            sheets.append((filling_name(stack.filling), path))
        return sheets

    def solids(self, tokens: Tokens) -> list[SolidSheet]:
        """The drawings of all supports that are no bars: rafts first, which lie below the others."""
        sheets = []
        job = self._session.job
        hidden = {part.id for part in job.parts if part.is_hidden}
        for support in sorted(job.supports, key=lambda support: not spec_of(support).is_ground):
            shown = None if look_of(support).is_drawn_as_bars else self._session.shown_structure(support)
            if shown is None or support.part_id in hidden or shown.made.is_empty:
                continue
            kept = self._solids.get(support.id)
            if kept is None or kept[0][0] is not shown.made or kept[0][1] != tokens:
                kept = self._solids[support.id] = ((shown.made, tokens), solid_sheet(support, shown, tokens))
            sheets.append(kept[1])
        return sheets


def _drawn(
    part: Part, regions: ShownRegions, islands: tuple[Island, ...], hatch: Hatch | None, picks: Floats | None
) -> PartSheet:
    silhouette = path_of(regions.silhouette, closes=True, fill=Qt.FillRule.OddEvenFill)
    sheet = PartSheet(part.id, silhouette, _shapes(part, regions), _rims(regions), islands)
    if hatch is not None:
        sheet.hatches = {level: _lines_of(lines) for level, lines in hatch.below.items()}
    if picks is not None:
        sheet.selected = _lines_of(picks)
    return sheet


def _lines_of(lines: Floats) -> list[QLineF]:
    return [QLineF(*line) for line in lines.reshape(-1, 4).tolist()]


def _shapes(part: Part, regions: ShownRegions) -> list[RegionShape]:
    shapes = []
    for region in regions.regions:
        path, places = QPainterPath(), QPolygonF()
        if region.kind == "face":
            path = path_of([ring for ring, _ in regions.outlines.of_region(region.id)], closes=True)
            box = path.boundingRect()
        else:
            places = polygon_of(part.pose.to_plate(part.mesh, part.mesh.vertices[region.vertices])[:, :2])
            box = places.boundingRect()
        shapes.append(RegionShape(region, path, places, box))
    return shapes


def _rims(regions: ShownRegions) -> dict[int, list[QPolygonF]]:
    """The rim by kind, as lines along as many edges of one kind as follow each other."""
    outlines = regions.outlines
    if not len(outlines.places):
        return {}
    count = len(outlines.places)
    following = np.arange(1, count + 1)
    following[outlines.loop_starts[1:] - 1] = outlines.loop_starts[:-1]
    begins = np.append(True, outlines.kinds[1:] != outlines.kinds[:-1])
    begins[outlines.loop_starts[:-1]] = True
    firsts = np.flatnonzero(begins)
    rims: dict[int, list[QPolygonF]] = {kind: [] for kind in (FREE, WALL, FADING)}
    for first, stop in zip(firsts.tolist(), [*firsts[1:].tolist(), count], strict=True):
        places = np.append(outlines.places[first:stop, :2], outlines.places[following[stop - 1], :2][None], axis=0)
        rims[int(outlines.kinds[first])].append(polygon_of(places))
    return rims


def _contacts(bars: Bars) -> Dots:
    return _dots(bars.holds[:, :2], 2 * bars.radii[:, -1], np.zeros(len(bars), bool))


def _feet(bars: Bars) -> Dots:
    """Feet of bars that stand by themselves, and of trunks."""
    own, stems = bars.landings != ON_TRUNK, bars.trunks.below < 0
    places = np.concatenate([bars.centres[own, 0, :2], bars.trunks.centres[stems, 0, :2]])
    sizes = np.concatenate([2 * bars.radii[own, 0], 2 * bars.trunks.radii[stems, 0]])
    return _dots(places, sizes, np.append(bars.landings[own] == ON_PART, np.zeros(int(stems.sum()), bool)))


_LEANS_DEG = 0.5


def _lines(bars: Bars) -> list[QLineF]:
    """Bars that lean, trunks and braces, from end to end."""
    leans = bars.leans_deg > _LEANS_DEG
    shafts = np.stack([bars.centres[leans, BEND, :2], bars.centres[leans, TIP_END, :2]], axis=1)
    trunks = np.stack([bars.trunks.centres[:, 1, :2], bars.trunks.centres[:, -1, :2]], axis=1)
    struts = [np.stack([some.starts[:, :2], some.stops[:, :2]], axis=1) for some in (bars.braces, bars.ties)]
    every = np.concatenate([shafts, trunks, *struts])
    return [QLineF(*line) for line in every.reshape(-1, 4).tolist()]


def _dots(places: Floats, diameters: Floats, on_part: Any) -> Dots:
    rounded = np.round(diameters, 2)
    by_diameter = {float(size): places[(rounded == size) & ~on_part] for size in np.unique(rounded)}
    return Dots({size: dots for size, dots in by_diameter.items() if len(dots)}, places[on_part])


def angle_brush(angle: float, critical: float, plum: str, ochre: str) -> QBrush:
    """From plum at 0° to ochre at the critical angle, in 32 shades."""
    share = min(max(angle / max(critical, 1e-6), 0.0), 1.0)
    return _shade(round(share * _SHADES), plum, ochre)


@lru_cache(maxsize=256)
def _shade(step: int, plum: str, ochre: str) -> QBrush:
    share = step / _SHADES
    low, high = QColor(plum), QColor(ochre)
    mix = [round(a + (b - a) * share) for a, b in zip(low.getRgb()[:3], high.getRgb()[:3], strict=True)]
    return QBrush(QColor(*mix))

"""What of the map lies at a place: handles of bars, regions; and strokes with no more places than they need."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF

from lean_trellis.core.supports.bars.struts import BEND, LOWER_END, ON_PLATE, TIP_END
from lean_trellis.studio.gestures import Handle, Pull
from lean_trellis.studio.session import Session
from lean_trellis.studio.underside.sheet import RegionShape, UndersideSheet
from lean_trellis.studio.underside.solid_sheet import grips

DOT_PX, _RING_PX, _LEANS_DEG = 6.0, 11.0, 0.5


def grip_at(session: Session, x: float, y: float, scale: float) -> Pull | None:
    """The handle of a bar at a place on the plate, mm: its contact within, its foot round that, or its bend.

    `scale` is in pixels a mm: handles are never smaller than a finger of pixels.
    """
    near: list[tuple[float, Pull]] = []
    for support in session.job.supports:
        bars = session.bars(support)
        if bars is None or not len(bars):
            continue
        own = bars.landings == ON_PLATE
        leans = own & (bars.leans_deg > _LEANS_DEG)
        handles: tuple[tuple[Handle, Any, Any, float, Any], ...] = (
            ("hold", bars.holds, bars.radii[:, TIP_END], DOT_PX, np.ones(len(bars), bool)),
            ("foot", bars.centres[:, LOWER_END], bars.radii[:, LOWER_END], _RING_PX, own),
            ("bend", bars.centres[:, BEND], bars.radii[:, BEND], DOT_PX, leans),
        )
        for rank, (handle, places, radii, pixels, there) in enumerate(handles):
            away = np.where(there, np.hypot(places[:, 0] - x, places[:, 1] - y), np.inf)
            bar = int(away.argmin())
            if away[bar] <= max(float(radii[bar]), pixels / scale):
                place = tuple(places[bar].tolist())
                near.append((rank + float(away[bar]) * 1e-6, Pull(support.id, bar, handle, place)))
    for pull in grips(session):
        if np.hypot(pull.place[0] - x, pull.place[1] - y) <= _RING_PX / scale:
            return pull
    current = session.selection.support
    return min(near, key=lambda entry: (entry[1].support != current, entry[0]), default=(0.0, None))[1]


def region_at(sheet: UndersideSheet, x: float, y: float, reach: float) -> tuple[str, RegionShape] | None:
    """The part and region at a place on the plate, within `reach` mm: of several above one another the lowest."""
    near = [
        (drawn.part, shape)
        for drawn in sheet.parts()
        for shape in drawn.shapes
        if shape.box.adjusted(-reach, -reach, reach, reach).contains(x, y) and shape.holds(x, y, reach)
    ]
    # Low edges and points lie under the pointer only when it is meant for them.
    return min(near, key=lambda pair: (pair[1].region.kind == "face", pair[1].region.lowest_mm), default=None)


def regions_within(sheet: UndersideSheet, area: QRectF) -> dict[str, frozenset[int]]:
    """The regions of each part whose whole shape lies in an area of the plate."""
    return {
        drawn.part: frozenset(
            shape.region.id
            for shape in drawn.shapes
            if area.contains(shape.box.topLeft()) and area.contains(shape.box.bottomRight())
        )
        for drawn in sheet.parts()
    }


def thinned(places: list[tuple[float, float]], step: float) -> list[tuple[float, float]]:
    """The places without those nearer than `step` to the one before; the last one stays."""
    kept = places[:1]
    for place in places[1:]:
        if np.hypot(place[0] - kept[-1][0], place[1] - kept[-1][1]) >= step:
            kept.append(place)
    if len(places) > 1 and kept[-1] != places[-1]:
        kept.append(places[-1])
    return kept

"""Work by hand on walls: parts cut out, walls and pieces deleted, walls extended beyond their end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.structure import Unkept
from lean_trellis.core.supports.common.support import HandWork, Place
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.paths import Path, without

_NEAR_MM = 1.0


def on_plate(places: tuple[Place, ...], own: Obstacle) -> Floats:
    """(k, 3): places of the part's own coordinates as the part stands."""
    return own.pose.to_plate(own.tree.mesh, np.array(places, np.float64).reshape(-1, 3))


def with_hand_work(paths: list[Path], hand: HandWork, own: Obstacle, open_floor: int) -> tuple[list[Path], Unkept]:
    """Paths after what was done to them by hand, and what found no wall any more.

    `open_floor` is the floor under which walls are extended beyond their region.
    """
    lost: list[tuple[Floats, str]] = []
    for entry in hand.gone:
        if entry.what == "wall":
            place = on_plate((entry.place,), own)[0]
            number = _nearest(paths, place[:2])
            if number < 0:
                lost.append((place, "the wall that was deleted is not there any more"))
            else:
                del paths[number]
    for led in hand.extended:
        place = on_plate((led.place,), own)[0]
        further = _led_on(paths, place[:2], led.by, open_floor)
        if further is None:
            lost.append((place, "the extended wall no longer ends there"))
        else:
            paths.append(further)
    for line in hand.cut_out:
        outline = on_plate(line.places, own)[:, :2]
        if len(outline) > 2:
            paths = without(paths, shapely.Polygon(outline).buffer(0))
    if not lost:
        return paths, Unkept()
    return paths, Unkept(frozen(np.array([place for place, _ in lost])), tuple(reason for _, reason in lost))


def _nearest(paths: list[Path], place: Floats) -> int:
    """The path nearest to a place, -1 where none is near."""
    if not paths:
        return -1
    away = shapely.distance([path.line for path in paths], shapely.Point(place))
    return int(np.argmin(away)) if away.min() <= _NEAR_MM else -1


def _led_on(paths: list[Path], place: Floats, by: float, floor: int) -> Path | None:
    """The way on from the end of an open path that is nearest to a place."""
    best: tuple[float, Floats, Floats] | None = None
    for path in paths:
        if path.is_closed:
            continue
        for end, before in ((path.places[0], path.places[1]), (path.places[-1], path.places[-2])):
            away = float(np.hypot(*(end - place)))
            if away <= _NEAR_MM and (best is None or away < best[0]):
                way = (end - before) / max(float(np.hypot(*(end - before))), 1e-12)
                best = (away, end, way)
    if best is None:
        return None
    _, end, way = best
    return Path(np.array([end, end + by * way]), floor)


def without_pieces(panels: Panels, hand: HandWork, own: Obstacle) -> Panels:
    """Panels without the pieces that were deleted; those that are not there any more are reported."""
    lost: list[Floats] = []
    for entry in hand.gone:
        if entry.what != "piece":
            continue
        place = on_plate((entry.place,), own)[0]
        away = np.hypot(*(panels.middles - place[:2]).T)
        if not len(away) or away.min() > _NEAR_MM:
            lost.append(place)
            continue
        kept = panels.pieces != panels.pieces[int(away.argmin())]
        panels = replace(panels, slabs=panels.slabs.only(kept), pieces=panels.pieces[kept])
        panels = _tabs_that_stay(panels)
    if lost:
        before = panels.unkept
        reasons = (*before.reasons, *(["the piece that was deleted is not there any more"] * len(lost)))
        panels = replace(panels, unkept=Unkept(np.concatenate([before.places, np.array(lost)]), reasons))
    return panels


def _tabs_that_stay(panels: Panels) -> Panels:
    """Without tabs whose wall is gone there."""
    middles = panels.middles
    reach = panels.lengths_mm / 2 + 1e-6
    changed = {}
    for key in ("tabs", "low_tabs"):
        tabs = getattr(panels, key)
        if not len(tabs) or not len(middles):
            stays = np.zeros(len(tabs), bool)
        else:
            tree = place_tree(middles)
            away, nearest = tree.query(tabs.places[:, :2])
            stays = away <= reach[nearest] + 0.5
        changed[key] = tabs.only(stays)
    return replace(panels, **changed)

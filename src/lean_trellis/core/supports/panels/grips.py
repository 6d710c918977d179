"""Contacts of walls that carry: tabs, with the strip of wall below each as a spring."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.strength.grips import Grips, upright
from lean_trellis.core.supports.panels.panels import Panels

_LEAST_MM = 0.05


def grips_of_panels(panels: Panels) -> Grips:
    """One a tab. A piece of walls stands as one: sideways it bends about the weaker axis of what it is in plan."""
    tabs, thick = panels.tabs, panels.built_thickness
    if not len(tabs):
        return Grips()
    slab = _slabs_below(panels)
    footings = panels.footings()
    names, numbers = np.unique(panels.pieces, return_inverse=True)
    pieces = numbers[slab]
    lowest = np.full(len(names), np.inf)
    np.minimum.at(lowest, footings.pieces, footings.places[:, 2])
    heights = np.maximum(tabs.places[:, 2] - lowest[pieces], _LEAST_MM)
    areas = tabs.widths * thick
    moments = areas * _turning_radii(panels, thick)[pieces] ** 2
    twist = np.minimum(thick, tabs.widths) ** 2 * areas / 12
    return Grips(
        tabs.places, areas, np.minimum(thick, tabs.widths) / 2, tabs.regions, pieces,
        panels.slabs.walls[slab], upright(len(tabs)), heights, moments, areas / heights,
        3 * moments / heights**3, twist / heights,
    )  # fmt: skip


def _slabs_below(panels: Panels) -> Longs:
    """(t,): the slab under each tab: the nearest in plan and height of its top."""
    tops = np.column_stack([panels.middles, panels.slabs.high.mean(axis=1)])
    result: Longs = place_tree(tops).query(panels.tabs.places)[1].astype(np.int64)
    return result


def _turning_radii(panels: Panels, thick: float) -> Floats:
    """(p,) mm: the least radius of gyration of each piece in plan, more than a wall's own where walls cross or turn."""
    _, numbers = np.unique(panels.pieces, return_inverse=True)
    lengths, middles = panels.lengths_mm, panels.middles
    total = np.maximum(np.bincount(numbers, lengths), 1e-12)
    away = middles - np.stack([np.bincount(numbers, lengths * at) / total for at in middles.T], axis=1)[numbers]
    xx, yy, xy = (np.bincount(numbers, lengths * some) / total for some in (
        away[:, 0] ** 2, away[:, 1] ** 2, away[:, 0] * away[:, 1]
    ))  # fmt: skip
    least = (xx + yy) / 2 - np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    result: Floats = np.sqrt(np.maximum(least, 0) + thick**2 / 12)
    return result

"""Contacts of walls that carry: tabs, with the strip of wall below each as a spring."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Longs
from lean_trellis.core.strength.grips import Grips, upright
from lean_trellis.core.supports.panels.panels import Panels

_LEAST_MM = 0.05


def grips_of_panels(panels: Panels) -> Grips:
    """One a tab. Sideways a lone wall bends about its thickness; one that others cross is held in their planes."""
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
    weak, strong = tabs.widths * thick**3 / 12, thick * tabs.widths**3 / 12
    moments = np.where(_are_crossed(panels)[pieces], np.maximum(weak, strong), weak)
    return Grips(
        tabs.places, tabs.widths * thick, np.minimum(thick, tabs.widths) / 2, tabs.regions, pieces,
        panels.slabs.walls[slab], upright(len(tabs)), heights, moments, tabs.widths * thick / heights,
        3 * moments / heights**3, np.minimum(weak, strong) / heights,
    )  # fmt: skip


def _slabs_below(panels: Panels) -> Longs:
    """(t,): the slab under each tab: the nearest in plan and height of its top."""
    tops = np.column_stack([panels.middles, panels.slabs.high.mean(axis=1)])
    result: Longs = cKDTree(tops).query(panels.tabs.places)[1].astype(np.int64)
    return result


def _are_crossed(panels: Panels) -> np.ndarray:
    """(p,): whether a piece has more than one wall."""
    _, numbers = np.unique(panels.pieces, return_inverse=True)
    both = np.unique(np.column_stack([numbers, panels.slabs.walls]), axis=0)
    return np.asarray(np.bincount(both[:, 0]) > 1)

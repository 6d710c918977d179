"""Outlines set in by as much as beam or bead grow beyond them."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Longs
from lean_trellis.core.layers.ways import LayerWays

_MITER = 2.0


def set_in(ways: LayerWays, inset: float) -> LayerWays:
    """Closed ways of layers, set in by `inset` mm (out where it is below 0); what vanishes is left out."""
    if inset == 0 or not len(ways):
        return ways
    rings, levels = [], []
    for level in np.unique(ways.levels).tolist():
        section = CrossSection(ways.of_level(level), FillRule.NonZero).offset(-inset, JoinType.Miter, _MITER)
        some = [np.asarray(ring, np.float64) for ring in section.to_polygons()]
        rings += some
        levels += [level] * len(some)
    of: Longs = np.array(levels, np.int64)
    return LayerWays.of_rings(rings, of)

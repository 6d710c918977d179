"""Layers in which what is too thin is built at the least width: set out on both sides by what it lacks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType, OpType

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.thin_places import LEAST_MM2, thin_of, width_of
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.mesh.slices import Slices
from lean_trellis.core.progress import UNWATCHED, Watch

_MITER = 2.0


def thickened(layers: BodyLayers, least_mm: float, watch: Watch = UNWATCHED) -> BodyLayers:
    """The layers of a part with nothing in them narrower than `least_mm`; `added` is what that adds to each layer."""
    rings: list[Floats] = []
    levels: list[int] = []
    added: list[Floats] = []
    added_levels: list[int] = []
    for level in range(len(layers.heights)):
        watch.at(level / max(1, len(layers.heights)), "thickening layers")
        own = layers.filled.of_level(level)
        more = _added(own, least_mm)
        if more.is_empty():
            outlines = own
        else:
            here = CrossSection(own, FillRule.NonZero)
            outlines = [np.asarray(ring) for ring in (here + more).to_polygons()]
            fresh = [np.asarray(ring) for ring in (more - here).to_polygons()]
            added += fresh
            added_levels += [level] * len(fresh)
        rings += outlines
        levels += [level] * len(outlines)
    ways = LayerWays.of_rings(rings, np.array(levels, np.int64))
    slices = Slices(
        layers.heights, frozen(ways.points), frozen(ways.starts), frozen(ways.levels),
        frozen(np.zeros(len(ways), bool)), layers.slices.gaps,
    )  # fmt: skip
    more_ways = LayerWays.of_rings(added, np.array(added_levels, np.int64))
    return replace(layers, slices=slices, is_plain=True, added=more_ways)


def _added(rings: list[Floats], least_mm: float) -> CrossSection:
    """Thin pieces of a layer, each set out by half of what it lacks."""
    grown = []
    for piece in thin_of(rings, least_mm).decompose():
        if piece.area() >= LEAST_MM2:
            lacking = least_mm - width_of(piece)
            if lacking > 0:
                grown.append(piece.offset(lacking / 2, JoinType.Miter, _MITER))
    return CrossSection.batch_boolean(grown, OpType.Add) if grown else CrossSection()

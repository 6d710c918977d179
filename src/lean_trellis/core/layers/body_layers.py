"""The layers of one part or support: outlines, open lines, areas."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from manifold3d import CrossSection, FillRule

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.mesh.cuts import pieces_of
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.mesh.slices import Slices, sliced
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.progress import UNWATCHED, Watch

CLOSE_MM = 0.05
"""Gaps of an open mesh are closed up to this width."""


@dataclass(frozen=True, eq=False)
class BodyLayers:
    """The layers of a body at their middle heights along the layers' normal.

    Points are in the level frame of the layers: that of the plate, on a belt tilted with it. `line_mm` is how wide an
    open line is built; lines of surfaces that should be closed have none. `is_plain`: one closed shell, whose rings are
    the outlines; else what lies in one another counts once.
    """

    slices: Slices
    line_mm: float
    is_plain: bool

    @property
    def heights(self) -> Floats:
        """(l,): the middle heights, mm along the normal."""
        return self.slices.heights

    def outlines(self, level: int) -> list[Floats]:
        """Rings (k, 2) round what is filled: outer ones anticlockwise, holes clockwise, none across another."""
        rings = self.slices.rings(level)
        if self.is_plain or not rings:
            return rings
        return [np.asarray(ring) for ring in CrossSection(rings, FillRule.NonZero).to_polygons()]

    def pieces(self, level: int) -> list[shapely.Polygon]:
        """The connected pieces of a layer."""
        return pieces_of(self.outlines(level))

    @cached_property
    def areas_mm2(self) -> Floats:
        """(l,): what each layer fills, lines as wide as they are built."""
        if self.is_plain:
            filled = self.slices.areas
        else:
            filled = np.array([_area(self.slices.rings(level)) for level in range(len(self.heights))])
        return frozen(filled + self.line_mm * self.line_lengths_mm)

    @cached_property
    def line_lengths_mm(self) -> Floats:
        """(l,): total length of the open lines of each layer."""
        slices = self.slices
        ways = np.repeat(np.arange(len(slices.levels)), np.diff(slices.starts))
        within = np.flatnonzero(slices.is_open[ways[:-1]] & (np.diff(ways) == 0))
        steps = np.linalg.norm(slices.points[within + 1] - slices.points[within], axis=1)
        lengths = np.bincount(slices.levels[ways[within]], steps, len(slices.heights))
        return frozen(lengths.astype(np.float64))


def _area(rings: list[Floats]) -> float:
    return float(CrossSection(rings, FillRule.NonZero).area()) if rings else 0.0


@heavy
def layered(
    topology: Topology,
    vertices: Floats,
    plan: LayerPlan,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    *,
    line_mm: float = 0.0,
    watch: Watch = UNWATCHED,
) -> BodyLayers:
    """Cut a welded mesh whose corners stand at `vertices` (n, 3) on the plate's frame.

    Raises `EditError` where there are more layers than anybody builds.
    """
    frame = level_frame(layer_normal)
    level = vertices if np.array_equal(frame, np.eye(3)) else vertices @ frame
    low, high = (float(level[:, 2].min()), float(level[:, 2].max())) if len(level) else (0.0, 0.0)
    # Sheets are open because they are meant so: nothing of them is a gap.
    close = CLOSE_MM if line_mm == 0.0 and not topology.is_watertight else 0.0
    slices = sliced(topology, plan.middles(low, high), vertices=level, close_mm=close, watch=watch)
    is_plain = topology.shells == 1 and topology.is_watertight and not len(topology.misoriented_edges)
    return BodyLayers(slices, line_mm, is_plain)

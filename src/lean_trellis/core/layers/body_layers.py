"""The layers of one part or support: outlines, open lines, areas."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from manifold3d import CrossSection, FillRule

from lean_trellis.core.arrays import Bools, Floats, frozen
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.layers.ways import LayerWays
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
    added: LayerWays | None = None
    """What was added to the layers so that nothing is too thin; None where they are as the mesh is."""

    @property
    def heights(self) -> Floats:
        """(l,): the middle heights, mm along the normal."""
        return self.slices.heights

    def outlines(self, level: int) -> list[Floats]:
        """Rings (k, 2) round what is filled: outer ones anticlockwise, holes clockwise, none across another."""
        rings = self.slices.rings(level)
        if not self._may_meet[level]:
            return rings
        return [np.asarray(ring) for ring in CrossSection(rings, FillRule.NonZero).to_polygons()]

    @cached_property
    def filled(self) -> LayerWays:
        """The outlines of all levels."""
        slices = self.slices
        ways = LayerWays(slices.points, slices.starts, slices.levels)
        levels = np.flatnonzero(self._may_meet)
        if not len(levels) and not slices.is_open.any():
            return ways
        plain = ways.only(np.flatnonzero(~slices.is_open & ~self._may_meet[slices.levels]))
        if not len(levels):
            return plain
        rings = [self.outlines(level) for level in levels.tolist()]
        united = LayerWays.of_rings(
            [ring for some in rings for ring in some], np.repeat(levels, [len(some) for some in rings])
        )
        return LayerWays.joined([plain, united])

    @cached_property
    def _may_meet(self) -> Bools:
        """(l,): levels whose rings could lie in or across one another: their boxes do, and they are not one shell's."""
        slices = self.slices
        may = np.zeros(len(slices.heights), bool)
        closed = np.flatnonzero(~slices.is_open & (np.diff(slices.starts) > 0))
        if self.is_plain or not len(closed):
            return may
        ways = LayerWays(slices.points, slices.starts, slices.levels).only(closed)
        low, high = (np.asarray(least.reduceat(ways.points, ways.starts[:-1])) for least in (np.minimum, np.maximum))
        # Levels side by side, so far apart that boxes of two never meet.
        shift = ways.levels * (2.0 * float(np.abs(ways.points).max()) + 1.0)
        boxes = shapely.box(low[:, 0] + shift, low[:, 1], high[:, 0] + shift, high[:, 1])
        one, other = shapely.STRtree(boxes).query(boxes)
        may[ways.levels[one[one != other]]] = True
        # A ring that runs clockwise by itself belongs to what is turned over.
        may[ways.levels[slices.ring_areas[closed] < 0]] = True
        return may

    def between(self, first: int, last: int) -> BodyLayers:
        """The layers from place `first` to before `last` alone."""
        return BodyLayers(self.slices.between(first, last), self.line_mm, self.is_plain)

    @property
    def lines(self) -> LayerWays:
        """The open lines of all levels, where they are built."""
        slices = self.slices
        ways = LayerWays(slices.points, slices.starts, slices.levels)
        return ways.only(np.flatnonzero(slices.is_open & (self.line_mm > 0)))

    def pieces(self, level: int) -> list[shapely.Polygon]:
        """The connected pieces of a layer."""
        return pieces_of(self.outlines(level))

    @cached_property
    def areas_mm2(self) -> Floats:
        """(l,): what each layer fills, lines as wide as they are built."""
        filled = self.slices.areas
        if self._may_meet.any():
            areas = np.bincount(self.filled.levels, self.filled.areas_mm2, len(self.heights))
            filled = areas.astype(np.float64)
        return frozen(filled + self.line_mm * self.line_lengths_mm)

    def volume_mm3(self, thickness: Floats, solid_mm3: float) -> float:
        """What it holds: `solid_mm3` of its mesh where its rings are what is filled, else areas times `thickness`."""
        slices = self.slices
        is_told = (
            self.added is None
            and not slices.is_open.any()
            and not len(slices.gaps)
            and np.allclose(self.areas_mm2, slices.areas)
        )
        return solid_mm3 if is_told else float(self.areas_mm2 @ thickness)

    @cached_property
    def line_lengths_mm(self) -> Floats:
        """(l,): total length of the open lines of each layer."""
        slices = self.slices
        ways = np.repeat(np.arange(len(slices.levels)), np.diff(slices.starts))
        within = np.flatnonzero(slices.is_open[ways[:-1]] & (np.diff(ways) == 0))
        steps = np.linalg.norm(slices.points[within + 1] - slices.points[within], axis=1)
        lengths = np.bincount(slices.levels[ways[within]], steps, len(slices.heights))
        return frozen(lengths.astype(np.float64))


@heavy
def layered(
    topology: Topology,
    vertices: Floats,
    plan: LayerPlan,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    *,
    line_mm: float = 0.0,
    between: tuple[float, float] | None = None,
    every: int = 1,
    watch: Watch = UNWATCHED,
) -> BodyLayers:
    """Cut a welded mesh whose corners stand at `vertices` (n, 3) on the plate's frame.

    With `between` only layers whose middles lie between two heights, mm; of these each n-th, where `every` is more than
    1. Raises `EditError` where there are more layers than anybody builds.
    """
    frame = level_frame(layer_normal)
    level = vertices if np.array_equal(frame, np.eye(3)) else vertices @ frame
    low, high = (float(level[:, 2].min()), float(level[:, 2].max())) if len(level) else (0.0, 0.0)
    # Sheets are open because they are meant so: nothing of them is a gap.
    close = CLOSE_MM if line_mm == 0.0 and not topology.is_watertight else 0.0
    middles = plan.middles(low, high)
    if between is not None:
        middles = middles[(middles >= between[0]) & (middles <= between[1])]
    middles = middles[every // 2 :: every]
    slices = sliced(topology, middles, vertices=level, close_mm=close, watch=watch)
    is_sound = topology.shells == 1 and topology.is_watertight and not len(topology.misoriented_edges)
    is_plain = is_sound and topology.mesh.volume > 0  # of what is turned inside out rings run the wrong way round
    return BodyLayers(slices, line_mm, is_plain)

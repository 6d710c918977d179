"""The greatest span of a region: the diameter of the largest circle that its outline holds, seen from below."""

from __future__ import annotations

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, counted_out
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.outline import Outlines

_FEW_EDGES = 400
_RIM_STEP_MM = 0.2
_MOST_RIM = 4000
_MOST_PLACES = 20_000


def greatest_spans(overhangs: Overhangs) -> Floats:
    """(r,): the greatest span of each region, mm; 0 for low edges and points.

    Outlines with few edges that do not cross themselves give their largest inscribed circle, to 1 % of their
    size. Others are measured at places spread over their faces; an outline that overlaps itself is measured in space,
    so that one turn of a helix does not count as the rim of another.
    """
    spans = np.zeros(len(overhangs.regions))
    for region in overhangs.regions:
        if region.kind == "face":
            spans[region.id] = _span(overhangs, region.id, overhangs.outlines)
    return spans


def _span(overhangs: Overhangs, region: int, outlines: Outlines) -> float:
    loops = [places for places, _ in outlines.of_region(region) if len(places) >= 3]
    if not loops:
        return 0.0
    if sum(len(places) for places in loops) <= _FEW_EDGES and (shape := _simple(loops)) is not None:
        low, high = np.min([p.min(axis=0) for p in loops], axis=0), np.max([p.max(axis=0) for p in loops], axis=0)
        tolerance = max(1e-3, 0.01 * float(np.linalg.norm(high[:2] - low[:2])))
        return float(2 * shapely.maximum_inscribed_circle(shape, tolerance=tolerance).length)
    area = overhangs.regions[region]
    apart = max(_RIM_STEP_MM, (area.area_mm2 / _MOST_PLACES) ** 0.5)
    places, _ = places_on(overhangs.mesh, area.faces, apart)
    return float(2 * place_tree(_along(loops)).query(places, workers=-1)[0].max())


def _simple(loops: list[Floats]) -> shapely.Geometry | None:
    """The area between loops as one polygon, None where it crosses itself or lies in pieces."""
    shapes = [shapely.Polygon(places[:, :2]) for places in loops]
    if not all(shape.is_valid for shape in shapes):
        return None
    outer = max(shapes, key=lambda shape: shape.area)
    holes = [shape for shape in shapes if shape is not outer]
    if not all(outer.contains(hole.representative_point()) for hole in holes):
        return None
    area = outer.difference(shapely.union_all(holes)) if holes else outer
    return area if area.geom_type == "Polygon" and area.area > 0 else None


def _along(loops: list[Floats]) -> Floats:
    """Places along loops, a fifth of a millimetre apart where there are not too many."""
    lines = []
    for places in loops:
        steps = np.roll(places, -1, axis=0) - places
        counts = np.clip(np.ceil(np.linalg.norm(steps, axis=1) / _RIM_STEP_MM), 1, _MOST_RIM / len(places) + 1)
        counts = counts.astype(int)
        which, within = counted_out(counts)
        lines.append(places[which] + (within / counts[which])[:, None] * steps[which])
    return np.concatenate(lines)

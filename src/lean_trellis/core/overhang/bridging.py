"""What supports itself: short ceilings between opposite walls, narrow ledges, regions too small to matter.

A place is bridged when some direction in the layer leads on both sides to a rim that the part carries, no further apart
than the bridge span. A ledge carries itself up to its own, smaller limit. A region is left out when each of its
places is one or the other; one in which a piece of solid begins is never left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.rim import Rim
from lean_trellis.core.shop.material import Material

_DIRECTIONS = 24
_SAMPLE_SHARE = 0.3
_MOST_PER_FACE = 16
_MOST_SAMPLES = 300
_LEVEL_MM = 1e-6
_INSIDE_MM = 1e-3
_FEW = 12


@dataclass(frozen=True)
class SelfBridging:
    """Spans in mm up to which ceilings and ledges support themselves, and the area in mm² below which none counts."""

    bridge_span: float
    ledge_limit: float
    smallest_region: float

    @staticmethod
    def of(material: Material) -> SelfBridging | None:
        """The detection values of a material; None for a vat, where nothing supports itself."""
        detection = material.detection
        if material.process == "vat":
            return None
        return SelfBridging(detection.bridge_span, detection.ledge_limit, detection.smallest_region)

    def with_own(self, **own: float | None) -> SelfBridging:
        """The same, but for the values that are not None."""
        return replace(self, **{key: value for key, value in own.items() if value is not None})


@dataclass(frozen=True, eq=False)
class _FlatRegion:
    """Rim and samples of one region in the layer's own coordinates."""

    starts: Floats
    stops: Floats
    is_supported: Bools


def reasons_to_leave_out(
    topology: Topology,
    placed: Mesh,
    regions: Sequence[tuple[Longs, float]],
    rim: Rim,
    limits: SelfBridging,
    layer_normal: Floats,
) -> list[str]:
    """Why each region is left out, in words; nothing where it is not. `regions` are (faces, area in mm²)."""
    reasons = [""] * len(regions)
    begins = _begins_here(topology, placed, [faces for faces, _ in regions], layer_normal)
    across = any_across(layer_normal)
    frame = np.column_stack([across, np.cross(layer_normal, across)])
    by_region = np.argsort(rim.regions, kind="stable")
    bounds = np.searchsorted(rim.regions[by_region], np.arange(len(regions) + 1))
    reach = max(limits.bridge_span / 2, limits.ledge_limit)
    lengths = np.linalg.norm(rim.stops - rim.starts, axis=1)
    around = np.bincount(rim.regions, weights=lengths, minlength=len(regions))
    for number, (faces, area) in enumerate(regions):
        if begins[number]:
            continue
        if area < limits.smallest_region:
            reasons[number] = f"smaller than {limits.smallest_region:g} mm²"
            continue
        if reach <= 0 or area > 1.1 * reach * around[number] / np.sqrt(0.5):
            continue  # wider than any circle that could bridge
        mine = by_region[bounds[number] : bounds[number + 1]]
        if rim.is_supported[mine].any():
            flat = _FlatRegion(rim.starts[mine] @ frame, rim.stops[mine] @ frame, rim.is_supported[mine])
            reasons[number] = _reason(flat, _samples(placed, faces, reach) @ frame, limits)
    return reasons


def _reason(flat: _FlatRegion, places: Floats, limits: SelfBridging) -> str:
    places = np.concatenate([places, _along_free_rim(flat)])
    few = places[:: max(1, len(places) // _FEW)]
    if not _carried(few, flat, limits)[0].all():
        return ""
    carried, to_support, widths = _carried(places, flat, limits)
    if not carried.all():
        return ""
    if (widths <= limits.bridge_span).all():
        return f"bridges {widths.max():.2g} mm"
    if (to_support <= limits.ledge_limit).all():
        return f"a ledge of {to_support.max():.2g} mm"
    return f"bridges {widths[widths <= limits.bridge_span].max():.2g} mm, with ledges beside"


def _carried(places: Floats, flat: _FlatRegion, limits: SelfBridging) -> tuple[Bools, Floats, Floats]:
    """(n,) each: whether a place supports itself, its distance to a carried rim, the least way across through it."""
    to_support = _distances(places, flat.starts[flat.is_supported], flat.stops[flat.is_supported])
    widths = _widths(places, flat)
    return (to_support <= limits.ledge_limit) | (widths <= limits.bridge_span), to_support, widths


def _along_free_rim(flat: _FlatRegion) -> Floats:
    """Places a hair inside the rim where nothing carries: middle and ends of each edge, the region on its right.

    A free corner is farther from what carries than both of its sides.
    """
    starts, stops = flat.starts[~flat.is_supported], flat.stops[~flat.is_supported]
    step = stops - starts
    length = np.maximum(np.linalg.norm(step, axis=1, keepdims=True), 1e-300)
    inward = _INSIDE_MM * np.column_stack([step[:, 1], -step[:, 0]]) / length
    back = _INSIDE_MM * step / length
    return np.concatenate([(starts + stops) / 2 + inward, starts + inward + back, stops + inward - back])


def _samples(placed: Mesh, faces: Longs, reach: float) -> Floats:
    """Places on faces, closer together than the smallest detail that counts; of many, evenly taken ones."""
    places, _ = places_on(placed, faces, _SAMPLE_SHARE * 2 * reach, most_across=_MOST_PER_FACE)
    if len(places) > _MOST_SAMPLES:
        places = places[np.linspace(0, len(places) - 1, _MOST_SAMPLES).astype(int)]
    return places


def _distances(places: Floats, starts: Floats, stops: Floats) -> Floats:
    """(n,): distance of each (n, 2) place to the nearest segment."""
    along = stops - starts
    length = np.maximum(np.einsum("ij,ij->i", along, along), 1e-300)
    share = np.clip(np.einsum("nsj,sj->ns", places[:, None] - starts, along) / length, 0, 1)
    nearest = starts + share[:, :, None] * along
    result: Floats = np.linalg.norm(places[:, None] - nearest, axis=2).min(axis=1)
    return result


def _widths(places: Floats, flat: _FlatRegion) -> Floats:
    """(n,): the least way across through each place from carried rim to carried rim; infinite where there is none."""
    turns = np.arange(_DIRECTIONS) * np.pi / _DIRECTIONS
    best = np.full(len(places), np.inf)
    for direction in np.column_stack([np.cos(turns), np.sin(turns)]):
        width = np.zeros(len(places))
        for side in (direction, -direction):
            distance, is_supported = _first_rim(places, side, flat)
            width += np.where(is_supported, distance, np.inf)
        best = np.minimum(best, width)
    return best


def _first_rim(places: Floats, direction: Floats, flat: _FlatRegion) -> tuple[Floats, Bools]:
    """(n,), (n,): how far the rim is in a direction, and whether the part carries it there."""
    across = np.array([-direction[1], direction[0]])
    low, high = flat.starts @ across, flat.stops @ across
    at = (places @ across)[:, None]
    crosses = (np.minimum(low, high) <= at) & (at < np.maximum(low, high))
    with np.errstate(divide="ignore", invalid="ignore"):
        share = (at - low) / (high - low)
    along_start, along_stop = flat.starts @ direction, flat.stops @ direction
    way = along_start + share * (along_stop - along_start) - (places @ direction)[:, None]
    way = np.where(crosses & (way > -1e-9), way, np.inf)
    first = way.argmin(axis=1)
    rows = np.arange(len(places))
    return way[rows, first], flat.is_supported[first] & np.isfinite(way[rows, first])


def _begins_here(topology: Topology, placed: Mesh, regions: Sequence[Longs], up: Floats) -> Bools:
    """Whether a piece of solid begins in each region: a plateau of vertices with none lower beside it."""
    if not len(regions):
        return np.zeros(0, bool)
    along = placed.vertices @ up
    touched = np.zeros(len(along), bool)
    touched[placed.faces[np.concatenate(regions)]] = True
    ends = topology.edge_vertices
    ends = ends[touched[ends].any(axis=1)].astype(np.int64)
    difference = along[ends[:, 1]] - along[ends[:, 0]]
    level = np.abs(difference) <= _LEVEL_MM
    plateau = components_of(len(along), *ends[level].T)
    has_lower = np.zeros(plateau.max() + 1, bool)
    steep = ends[~level]
    higher = np.where(difference[~level] > 0, steep[:, 1], steep[:, 0])
    has_lower[plateau[higher]] = True
    starts = np.cumsum([0] + [len(faces) for faces in regions[:-1]])
    is_birth = (~has_lower[plateau[placed.faces[np.concatenate(regions)]]]).any(axis=1)
    result: Bools = np.logical_or.reduceat(is_birth, starts)
    return result

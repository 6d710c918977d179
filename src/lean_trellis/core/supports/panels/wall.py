"""Walls along a line: below a low edge, on the rim of a region, or along a path that was drawn."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.common.floors import floors_of
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.panels.by_hand import on_plate
from lean_trellis.core.supports.panels.courses import Roof
from lean_trellis.core.supports.panels.lattice import cut_ring, grid_cuts, open_floor, panels_along, rings_of
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.parameters import WallParameters
from lean_trellis.core.supports.panels.paths import Path, without

WallRequest = Request[WallParameters]


@dataclass(frozen=True, eq=False)
class EdgeRoof:
    """A low edge in space: heights along it are its own."""

    region: int
    mesh: Mesh
    places: Floats

    @cached_property
    def edges(self) -> Floats:
        """None: between its corners an edge is straight."""
        return np.zeros((0, 2, 2))

    def surface_at(self, places: Floats) -> tuple[Floats, Longs]:
        """Heights (n,) of the edge at (n, 2) places along it; no faces."""
        line = shapely.linestrings(self.places[:, :2])
        along = shapely.line_locate_point(line, shapely.points(places))
        steps = np.hypot(*np.diff(self.places[:, :2], axis=0).T)
        heights = np.interp(along, np.concatenate([[0.0], np.cumsum(steps)]), self.places[:, 2])
        return heights, np.full(len(places), -1)


def generate_wall(request: WallRequest, watch: Watch = UNWATCHED) -> Panels:
    """Walls along the low edges and the rims of the chosen regions, and along the paths that were drawn."""
    p = request.parameters
    roofs: list[Roof] = []
    paths: list[Path] = []
    for region in request.chosen:
        kind = request.overhangs.regions[region].kind
        if kind == "edge":
            for chain in chains(request.overhangs.mesh, request.overhangs.regions[region].vertices):
                roofs.append(EdgeRoof(region, request.overhangs.mesh, chain))
                paths += _cut_line(chain[:, :2], p, len(roofs) - 1)
        elif kind == "face":
            for floor in floors_of(request.overhangs, region, request.protected):
                roofs.append(floor)
                for ring in rings_of(floor.inside(p.inset)):
                    paths += cut_ring(ring, _cuts_along(ring, p), len(roofs) - 1)
    if request.hand.paths:
        roofs.append(open_floor(request))
        for line in request.hand.paths:
            if len(line.places) > 1:
                paths += _cut_line(on_plate(line.places, request.obstacles[0])[:, :2], p, len(roofs) - 1)
    made = panels_along(paths, roofs, request, watch)
    if p.largest_piece is not None and made.piece_sizes_mm.max(initial=0.0) > p.largest_piece + 1e-6:
        # Walls of several lines cross: they are cut by one grid instead of each for itself.
        lines = shapely.union_all([path.line for path in paths])
        bands = grid_cuts(lines, p, request.overhangs.mesh.bounds.mean(axis=0)[:2])
        return panels_along(without(paths, bands), roofs, request, watch)
    return made


def _cuts_along(line: shapely.Geometry, p: WallParameters) -> shapely.Geometry | None:
    """Cuts square to a line, so that no stretch is longer than the largest piece."""
    if p.largest_piece is None:
        return None
    length = line.length
    count = int(np.ceil(length / (p.largest_piece - p.thickness)))
    first = 0 if line.is_closed else 1
    if count < 2:
        return None
    places = [line.interpolate(length * number / count) for number in range(first, count)]
    return shapely.union_all([place.buffer(p.cut_width / 2, quad_segs=4) for place in places])


def _cut_line(places: Floats, p: WallParameters, roof: int) -> list[Path]:
    fresh = np.append(True, np.hypot(*np.diff(places, axis=0).T) > 1e-6)
    line = shapely.LineString(places[fresh]) if fresh.sum() > 1 else None
    if line is None:
        return []
    cuts = _cuts_along(line, p)
    left = line if cuts is None else line.difference(cuts)
    return [Path(shapely.get_coordinates(part), roof) for part in shapely.get_parts(left)]


def chains(mesh: Mesh, vertices: Longs) -> list[Floats]:
    """The vertices of a low edge in their order along it, as (k, 3) places; several where the edge forks."""
    inside = np.zeros(len(mesh.vertices), bool)
    inside[vertices] = True
    corners = mesh.faces.astype(np.int64)
    pairs = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]])
    pairs = np.unique(np.sort(pairs[inside[pairs].all(axis=1)], axis=1), axis=0)
    if not len(pairs):
        return []
    lines = shapely.linestrings(mesh.vertices[pairs])
    merged = shapely.line_merge(shapely.multilinestrings(lines))
    return [shapely.get_coordinates(part, include_z=True) for part in shapely.get_parts(merged)]

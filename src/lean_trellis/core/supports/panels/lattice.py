"""Lattices: where their walls run below a region, and where these are cut into pieces."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import chain, pairwise
from typing import Any

import numpy as np
import shapely

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.common.floors import Floor, Shape, floors_of, moved_out
from lean_trellis.core.supports.common.parameters import self_supporting_lean
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.panels.by_hand import with_hand_work, without_pieces
from lean_trellis.core.supports.panels.clearance import slabs_met
from lean_trellis.core.supports.panels.courses import Footing, Roof, Surveyor
from lean_trellis.core.supports.panels.panels import NO_PANELS, Columns, Panels, Slabs
from lean_trellis.core.supports.panels.parameters import LatticeParameters, PanelParameters
from lean_trellis.core.supports.panels.paths import LEAST_WALL_MM, Path, stretches, without
from lean_trellis.core.supports.panels.pieces import where_walls_meet
from lean_trellis.core.supports.panels.shapes import panels_of

_LOOKS_DOWN = 0.02
_SHARP_DEG = 20.0
_LOOKED_AT = (0.05, 0.5, 0.95)
"""At these shares of each slab it is looked whether a part lies in it."""
_LEAST_HEIGHT_MM = 0.2
_PHASES, _ACROSS = 4, 3.0
_BEND_MM = 0.005
"""Corners of outlines that stand off the line between their neighbours by less are passed over."""
LatticeRequest = Request[LatticeParameters]


def generate_lattice(request: LatticeRequest, watch: Watch = UNWATCHED) -> Panels:
    """The lattice below the chosen regions. The same request gives the same panels."""
    p = request.parameters
    floors: list[Roof] = []
    insides: list[Shape] = []
    for number, region in enumerate(request.chosen):
        watch.at(0.4 + 0.1 * number / len(request.chosen), "laying out walls")
        for floor in floors_of(request.overhangs, region, request.protected):
            floors.append(floor)
            insides.append(floor.inside(p.inset))
    # All regions are cut by the same lines: where walls of several meet, pieces stay as small as asked.
    rings = [rim_rings(inside, p) for inside in insides]
    bands = cuts_of(shapely.union_all(insides), list(chain.from_iterable(rings)), p, _origin(request))
    paths: list[Path] = []
    for number, (inside, own) in enumerate(zip(insides, rings, strict=True)):
        paths += lattice_paths(inside, own, p, number, _origin(request), bands)
    return panels_along(paths, floors, request, watch)


def _origin(request: LatticeRequest) -> Floats:
    """The place that cells are counted from: the middle of the part, so that they move with it."""
    low, high = request.overhangs.mesh.bounds
    result: Floats = ((low + high) / 2)[:2]
    return result


def open_floor(request: Request[Any]) -> Floor:
    """Any underside of the own part that is not protected, as one floor of no region."""
    mesh = request.overhangs.mesh
    down = mesh.normals[:, 2] < -_LOOKS_DOWN
    if request.protected is not None:
        down &= request.protected == 0
    return Floor(-1, mesh, np.flatnonzero(down), None, np.zeros((0, 2, 2)))


def panels_along(paths: list[Path], roofs: list[Roof], request: Request[Any], watch: Watch = UNWATCHED) -> Panels:
    """Panels along paths under roofs, after what was done to them by hand."""
    p: PanelParameters = request.parameters
    if not paths and not request.hand.extended:
        return NO_PANELS
    own = request.obstacles[0]
    if request.hand.extended:
        roofs = [*roofs, open_floor(request)]
    if p.thickness > 0:
        paths = [part for path in paths for part in parted_at_corners(path)]
    paths, unkept = with_hand_work(paths, request.hand, own, len(roofs) - 1)
    if request.around is not None and not request.around.is_empty:
        paths = without(paths, request.around.buffer(p.trim_clearance + p.thickness / 2))
    if not paths:
        return replace(NO_PANELS, unkept=unkept)
    watch.at(0.5, f"projecting {len(paths):,} walls down")
    footing = Footing(p.ends_on, p.level, p.level_from)
    contacts = p.contact_at(request.layer_height), p.lower_contact(request.layer_height)
    surveyor = Surveyor(paths, roofs, request.obstacles, request.ground, footing, p.thickness, contacts)
    lift = max(p.lift_mm(request.layer_height), 0.0)
    courses = surveyor.courses(_LEAST_HEIGHT_MM + lift)
    watch.at(0.7, "cutting openings and tabs")
    reach = min(p.thickness / 2, 0.9 * p.cut_width if p.largest_piece is not None else math.inf)
    crossings = where_walls_meet(courses.segments, reach)
    lean = self_supporting_lean(request.overhangs.critical_angle, request.overhangs.tilt_deg)

    def is_met(columns: Columns, slabs: Slabs) -> Bools:
        return slabs_met(columns, slabs, request.obstacles, p.thickness, _LOOKED_AT)

    panels = panels_of(courses, p, lean, request.line_mm, crossings, is_met)
    return without_pieces(replace(panels, unkept=unkept), request.hand, own)


def lattice_paths(
    inside: Shape, rings: list[Shape], p: LatticeParameters, floor: int, origin: Floats, bands: Shape | None
) -> list[Path]:
    """Where the walls of a lattice run within a shape: round its rim, along and across; parted by bands."""
    paths: list[Path] = []
    for ring in rings:
        paths += cut_ring(ring, bands, floor)
    lines = crossing_lines(inside, p, origin)
    if len(lines):
        paths += stretches(lines if bands is None else shapely.difference(lines, bands), floor)
    return paths


def parted_at_corners(path: Path) -> list[Path]:
    """A path parted where it turns sharply: thick walls meet there with their ends, and each keeps its thickness."""
    places = path.places
    steps = np.diff(places, axis=0, append=places[:1] if path.is_closed else places[-1:])
    angles = np.degrees(np.arctan2(steps[:, 1], steps[:, 0]))
    turns = np.abs((angles - np.roll(angles, 1) + 180) % 360 - 180)
    if not path.is_closed:
        turns[[0, -1]] = 0
    corners = np.flatnonzero(turns > _SHARP_DEG)
    if not len(corners):
        return [path]
    if path.is_closed:
        around = np.roll(places, -corners[0], axis=0)
        whole = np.vstack([around, around[:1]])
        cuts = np.append(corners - corners[0], len(places))
    else:
        whole, cuts = places, np.concatenate([[0], corners, [len(places) - 1]])
    return [Path(whole[a : b + 1], path.floor) for a, b in pairwise(cuts.tolist())]


def rings_of(shape: Shape) -> list[Shape]:
    """The outlines of a shape, outer and inner, with what hardly bends passed over."""
    rings = []
    for polygon in shapely.get_parts(shapely.simplify(shape, _BEND_MM)):
        if polygon.geom_type == "Polygon":
            rings += [ring for ring in (polygon.exterior, *polygon.interiors) if ring.length >= 4 * LEAST_WALL_MM]
    return rings


def cut_ring(ring: Shape, bands: Shape | None, floor: int) -> list[Path]:
    """A ring whole, or the arcs that cuts leave of it, across its own beginning too."""
    whole = shapely.LineString(ring.coords)
    if bands is None or not whole.intersects(bands):
        return [Path(shapely.get_coordinates(ring)[:-1], floor, is_closed=True)]
    return stretches(whole.difference(bands), floor)


def rim_rings(inside: Shape, p: LatticeParameters) -> list[Shape]:
    """The walls round the rim, one inside the other."""
    rings: list[Shape] = []
    shape = inside
    for number in range(p.rim_walls):
        if number:
            shape = moved_out(shape, -p.rim_spacing, join_style="mitre")
        if shape.is_empty:
            break
        rings += rings_of(shape)
    return rings


def crossing_lines(inside: Shape, p: LatticeParameters, origin: Floats) -> np.ndarray:
    """Walls along and across within a shape, as line strings; cells are counted from the origin."""
    crossing = []
    for angle, apart in _families(p):
        if apart > 0:
            lines = _parallels(inside, origin, angle, apart, 0.5)
            crossing.append(shapely.get_parts(shapely.intersection(lines, inside)))
    every = np.concatenate(crossing) if crossing else np.zeros(0, object)
    return every[shapely.length(every) >= LEAST_WALL_MM] if len(every) else every


def _families(p: LatticeParameters) -> list[tuple[float, float]]:
    """The direction of walls along and of walls across, degrees, and how far apart each lie."""
    return [(p.turn, p.cell_across), (p.turn + 90 + p.skew, p.cell_along)]


def _parallels(inside: Shape, origin: Floats, angle: float, apart: float, shift: float) -> np.ndarray:
    """Parallel lines over a shape: `shift` of the distance off the origin, then `apart` from one to the next."""
    direction = np.array([math.cos(math.radians(angle)), math.sin(math.radians(angle))])
    side = np.array([-direction[1], direction[0]])
    corners = shapely.get_coordinates(shapely.envelope(inside)) - origin
    if not len(corners):
        return np.zeros(0, object)
    along, across = corners @ direction, corners @ side
    numbers = np.arange(math.ceil(across.min() / apart - shift), math.floor(across.max() / apart - shift) + 1)
    middles = origin + ((numbers + shift) * apart)[:, None] * side
    ends = [middles + (along.min() - 1) * direction, middles + (along.max() + 1) * direction]
    return shapely.linestrings(np.stack(ends, axis=1)) if len(numbers) else np.zeros(0, object)


def cuts_of(inside: Shape, rings: list[Shape], p: LatticeParameters, origin: Floats) -> Shape | None:
    """Bands that part a lattice: between walls, so that blocks are no longer from corner to corner than asked.

    Without crossing walls the rings are cut into arcs by spokes across them.
    """
    if p.largest_piece is None:
        return None
    if not p.cells:
        return _spokes(rings, p)
    outlines = shapely.union_all(rings) if rings else shapely.GeometryCollection()
    bands = []
    for angle, apart in _families(p):
        every = apart if apart > 0 else p.block_mm / _PHASES
        count = max(1, math.floor((p.block_mm + 1e-9) / every))
        # A cut runs halfway between two walls of its own direction, so that it meets those across alone; of the gaps
        # that there are those are taken in which the least of the rim runs along.
        offered = [_bands(inside, origin, angle, every * count, phase / count, p.cut_width) for phase in range(count)]
        bands.append(min(offered, key=lambda band: _swallowed(outlines, band, p.cut_width)))
    return shapely.union_all(bands)


def grid_cuts(inside: Shape, p: PanelParameters, origin: Floats) -> Shape:
    """Bands in a square grid that part whatever runs within a shape into pieces no larger than asked."""
    assert p.largest_piece is not None
    block = (p.largest_piece - p.thickness) / math.sqrt(2)
    return shapely.union_all([_bands(inside, origin, angle, block, 0.0, p.cut_width) for angle in (0.0, 90.0)])


def _bands(inside: Shape, origin: Floats, angle: float, apart: float, shift: float, width: float) -> Shape:
    lines = _parallels(inside, origin, angle, apart, shift)
    return shapely.union_all(shapely.buffer(lines, width / 2, cap_style="flat"))


def _swallowed(outlines: Shape, band: Shape, width: float) -> float:
    """How much of outlines runs along within a band, rather than across it, mm."""
    lengths = shapely.length(shapely.get_parts(shapely.intersection(outlines, band)))
    return float(lengths[lengths > _ACROSS * width].sum())


def _spokes(rings: list[Shape], p: LatticeParameters) -> Shape | None:
    """Short cuts square to each ring, so that no arc is longer than the largest piece."""
    assert p.largest_piece is not None
    spokes = []
    for ring in rings:
        count = math.ceil(ring.length / (p.largest_piece - p.thickness))
        if count < 2:
            continue
        for number in range(count):
            at = ring.length * number / count
            here, there = (shapely.get_coordinates(ring.interpolate(min(at + s, ring.length)))[0] for s in (0, 1e-3))
            way = (there - here) / max(float(np.hypot(*(there - here))), 1e-12)
            side = np.array([-way[1], way[0]]) * max(0.45 * p.rim_spacing, p.thickness)
            spokes.append(shapely.linestrings([here - side, here + side]).buffer(p.cut_width / 2, cap_style="flat"))
    return shapely.union_all(spokes) if spokes else None

"""Flank walls: beside a tall thin part, along its outline, tied to it at several heights."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
import shapely
from shapely import ops

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.strength.push import Push
from lean_trellis.core.supports.bodies.bodies import Bodies, Grip
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters
from lean_trellis.core.supports.common.floors import Shape, moved_out
from lean_trellis.core.supports.common.footings import Footings, lowest_places
from lean_trellis.core.supports.common.obstacle import nearest_distances
from lean_trellis.core.supports.common.outlines import plate, polygons_of, shadow
from lean_trellis.core.supports.common.parameters import self_supporting_lean
from lean_trellis.core.supports.common.request import Request

_REACHED = 0.9
_BASE_CLEAR_MM = 0.1
_MOST_CLEAR_MM = 2.0
"""Half the standoff is kept from other parts, but no more than this."""
_LEAST_BASE_MM = 1.0
_LAST_SHARE, _TIE_STEP_MM, _TIE_SPARE_MM = 0.97, 0.5, 0.05
_ACROSS, _TOUCH_MM = 5, 1e-3
_SHORTEST_SHARE = 4
"""Walls cut short by other parts to less than this part of their length get no wider base than those of that length."""
_ROUNDLY = 2.5
"""A tie may be so many standoffs long; beyond that the part is not beside the wall there."""
FlankRequest = Request[FlankParameters]


@dataclass(frozen=True, eq=False)
class FlankWall(Bodies):
    """A flank wall: the wall, its base, and its ties as bodies. `path` is the wall's middle line in plan."""

    path: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    lines: int = 0
    ties: int = 0
    misses: tuple[tuple[str, int], ...] = ()
    """Why ties are missing, in words, and how many each."""
    values: dict[str, float] = field(default_factory=dict)
    """What `derived_values` gives."""
    reserve: float = 0.0

    @property
    def missed(self) -> int:
        """How many ties are missing."""
        return sum(count for _, count in self.misses)

    @property
    def length_mm(self) -> float:
        """The wall's, in plan."""
        return float(np.linalg.norm(np.diff(self.path, axis=0), axis=1).sum())

    @property
    def derived_values(self) -> dict[str, float]:
        """Length, heights and width, where they were not typed."""
        return self.values

    def footings(self) -> Footings:
        """The lowest places of wall and base; ties grow out of the wall."""
        return lowest_places(join(list(self.bodies[: len(self.bodies) - self.ties])))


def generate_flank(request: FlankRequest, push: Push, watch: Watch = UNWATCHED) -> FlankWall:
    """The wall beside the own part. Raises `ParameterError` where it finds no room or the part ends below its ties."""
    p, mesh = request.parameters, request.overhangs.mesh
    height = float(mesh.bounds[1, 2])
    ties_to = _REACHED * height if p.ties_to is None else p.ties_to
    if p.ties_from >= height:
        raise ParameterError("ties_from", f"the part ends at {height:.4g} mm", "let ties begin lower")
    if ties_to < p.ties_from:
        raise ParameterError("ties_from", f"ties end at {ties_to:.4g} mm, below where they begin", "begin lower")
    top = ties_to + 1.5 * p.tie_width if p.top is None else p.top
    watch.at(0.2, "following the outline")
    outline = outline_of(mesh)
    line = flank_line(outline, p)
    line = _kept_clear(line, request, p)
    length = line.length
    base_width = p.base_width
    if base_width is None:
        base_width = min(base_for(push, top, length, p.tipping_reserve, p.wall_thickness), widest(p, mesh.bounds, push))
    wall = moved_out(line, p.wall_thickness / 2, cap_style="flat", join_style="mitre")
    bodies = [plate(part, 0.0, top) for part in polygons_of(wall)]
    bodies += _base(line, [outline, *(shadow(other.placed) for other in request.obstacles[1:])], base_width, p)
    watch.at(0.5, "setting ties")
    ties, grip, lines, misses = _ties(line, request, ties_to)
    reserve = _reserve(push, top, length, base_width)
    values = {
        "along_length": outline.exterior.length if p.along_length is None else p.along_length,
        "ties_to": ties_to, "top": top, "base_width": base_width,
    }  # fmt: skip
    return FlankWall(
        (*bodies, *ties), "body", "bodies", grip, shapely.get_coordinates(line), lines, len(ties), misses, values,
        reserve,
    )  # fmt: skip


def base_for(push: Push, top: float, length: float, reserve: float, thickness: float) -> float:
    """The width at which a base of a length holds `reserve` times the push at the top.

    About its outer edge a base holds by bond · length · width² / 2 (the bond pulls evenly over its whole width).
    """
    moment = reserve * push.on(length) * top
    return max(math.sqrt(2 * moment / (push.bond_mpa * max(length, 1e-6))), 2 * thickness, _LEAST_BASE_MM)


def widest(p: FlankParameters, bounds: Floats, push: Push) -> float:
    """The width that a base never exceeds, mm: typed, or what the shortest wall that is worth it would need."""
    if p.base_width is not None:
        return p.base_width
    height = float(bounds[1, 2])
    top = (_REACHED * height if p.ties_to is None else p.ties_to) + 1.5 * p.tie_width if p.top is None else p.top
    around = 2 * float((bounds[1] - bounds[0])[:2].sum())
    length = max(min(around, around if p.along_length is None else p.along_length) / _SHORTEST_SHARE, 1.0)
    return base_for(push, top, length, p.tipping_reserve, p.wall_thickness)


def _reserve(push: Push, top: float, length: float, width: float) -> float:
    moment = push.on(length) * top
    return push.bond_mpa * length * width**2 / 2 / moment if moment > 0 else math.inf


def outline_of(mesh: Mesh) -> Shape:
    """The outer outline of a part as seen from above: its largest polygon without holes, beginning at the front."""
    parts = polygons_of(shadow(mesh))
    if not parts:
        raise ParameterError("along_start", "the part has no outline", "mend the part first")
    ring = shapely.get_coordinates(max(parts, key=lambda part: part.area).exterior)[:-1]
    first = int(np.lexsort((ring[:, 0], np.round(ring[:, 1], 6)))[0])
    return shapely.Polygon(np.roll(ring, -first, axis=0))


def flank_line(outline: Shape, p: FlankParameters) -> Shape:
    """The middle line of the wall in plan: the outline moved out, from where it begins over its length."""
    away = p.standoff + p.wall_thickness / 2
    ring_shape = shapely.orient_polygons(moved_out(outline, away, join_style="mitre"))
    ring = shapely.get_coordinates(ring_shape.exterior)
    around = shapely.LineString(ring)
    whole = outline.exterior.length
    length = whole if p.along_length is None else min(p.along_length, whole)
    if length >= whole - 1e-6:
        return around
    ends = [outline.exterior.interpolate((p.along_start + step) % whole) for step in (0.0, length)]
    begin, end = (around.project(place) for place in ends)
    if begin < end:
        return ops.substring(around, begin, end)
    first, second = ops.substring(around, begin, around.length), ops.substring(around, 0.0, end)
    return shapely.line_merge(shapely.union_all([first, second])) if end > 1e-9 else first


def _kept_clear(line: Shape, request: FlankRequest, p: FlankParameters) -> Shape:
    """Without what would run into another part; the longest stretch that is left."""
    for other in request.obstacles[1:]:
        away = min(p.standoff / 2, _MOST_CLEAR_MM)
        line = line.difference(shadow(other.placed).buffer(p.wall_thickness / 2 + away))
    stretches = [part for part in shapely.get_parts(line) if part.length > p.wall_thickness]
    if not stretches:
        raise ParameterError("standoff", "there is no space beside the part for the wall", "move the parts apart")
    return max(stretches, key=lambda part: part.length)


def _base(line: Shape, shadows: list[Shape], width: float, p: FlankParameters) -> list[Mesh]:
    """A plate under the wall, as wide as it is to be, kept clear of all parts."""
    if width <= p.wall_thickness + 1e-9:
        return []
    inner = min(width / 2, p.standoff + p.wall_thickness / 2 - _BASE_CLEAR_MM)
    wide = moved_out(line, width - inner, cap_style="square", join_style="mitre")
    shape = wide.difference(moved_out(shapely.union_all(shadows), _BASE_CLEAR_MM, join_style="mitre"))
    height = max(p.wall_thickness, _LEAST_BASE_MM)
    touching = [part for part in polygons_of(shape) if part.intersects(line)]
    return [plate(part, 0.0, height) for part in touching]


def _ties(
    line: Shape, request: FlankRequest, ties_to: float
) -> tuple[list[Mesh], Grip, int, tuple[tuple[str, int], ...]]:
    """Ties in upright lines, each from the wall to the part beside it; the grip, how many lines, and why some miss."""
    p = request.parameters
    inset = min(p.tie_width, line.length / 4)
    count = max(2, math.ceil((line.length - 2 * inset) / p.free_length) + 1)
    stations = np.linspace(inset, line.length - inset, count)
    heights = np.arange(p.ties_from, ties_to + 1e-9, p.tie_pitch)
    here, there = (shapely.get_coordinates(line.interpolate(stations + step)) for step in (-1e-3, 1e-3))
    way = (there - here) / np.maximum(np.hypot(*(there - here).T), 1e-12)[:, None]
    middle = shapely.get_coordinates(line.interpolate(stations))
    # The path turns left round the part: it lies on the left.
    inward = np.column_stack([-way[:, 1], way[:, 0]])
    starts = np.concatenate([np.column_stack([middle, np.full(count, z)]) for z in heights])
    inward3 = np.tile(np.column_stack([inward, np.zeros(count)]), (len(heights), 1))
    distance, share = _reached(request, starts, inward3)
    most = p.wall_thickness / 2 + _ROUNDLY * p.standoff
    is_there = np.isfinite(distance)
    reaches = distance <= most
    drop = 1 / math.tan(
        math.radians(self_supporting_lean(request.overhangs.critical_angle, request.overhangs.tilt_deg))
    )
    free = _has_room(request, starts, inward3, np.where(reaches, distance, 0.0), drop)
    misses = (
        ("find no part beside the wall", int((~is_there).sum())),
        (f"would be longer than {most:.3g} mm", int((is_there & ~reaches).sum())),
        ("have the part in the way before their end", int((reaches & ~free).sum())),
    )
    reaches &= free
    ties = _wedges(starts[reaches], inward3[reaches], distance[reaches] + p.tie_bite, p.tie_width, drop)
    ends = starts[reaches] + inward3[reaches] * distance[reaches, None]
    return ties, Grip(ends, share[reaches] * p.tie_width**2, ends, frozenset()), count, misses


def _reached(request: FlankRequest, starts: Floats, inward: Floats) -> tuple[Floats, Floats]:
    """(n,): how far the part is from the wall, at the nearest place over a tie's end; and the share of it that touches.

    A tie ends flat: where the surface is curved it touches the part with less than its whole end, and never goes in by
    more than its bite.
    """
    p = request.parameters
    side = np.column_stack([-inward[:, 1], inward[:, 0], np.zeros(len(inward))])
    steps = np.linspace(-0.49, 0.49, _ACROSS) * p.tie_width
    begins = starts[:, None, None] + steps[:, None, None] * side[:, None, None] + steps[:, None] * np.array([0, 0, 1.0])
    towards = np.repeat(inward, _ACROSS**2, axis=0)
    distance, _ = request.obstacles[0].first_hits(begins.reshape(-1, 3), towards)
    distance = distance.reshape(len(starts), -1)
    nearest: Floats = distance.min(axis=1)
    touching = distance <= (nearest + max(p.tie_bite, 0.0) + _TOUCH_MM)[:, None]
    return nearest, touching.mean(axis=1) if p.tie_bite >= 0 else np.zeros(len(starts))


def _has_room(request: FlankRequest, starts: Floats, inward: Floats, lengths: Floats, drop: float) -> Bools:
    """(n,): whether no part lies within a tie before its end: level rays at several heights of it."""
    width = request.parameters.tie_width
    side = np.column_stack([-inward[:, 1], inward[:, 0], np.zeros(len(inward))]) * (width / 2)
    free = np.ones(len(starts), bool)
    tall = float((lengths * drop).max(initial=0.0))
    for share in np.linspace(0.0, _LAST_SHARE, max(2, math.ceil(tall / _TIE_STEP_MM))).tolist():
        below = lengths * drop * share
        reach = lengths * (1 - share)
        for sideways in (-1.0, 0.0, 1.0):
            begin = starts + sideways * side - np.array([0, 0, 1.0]) * (below - width / 2 + width * share)[:, None]
            distance = nearest_distances(request.obstacles, begin, inward)
            free &= (distance >= reach - _TIE_SPARE_MM) | (begin[:, 2] <= 0)
    return free


def _wedges(starts: Floats, inward: Floats, lengths: Floats, width: float, drop: float) -> list[Mesh]:
    """Ties as six-sided bodies: level above, rising below from wall to part, so that they support themselves."""
    side = np.column_stack([-inward[:, 1], inward[:, 0], np.zeros(len(inward))]) * (width / 2)
    up = np.array([0.0, 0.0, width / 2])
    far = starts + inward * lengths[:, None]
    low = np.column_stack([np.zeros((len(starts), 2)), np.maximum(-lengths * drop, -starts[:, 2] + width / 2)])
    profile = [starts - up + low, far - up, far + up, starts + up]
    corners = np.stack([point + sign * side for sign in (1, -1) for point in profile], axis=1)
    faces = np.array(
        [[0, 1, 2], [0, 2, 3], [4, 6, 5], [4, 7, 6], [0, 4, 5], [0, 5, 1], [1, 5, 6], [1, 6, 2], [2, 6, 7], [2, 7, 3],
         [3, 7, 4], [3, 4, 0]], np.int32,
    )  # fmt: skip
    meshes = [Mesh(own, faces) for own in corners]
    return [mesh if mesh.volume > 0 else Mesh(mesh.vertices, faces[:, ::-1].copy()) for mesh in meshes]

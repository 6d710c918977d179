"""Where bars touch the part: low places first, then a row along the rim, the pattern, and what is not yet covered."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import STRtree, linestrings

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, Rows
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.rim import FREE, WALL, Rim
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.surface_points import SurfacePoints, grid_basis, grid_points

_SAMPLES_PER_SPACING = 8
_MOST_SAMPLES = 160_000
_SAME_PLACE = 0.57
"""Share of the spacing within which a place counts as held already."""
_SPARE_MM = 1e-3
_APART = 1e5
"""Added per region to the third coordinate, so that one search tree keeps regions apart."""


@dataclass(frozen=True, eq=False)
class SupportPoints(Rows):
    """`places` (n, 3), outward unit `normals` (n, 3) there, and the `regions` (n,) they serve."""

    places: Floats
    normals: Floats
    regions: Ints

    def __len__(self) -> int:
        return len(self.places)


def least_apart(parameters: BarParameters) -> float:
    """How near to each other bars touch the part: they share the work, and their shafts fit beside each other."""
    shafts = parameters.shaft_diameter + (parameters.bar_clearance or 0.0) + _SPARE_MM
    return max(_SAME_PLACE * parameters.spacing, min(shafts, parameters.bound_mm))


def find_support_points(
    topology: Topology,
    overhangs: Overhangs,
    chosen: tuple[int, ...],
    parameters: BarParameters,
    protected: np.ndarray | None = None,
    *,
    taken: SurfacePoints | None = None,
    given_up: Floats | None = None,
) -> SupportPoints:
    """Support points for the chosen regions (places in `overhangs.regions`).

    None on faces with `protected` (m,) 1; on those with 2 only where no place beside them is near enough to hold.
    Places `taken` by hand hold already: others keep away from them and only what they leave bare is filled. Round
    places `given_up` (k, 3) nothing has to be supported: what was deleted by hand is not filled again.
    """
    low = _unprotected(_low_holds(topology, overhangs, chosen, parameters.spacing), overhangs, parameters, protected)
    if taken is not None and len(taken) and len(low):
        low = low.only(place_tree(taken.places).query(low.places)[0] > _SAME_PLACE * parameters.spacing)
    wanted = np.zeros(len(overhangs.regions) + 1, bool)
    wanted[list(chosen)] = True
    if not wanted[overhangs.region_of_face].any():
        return low
    search = _Coverage(overhangs, wanted, parameters, protected)
    if given_up is not None and len(given_up):
        near = place_tree(given_up).query(search.samples.places)[0]
        search.required &= near > parameters.bound_mm * (1 + 1e-6)
    forced = search.allowed(_deepest_places(overhangs, chosen, search.rim))
    points = search.holds(forced, taken)
    on_faces = SupportPoints(
        points.places,
        overhangs.mesh.normals[points.faces],
        overhangs.region_of_face[points.faces].astype(np.int32),
    )
    return SupportPoints.joined([on_faces, low])


def places_to_support(overhangs: Overhangs, regions: Longs, pitch: float) -> SupportPoints:
    """A square grid of places on the faces of some regions, as support points."""
    faces = np.flatnonzero(np.isin(overhangs.region_of_face, regions))
    mesh = overhangs.mesh
    grid = grid_points(mesh, faces, grid_basis(pitch, "square"), mesh.middle[:2])
    return SupportPoints(grid.places, mesh.normals[grid.faces], overhangs.region_of_face[grid.faces].astype(np.int32))


class _Coverage:
    """The inset part of some regions as a fine sample, and which of it is supported."""

    def __init__(
        self,
        overhangs: Overhangs,
        wanted: Bools,
        parameters: BarParameters,
        protected: np.ndarray | None = None,
    ) -> None:
        """`wanted` (r + 1,): the regions asked for; the last entry is for faces of none."""
        faces = np.flatnonzero(wanted[overhangs.region_of_face])
        self.mesh, self.parameters, self.faces = overhangs.mesh, parameters, faces
        self.shield = (
            None if protected is None or not protected.any() else _Shield(overhangs.mesh, protected, parameters)
        )
        self.region_of_face = overhangs.region_of_face
        self.steepest = np.tan(np.radians(min(overhangs.critical_angle, 80)))
        self.rim = overhangs.rim.chosen(wanted[overhangs.rim.regions])
        corners = self.mesh.vertices[self.mesh.faces[faces]][:, :, :2]
        self.origin = (corners.min(axis=(0, 1)) + corners.max(axis=(0, 1))) / 2
        self.samples = self._sampled()
        self.required = self._required()

    def holds(self, forced: SurfacePoints, taken: SurfacePoints | None = None) -> SurfacePoints:
        """Forced points, the rim row, the pattern where it is inset enough, and then what is still bare.

        Those already `taken` count, but are not among the result.
        """
        p = self.parameters
        nothing = self.samples.only(np.zeros(0, np.int64))
        taken = nothing if taken is None else taken
        row = self._rim_row() if p.rim_row else nothing
        pieces = [taken, self._clear_of(taken, forced), self._clear_of(taken, row)]
        pattern = nothing
        if p.pattern != "scattered":  # which is nothing but points added at the farthest place
            pattern = grid_points(self.mesh, self.faces, grid_basis(p.spacing, p.pattern), self.origin)
            pattern = self.allowed(pattern.only(self._inset_share(pattern) >= 1))
        before = SurfacePoints.joined(pieces)
        points = SurfacePoints.joined([before, self._clear_of(before, pattern)])
        points = SurfacePoints.joined([points, self._still_bare(points, self.required & self._levels(self.samples, 0))])
        if self.shield is not None:
            avoided = self.required & self._levels(self.samples, AVOID)
            points = SurfacePoints.joined([points, self._beside(points, avoided)])
            points = SurfacePoints.joined([points, self._still_bare(points, avoided)])
        return points.only(np.arange(len(taken), len(points)))

    def _clear_of(self, before: SurfacePoints, some: SurfacePoints) -> SurfacePoints:
        """Those no nearer than a part of the spacing to what is there before."""
        if not len(before) or not len(some):
            return some
        least = least_apart(self.parameters)
        near = place_tree(self._apart(before)).query(self._apart(some), distance_upper_bound=least)[0]
        return some.only(~np.isfinite(near))

    def _beside(self, points: SurfacePoints, avoided: Bools) -> SurfacePoints:
        """Places that may be touched, as near as can be to those to be avoided that have no support yet."""
        free = self.samples.only(self.required & self._levels(self.samples, 0))
        wanted = self.samples.only(avoided)
        wanted = wanted.only(self._distances(points, wanted) > self.parameters.bound_mm)
        if not len(free) or not len(wanted):
            return wanted.only(np.zeros(0, np.int64))
        away, nearest = place_tree(self._apart(free)).query(self._apart(wanted))
        near = free.only(np.unique(nearest[away <= self.parameters.bound_mm]))
        return near.only(_kept_apart(self._apart(near), 0.5 * self.parameters.bound_mm))

    def allowed(self, some: SurfacePoints) -> SurfacePoints:
        """Those at which a tip touches no protected surface."""
        return some if self.shield is None else some.only(self._levels(some, 0))

    def _levels(self, some: SurfacePoints, level: int) -> Bools:
        """(n,): whether a tip there touches surfaces of just this level of protection."""
        if self.shield is None:
            return np.full(len(some), level == 0)
        result: Bools = self.shield.levels(some.places) == level
        return result

    def _sampled(self) -> SurfacePoints:
        """A square grid of an eighth of the spacing, and the middle of the largest face of each region."""
        area = float(self.mesh.areas[self.faces].sum())
        pitch = max(self.parameters.spacing / _SAMPLES_PER_SPACING, (area / _MOST_SAMPLES) ** 0.5)
        self.pitch = pitch
        grid = grid_points(self.mesh, self.faces, grid_basis(pitch, "square"), self.origin)
        regions = self.region_of_face[self.faces]
        order = np.lexsort((-self.mesh.areas[self.faces], regions))
        largest = self.faces[order[np.flatnonzero(np.append(True, np.diff(regions[order]) != 0))]]
        return SurfacePoints.joined([grid, SurfacePoints(self.mesh.centroids_of(largest), largest)])

    def _apart(self, some: SurfacePoints) -> Floats:
        """(n, 3): place in plan, and far apart along the third coordinate for different regions.

        From the region's middle and rounded, so that a copy of the part elsewhere is supported at the same places.
        """
        plan = np.round(some.places[:, :2] - self.origin, 6)
        return np.column_stack([plan, self.region_of_face[some.faces] * _APART])

    @property
    def _insets(self) -> tuple[tuple[int, float], ...]:
        return (FREE, self.parameters.edge_inset), (WALL, self.parameters.wall_inset)

    def _inset_share(self, some: SurfacePoints, away: dict[int, Floats] | None = None) -> Floats:
        """(n,): distance from free edges and walls over the inset asked, the lesser; 1 where inset enough."""
        share = np.ones(len(some))
        for kind, inset in self._insets:
            if inset > 0:
                distance = self._away(some, kind, inset) if away is None else away[kind]
                share = np.minimum(share, distance / inset)
        return share

    def _away(self, some: SurfacePoints, kind: int, most: float) -> Floats:
        return _rim_distances(some, self.rim.of_kind(kind), most, self.region_of_face, self.steepest)

    @cached_property
    def _samples_away(self) -> dict[int, Floats]:
        """How far the samples are from each kind of rim, a little farther than the inset."""
        return {kind: self._away(self.samples, kind, inset + 1.2 * self.pitch) for kind, inset in self._insets}

    def _required(self) -> Bools:
        """Samples that must be supported: inset enough, or on the middle line of a narrow place."""
        share = self._inset_share(self.samples, self._samples_away)
        enough = share >= 1 - 1e-9
        widest = max(self.parameters.edge_inset, self.parameters.wall_inset)
        if enough.all() or widest == 0:
            return np.ones(len(share), bool)
        place, narrow = self._apart(self.samples), ~enough
        if enough.any():
            near = place_tree(place[enough]).query(place[narrow], distance_upper_bound=2 * widest + self.pitch)[0]
            narrow[narrow] = ~np.isfinite(near)
        if enough.any() and not narrow.any():
            return enough
        pairs = place_tree(place[narrow]).query_pairs(max(widest, 1.5 * self.pitch), output_type="ndarray")
        best = share[narrow].copy()
        np.maximum.at(best, pairs[:, 0], share[narrow][pairs[:, 1]])
        np.maximum.at(best, pairs[:, 1], share[narrow][pairs[:, 0]])
        required = enough.copy()
        required[narrow] = share[narrow] >= 0.8 * best
        return required

    def _still_bare(self, points: SurfacePoints, required: Bools) -> SurfacePoints:
        """Points added at the farthest places until every required sample is within the bound."""
        wanted = self.samples.only(required)
        place = self._apart(wanted)
        bound = self.parameters.bound_mm + 1e-6
        distance = self._distances(points, wanted)
        added: list[Longs] = []
        for _ in range(len(place)):  # each turn serves one of them at least
            bare = np.flatnonzero(distance > bound)
            if not len(bare):
                break
            chosen = bare[_spread(place[bare], distance[bare], bound)]
            added.append(chosen)
            fresh = wanted.only(chosen)
            distance = np.minimum(distance, self._distances(fresh, wanted))
        return wanted.only(np.concatenate(added) if added else np.zeros(0, np.int64))

    def _distances(self, points: SurfacePoints, wanted: SurfacePoints) -> Floats:
        """(n,): plan distance of each wanted place from the nearest hold of its region on its own floor."""
        result = np.full(len(wanted), np.inf)
        if not len(points) or not len(wanted):
            return result
        count = min(4, len(points))
        reach = 2 * self.parameters.spacing
        distances, which = place_tree(self._apart(points)).query(
            self._apart(wanted), k=count, distance_upper_bound=reach, workers=-1
        )
        distances, which = distances.reshape(len(wanted), count), which.reshape(len(wanted), count)
        heights = np.append(points.places[:, 2], np.inf)[which]
        with np.errstate(invalid="ignore"):
            steps = np.abs(heights - wanted.places[:, 2, None])
            same_floor = steps <= distances * self.steepest + 0.25 * self.parameters.spacing
        return np.where(same_floor, distances, np.inf).min(axis=1)

    def _rim_row(self) -> SurfacePoints:
        """Samples on the inset line, thinned to the spacing."""
        share = self._inset_share(self.samples, self._samples_away)
        widest = max(self.parameters.edge_inset, self.parameters.wall_inset, self.pitch)
        near_rim = np.zeros(len(share), bool)
        for kind, inset in self._insets:
            near_rim |= self._samples_away[kind] < inset + 1.2 * self.pitch
        line = np.flatnonzero(near_rim & ((share >= 1 - 1e-9) | (self.required & (share > 0) & (widest > 0))))
        if not len(line):
            return self.samples.only(line)
        place = self._apart(self.samples)[line]
        # Farthest first along the line: neighbours end up between half and the whole spacing apart.
        return self.allowed(self.samples.only(line[_thinned(place, self.parameters.spacing)]))


class _Shield:
    """Protected surfaces as places close together: what a tip of a support's width would touch."""

    def __init__(self, mesh: Mesh, protected: np.ndarray, parameters: BarParameters) -> None:
        self._reach = parameters.tip_diameter / 2
        apart = max(0.5 * self._reach, 0.15)
        places, faces = places_on(mesh, np.flatnonzero(protected > 0), apart, most_across=120)
        self._level = protected[faces]
        self._trees = {level: place_tree(places[self._level == level]) for level in (KEEP_OFF, AVOID)
                       if (self._level == level).any()}  # fmt: skip
        self._reach += 0.6 * apart

    def levels(self, places: Floats) -> Longs:
        """(n,): 0, or the strictest level of protection within reach of a tip at each (n, 3) place."""
        levels = np.zeros(len(places), np.int64)
        for level in (AVOID, KEEP_OFF):
            if level in self._trees and len(places):
                near = self._trees[level].query(places, distance_upper_bound=self._reach)[0]
                levels[np.isfinite(near)] = level
        return levels


def _unprotected(
    holds: SupportPoints, overhangs: Overhangs, parameters: BarParameters, protected: np.ndarray | None
) -> SupportPoints:
    """Support points on low edges and points: none on keep off; on avoid they stay, as nothing else holds them."""
    if protected is None or not protected.any() or not len(holds):
        return holds
    kept = _Shield(overhangs.mesh, protected, parameters).levels(holds.places) != KEEP_OFF
    return SupportPoints(holds.places[kept], holds.normals[kept], holds.regions[kept])


def _rim_distances(some: SurfacePoints, rim: Rim, most: float, region_of_face: Ints, steepest: float) -> Floats:
    """(n,): plan distance from the rim's edges of the same region and floor; infinite beyond `most`."""
    result = np.full(len(some), np.inf)
    if not len(rim.kinds) or not len(some):
        return result
    tree = STRtree(linestrings(np.stack([rim.starts[:, :2], rim.stops[:, :2]], axis=1)))
    place, edge = tree.query(some.in_plan, predicate="dwithin", distance=most)
    same = region_of_face[some.faces[place]] == rim.regions[edge]
    place, edge = place[same], edge[same]
    along = rim.stops[edge] - rim.starts[edge]
    offset = some.places[place] - rim.starts[edge]
    squared = (along[:, :2] ** 2).sum(axis=1)
    share = np.clip((offset[:, :2] * along[:, :2]).sum(axis=1) / np.where(squared > 0, squared, 1), 0, 1)
    gap = offset - share[:, None] * along
    distance = np.hypot(gap[:, 0], gap[:, 1])
    same_floor = np.abs(gap[:, 2]) <= distance * steepest + 0.25 * most + 0.05
    np.minimum.at(result, place[same_floor], distance[same_floor])
    return result


def _spread(place: Floats, distance: Floats, bound: float) -> Longs:
    """Some of the bare places: the farthest of each cell, none nearer than the bound to a farther one."""
    cells = np.floor(place / bound).astype(np.int64)
    _, cell = np.unique(cells, axis=0, return_inverse=True)
    cell = cell.reshape(-1)
    finite = np.where(np.isfinite(distance), distance, 1e9)
    order = np.lexsort((place[:, 1], place[:, 0], -finite, cell))
    best = order[np.flatnonzero(np.append(True, np.diff(cell[order]) != 0))]
    best = best[np.argsort(-finite[best], kind="stable")]
    return best[_kept_apart(place[best], bound)]


def _kept_apart(place: Floats, least: float) -> Bools:
    """(n,): a choice in which no two are nearer than `least`; earlier ones have precedence."""
    kept = np.ones(len(place), bool)
    pairs = place_tree(place).query_pairs(least, output_type="ndarray")
    pairs.sort(axis=1)
    pairs = pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]
    for earlier, later in zip(*pairs.T.tolist(), strict=True):
        if kept[earlier]:
            kept[later] = False
    return kept


def _thinned(place: Floats, spacing: float) -> Longs:
    """Places such that none is nearer than 0.75 of the spacing to another and no gap is wider than 1.5."""
    order = np.lexsort((place[:, 1], place[:, 0], place[:, 2]))
    return order[_kept_apart(place[order], 0.75 * spacing)]


def _deepest_places(overhangs: Overhangs, chosen: tuple[int, ...], rim: Rim) -> SurfacePoints:
    """The lowest vertex of each region that hangs below its whole rim (the bottom of a ball)."""
    mesh = overhangs.mesh
    rim_lowest = np.full(len(overhangs.regions), np.inf)
    np.minimum.at(rim_lowest, rim.regions, np.minimum(rim.starts[:, 2], rim.stops[:, 2]))
    places, faces = [], []
    for number in chosen:
        region = overhangs.regions[number]
        if region.kind != "face" or region.lowest_mm > rim_lowest[number] - 1e-3:
            continue
        heights = mesh.vertices[mesh.faces[region.faces], 2]
        row, corner = np.unravel_index(int(heights.argmin()), heights.shape)
        face = region.faces[row]
        places.append(mesh.vertices[mesh.faces[face, corner]])
        faces.append(face)
    return SurfacePoints(np.array(places).reshape(-1, 3), np.array(faces, np.int64))


def _low_holds(topology: Topology, overhangs: Overhangs, chosen: tuple[int, ...], spacing: float) -> SupportPoints:
    """Low points themselves, and low edges at the spacing; the normal is straight down."""
    mesh: Mesh = overhangs.mesh
    places, regions = [np.zeros((0, 3))], [np.zeros(0, np.int32)]
    for number in chosen:
        region = overhangs.regions[number]
        if region.kind == "face":
            continue
        along = mesh.vertices[region.vertices]
        if region.kind == "edge":
            along = along_edges(topology, mesh, region.vertices, spacing)
        places.append(along)
        regions.append(np.full(len(along), number, np.int32))
    every = np.concatenate(places)
    return SupportPoints(every, np.tile([0.0, 0.0, -1.0], (len(every), 1)), np.concatenate(regions))


def along_edges(topology: Topology, mesh: Mesh, vertices: Longs, spacing: float) -> Floats:
    """(k, 3): places along the edges between some vertices, no farther apart than the spacing."""
    on_chain = np.zeros(len(mesh.vertices), bool)
    on_chain[vertices] = True
    ends = topology.edge_vertices[on_chain[topology.edge_vertices].all(axis=1)]
    pieces = []
    for a, b in mesh.vertices[ends]:
        steps = max(1, int(np.ceil(np.linalg.norm(b - a) / spacing)))
        pieces.append(a + np.linspace(0, 1, steps + 1)[:, None] * (b - a))
    every = np.concatenate(pieces)
    result: Floats = every[_kept_apart(every, 0.6 * min(spacing, np.ptp(every, axis=0).max() + 1e-9))]
    return result

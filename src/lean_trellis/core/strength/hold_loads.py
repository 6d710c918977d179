"""What pulls on the places that hold a part: the film's peel in a vat, the thermal lift in a powder bed."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import shapely
from manifold3d import Manifold
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Floats, Ints, counted_out
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.cuts import pieces_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.overhang.rim import WALL, Rim
from lean_trellis.core.progress import UNWATCHED, Watch

_MOST_LEVELS = 72
_RIM_STEP_MM = 0.25
_APART = 1e5


@dataclass
class _Body:
    """What hangs together up to a height: how much area holds it, its holds, and the worst stress so far of each."""

    area: float = 0.0
    holds: list[int] = field(default_factory=list)


def peel_stresses(
    placed: Mesh, holds: Floats, areas: Floats, resting_mm2: float, pressure: float, watch: Watch = UNWATCHED
) -> Floats:
    """(n,) MPa: the most that the film's peel pulls on each hold, over all layers in which it holds.

    The part is cut at up to 72 heights. A layer's area times the peel `pressure` (MPa) is borne by everything that
    holds the piece it belongs to so far, each in proportion to its area: holds (n, 3) with contact areas (n,), and
    `resting_mm2` of the plate where the part lies on it. A mesh that bounds no solid counts as one piece.
    """
    worst = np.zeros(len(holds))
    if not len(holds) or pressure <= 0:
        return worst
    low, high = placed.bounds[:, 2]
    count = int(np.clip((high - low) / 0.05, 4, _MOST_LEVELS))
    levels = low + (np.arange(count) + 0.5) * (high - low) / count
    try:
        solid = to_manifold(placed)
    except EditError:
        return _as_one(placed, holds, areas, resting_mm2, pressure)
    order = np.argsort(holds[:, 2], kind="stable")
    first, bodies = 0, _Bodies(areas, resting_mm2)
    for number, level in enumerate(levels.tolist()):
        watch.at(number / count, "weighing layers")
        pieces = _cut(solid, level)
        if not pieces:
            continue
        upto = int(np.searchsorted(holds[order, 2], level, side="right"))
        bodies.rise(pieces, holds, order[first:upto])
        first = upto
        bodies.pull(worst, pressure)
    return worst


def _cut(solid: Manifold, level: float) -> list[shapely.Polygon]:
    return [piece for part in solid.slice(level).decompose() for piece in pieces_of(part.to_polygons())]


class _Bodies:
    """Pieces of the current layer and the bodies that they belong to; bodies that meet become one."""

    def __init__(self, areas: Floats, resting_mm2: float) -> None:
        self._areas, self._resting = areas, resting_mm2
        self._pieces: list[shapely.Polygon] = []
        self._bodies: list[_Body] = []

    def rise(self, pieces: list[shapely.Polygon], holds: Floats, fresh: np.ndarray) -> None:
        """The next layer: its pieces belong to the bodies of those they lie on; fresh holds to the nearest piece."""
        bodies: list[_Body] = [_Body() for _ in pieces]
        if self._pieces:
            upper, lower = shapely.STRtree(self._pieces).query(pieces, predicate="intersects")
            for new, old in zip(upper.tolist(), lower.tolist(), strict=True):
                _merge(bodies, new, self._bodies, old)
        else:
            whole = sum(piece.area for piece in pieces)
            for body, piece in zip(bodies, pieces, strict=True):
                body.area = self._resting * piece.area / whole
        if len(fresh):
            nearest = shapely.STRtree(pieces).query_nearest(shapely.points(holds[fresh, :2]), all_matches=False)
            for hold, piece in zip(fresh[nearest[0]].tolist(), nearest[1].tolist(), strict=True):
                bodies[piece].holds.append(hold)
                bodies[piece].area += float(self._areas[hold])
        self._pieces, self._bodies = pieces, bodies

    def pull(self, worst: Floats, pressure: float) -> None:
        """The layer's area of each body pulls on all that holds it."""
        peeled: dict[int, float] = {}
        for piece, body in zip(self._pieces, self._bodies, strict=True):
            peeled[id(body)] = peeled.get(id(body), 0.0) + piece.area
        for body in {id(body): body for body in self._bodies}.values():
            if body.holds and body.area > 0:
                stress = pressure * peeled[id(body)] / body.area
                worst[body.holds] = np.maximum(worst[body.holds], stress)


def _merge(bodies: list[_Body], new: int, below: list[_Body], old: int) -> None:
    """The new piece joins the body of the old one; two bodies that it joins become one everywhere."""
    mine, theirs = bodies[new], below[old]
    if mine is theirs:
        return
    theirs.area += mine.area
    theirs.holds.extend(mine.holds)
    for some in (bodies, below):
        for place, body in enumerate(some):
            if body is mine:
                some[place] = theirs


def _as_one(placed: Mesh, holds: Floats, areas: Floats, resting_mm2: float, pressure: float) -> Floats:
    """Without a solid: the part's shadow, supported by everything that is there."""
    corners = placed.corners[placed.normals[:, 2] < 0][:, :, :2]
    shadow = float(shapely.area(shapely.union_all(shapely.convex_hull(shapely.multipoints(corners)))))
    return np.full(len(holds), pressure * shadow / max(float(areas.sum()) + resting_mm2, 1e-9))


def lift_loads(rim: Rim, holds: Floats, regions: Ints, line_load: float) -> Floats:
    """(n,) N: the thermal lift along the rim of regions, `line_load` N/mm, borne by the nearest hold of the region.

    Edges at which a wall goes on downwards do not lift. `holds` (n, 3), `regions` (n,) those they serve.
    """
    loads = np.zeros(len(holds))
    edges = rim.chosen((rim.kinds != WALL) & np.isin(rim.regions, regions))
    if not len(edges.kinds) or not len(holds):
        return loads
    lengths = np.linalg.norm(edges.stops - edges.starts, axis=1)
    steps = np.maximum(1, np.ceil(lengths / _RIM_STEP_MM).astype(int))
    which, within = counted_out(steps)
    share = ((within + 0.5) / steps[which])[:, None]
    places = edges.starts[which] + share * (edges.stops - edges.starts)[which]
    tree = cKDTree(np.column_stack([holds, regions * _APART]))
    _, nearest = tree.query(np.column_stack([places, edges.regions[which] * _APART]), workers=-1)
    np.add.at(loads, nearest, line_load * (lengths / steps)[which])
    return loads

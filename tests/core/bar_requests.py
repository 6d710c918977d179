"""Requests for bars on plain shapes, and struts measured by other code than the program's."""

from __future__ import annotations

import numpy as np
import trimesh

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports import BarParameters, BarRequest, generate_bars
from lean_trellis.core.supports.obstacle import Obstacle
from lean_trellis.core.supports.struts import ON_PART, SHAFT_START
from lean_trellis.core.supports.support import HandWork

LAYER = 0.05
MIDDLE = 50.0


def request_for(mesh, *, lift=10.0, turn=None, critical=45.0, others=(), hand=None, ground=None, **values):
    pose = Pose(x=MIDDLE, y=MIDDLE, build_offset=lift)
    pose = pose if turn is None else pose.turned(turn)
    topology, placed = build_topology(mesh), pose.applied(mesh)
    found = detect(topology, placed, critical_angle=critical)
    obstacles = [Obstacle(RayTree(mesh), pose, placed)]
    obstacles += [Obstacle(RayTree(m), p, p.applied(m)) for m, p in others]
    chosen = tuple(range(len(found.regions)))
    parameters = BarParameters(**values)
    return BarRequest(
        topology, found, chosen, parameters, LAYER, tuple(obstacles), ground=ground, hand=hand or HandWork()
    )


def bars_for(mesh, **options):
    return generate_bars(request_for(mesh, **options))


def random_part(rng) -> Mesh:
    """A plate on high with some boxes below it, that bars have to find ways round."""
    solid = to_manifold(box((26, 26, 2), corner=(0, 0, 22)))
    for _ in range(5):
        size, place = rng.uniform(2, 8, 3), rng.uniform(0, 20, 3)
        solid += to_manifold(box(tuple(size), corner=tuple(place)))
    return from_manifold(solid)


def distances_from(mesh: Mesh, low, top, steps: int = 25):
    """(k,): the least distance of places along each segment from the surface, by trimesh."""
    share = np.linspace(0, 1, steps)[:, None, None]
    places = (low + share * (top - low)).reshape(-1, 3)
    result = np.full(len(places), np.inf)
    for first in range(0, len(places), 2000):
        some = places[first : first + 2000]
        pairs = np.tile(mesh.corners, (len(some), 1, 1)), np.repeat(some, len(mesh.faces), axis=0)
        nearest = trimesh.triangles.closest_point(*pairs)
        away = np.linalg.norm(nearest - pairs[1], axis=1).reshape(len(some), -1).min(axis=1)
        result[first : first + 2000] = away
    return result.reshape(steps, -1).min(axis=0)


def open_shafts(bars, clearance: float):
    """Stretches of shafts that must be clear of parts, and by how much their middle lines must be.

    Left out is what lies within that reach of a tip on the part, where a bar has to come near.
    """
    low, top, of_bar = bars.shafts()
    reach = np.tile(bars.radii[:, SHAFT_START] + clearance, 2)
    length = np.linalg.norm(top - low, axis=1)
    is_upper = np.arange(len(low)) >= len(bars)
    lands = (bars.landings == ON_PART)[of_bar]
    from_top = np.where(is_upper, reach, np.maximum(reach - np.roll(length, -len(bars)), 0))
    from_low = np.where(lands, np.where(is_upper, np.maximum(reach - np.roll(length, len(bars)), 0), reach), 0)
    open_length = length - from_top - from_low
    some = np.flatnonzero(open_length > 0)
    along = ((top - low) / np.maximum(length, 1e-12)[:, None])[some]
    return low[some] + along * from_low[some, None], top[some] - along * from_top[some, None], reach[some]

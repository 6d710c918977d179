"""What bars must not run into, and where they may stand."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.mesh.distance import group_clearances, segment_clearances
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import Hits, RayTree
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.shop.machine import Machine

DOWN = np.array([0.0, 0.0, -1.0])
_RIM_RAYS = 8
_BOX_SPARE_MM = 0.01
_NOT_TO_STAND_ON = -1.0
"""Normals of protected faces are turned over: too steep to stand on, for whoever asks."""


@dataclass(frozen=True, eq=False)
class Obstacle:
    """A part that bars must not run into: its mesh with ray tree, its pose, and the mesh in its pose.

    `protected` (m,) is above 0 for faces on which nothing may stand.
    """

    tree: RayTree
    pose: Pose
    placed: Mesh
    protected: np.ndarray | None = None

    def first_hits(self, origins: Floats, directions: Floats) -> tuple[Floats, Floats]:
        """Distance (n,) to the nearest face along each ray of the plate's frame, and the normals (n, 3) there."""
        hits = self._hits(origins, directions)
        normals = np.zeros((len(origins), 3))
        struck = hits.face >= 0
        normals[struck] = self.placed.normals[hits.face[struck]]
        if self.protected is not None:
            normals[struck] *= np.where(self.protected[hits.face[struck]] > 0, _NOT_TO_STAND_ON, 1.0)[:, None]
        return hits.distance, normals

    def distances(self, origins: Floats, directions: Floats) -> Floats:
        """(n,): as of `first_hits`, without what is there."""
        return self._hits(origins, directions).distance

    def _hits(self, origins: Floats, directions: Floats) -> Hits:
        mesh = self.tree.mesh
        towards = directions @ self.pose.matrix  # of one direction for all once
        return self.tree.first_hits(self.pose.to_part(mesh, origins), np.broadcast_to(towards, origins.shape))

    def may_be_met(self, origins: Floats, directions: Floats) -> Longs:
        """The numbers of those rays that may meet it: of upright ones (3,) those through its box in plan."""
        if directions.ndim > 1 or directions[0] or directions[1]:
            return np.arange(len(origins))
        low, high = self.placed.bounds[:, :2] + [[-_BOX_SPARE_MM], [_BOX_SPARE_MM]]
        within = (origins[:, 0] >= low[0]) & (origins[:, 0] <= high[0])
        within &= (origins[:, 1] >= low[1]) & (origins[:, 1] <= high[1])
        return np.flatnonzero(within)


@dataclass(frozen=True)
class Ground:
    """Where bars may stand: on the plate, off the zones that are kept free. On a belt the length does not end."""

    machine: Machine

    def is_beyond(self, feet: Floats) -> Bools:
        """(n,): whether each (n, 2) place is beyond the plate's edge."""
        result: Bools = self.machine.excess(feet) > 0
        return result

    def holds(self, feet: Floats, radius: float) -> Bools:
        """(n,): whether a foot of a radius may stand at each (n, 2) place."""
        free: Bools = self.machine.excess(feet) <= -radius + 1e-9
        for zone in self.machine.zones:
            free &= ~zone.holds(feet, radius)
        return free


def nearest_hits(obstacles: Sequence[Obstacle], origins: Floats, directions: Floats) -> tuple[Floats, Floats]:
    """Distance (n,) to the nearest of all parts along each ray, infinite where none is, and the normals (n, 3)."""
    distance, normals = np.full(len(origins), np.inf), np.zeros((len(origins), 3))
    if not len(origins):
        return distance, normals
    for obstacle, some, towards in _asked(obstacles, origins, directions):
        away, their_normals = obstacle.first_hits(origins[some], towards)
        nearer = away < distance[some]
        distance[some[nearer]], normals[some[nearer]] = away[nearer], their_normals[nearer]
    return distance, normals


def nearest_distances(obstacles: Sequence[Obstacle], origins: Floats, directions: Floats) -> Floats:
    """(n,): as of `nearest_hits`, where nobody asks what is there."""
    distance = np.full(len(origins), np.inf)
    for obstacle, some, towards in _asked(obstacles, origins, directions):
        distance[some] = np.minimum(distance[some], obstacle.distances(origins[some], towards))
    return distance


def _asked(
    obstacles: Sequence[Obstacle], origins: Floats, directions: Floats
) -> Iterator[tuple[Obstacle, Longs, Floats]]:
    """Each part that some rays may meet, with these rays."""
    for obstacle in obstacles:
        some = obstacle.may_be_met(origins, directions)
        if len(some):
            yield obstacle, some, directions if directions.ndim == 1 else directions[some]


def is_inside(obstacles: Sequence[Obstacle], places: Floats) -> Bools:
    """(n,): whether each (n, 3) place is in a part: the first face above it is met from within."""
    result = np.zeros(len(places), bool)
    for obstacle in obstacles:
        mesh, up = obstacle.tree.mesh, -DOWN[None]
        face = obstacle.tree.first_hits(obstacle.pose.to_part(mesh, places), up @ obstacle.pose.matrix).face
        result |= (face >= 0) & (obstacle.placed.normals[face, 2] > 0)
    return result


def drops_round(obstacles: Sequence[Obstacle], places: Floats, radius: float) -> Floats:
    """(n,): the least free height below a ring of eight places round each (n, 3) place."""
    turn = 2 * np.pi * np.arange(_RIM_RAYS) / _RIM_RAYS
    ring = radius * np.column_stack([np.cos(turn), np.sin(turn), np.zeros(_RIM_RAYS)])
    drops = nearest_distances(obstacles, (places[:, None] + ring).reshape(-1, 3), DOWN)
    least: Floats = drops.reshape(-1, _RIM_RAYS).min(axis=1)
    return least


def clearances(obstacles: Sequence[Obstacle], starts: Floats, stops: Floats, search: Floats) -> Floats:
    """(n,): distance of each segment (n, 3) from the nearest part, at most its `search` (n,)."""
    distance = search.copy()
    for obstacle in obstacles:
        distance = np.minimum(distance, segment_clearances(obstacle.placed, starts, stops, search))
    return distance


def clearances_of_groups(obstacles: Sequence[Obstacle], starts: Floats, stops: Floats, search_mm: float) -> Floats:
    """(n, e): as `clearances`, of n groups of segments (n, e, 3) that lie close together, at most `search_mm`."""
    away = np.full(starts.shape[:2], search_mm)
    for obstacle in obstacles:
        away = np.minimum(away, group_clearances(obstacle.placed, starts, stops, search_mm))
    return away

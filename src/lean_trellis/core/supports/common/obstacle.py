"""What bars must not run into, and where they may stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.mesh.distance import group_clearances, segment_clearances
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.shop.machine import Machine

DOWN = np.array([0.0, 0.0, -1.0])
_RIM_RAYS = 8
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
        directions = np.broadcast_to(directions, origins.shape)
        mesh = self.tree.mesh
        hits = self.tree.first_hits(self.pose.to_part(mesh, origins), directions @ self.pose.matrix)
        normals = np.zeros((len(origins), 3))
        struck = hits.face >= 0
        normals[struck] = self.placed.normals[hits.face[struck]]
        if self.protected is not None:
            normals[struck] *= np.where(self.protected[hits.face[struck]] > 0, _NOT_TO_STAND_ON, 1.0)[:, None]
        return hits.distance, normals


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
    for obstacle in obstacles:
        away, their_normals = obstacle.first_hits(origins, directions)
        nearer = away < distance
        distance[nearer], normals[nearer] = away[nearer], their_normals[nearer]
    return distance, normals


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
    drops, _ = nearest_hits(obstacles, (places[:, None] + ring).reshape(-1, 3), DOWN)
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

"""Where a part stands: turned about its middle, placed on the plate, lifted by its build offset."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh

Matrix = tuple[float, float, float, float, float, float, float, float, float]
UPRIGHT: Matrix = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Pose:
    """How a part stands.

    `rotation` is a row-major 3x3 matrix that turns about the middle of the mesh's bounding box; `x`, `y`
    is where that middle is on the plate; `build_offset` the height of the lowest point above the plate.
    The height of the middle is derived, so no edit can let a part drop.
    """

    rotation: Matrix = UPRIGHT
    x: float = 0.0
    y: float = 0.0
    build_offset: float = 0.0

    @property
    def matrix(self) -> Floats:
        """(3, 3): the rotation."""
        return np.array(self.rotation).reshape(3, 3)

    def turned(self, rotation: Floats) -> Pose:
        """Turned further by a (3, 3) rotation about the plate's axes; the build offset stays."""
        return replace(self, rotation=_clean(rotation @ self.matrix))

    def shift(self, mesh: Mesh) -> Floats:
        """(3,): what is added after the rotation (about the mesh's origin) to reach the plate's frame."""
        turned_middle = self.matrix @ mesh.middle
        lowest = mesh.extent(self.matrix[2])[0]
        return np.array([self.x - turned_middle[0], self.y - turned_middle[1], self.build_offset - lowest])

    def applied(self, mesh: Mesh) -> Mesh:
        """The mesh on the plate."""
        return mesh.moved(self.matrix, self.shift(mesh))

    def to_plate(self, mesh: Mesh, points: Floats) -> Floats:
        """(n, 3) points of the mesh's own coordinates in the plate's frame."""
        return points @ self.matrix.T + self.shift(mesh)

    def to_part(self, mesh: Mesh, points: Floats) -> Floats:
        """(n, 3) points of the plate's frame in the mesh's own coordinates."""
        return (points - self.shift(mesh)) @ self.matrix


def rotation_about(axis: str, degrees: float) -> Floats:
    """(3, 3): a turn about the plate's `x`, `y` or `z`, counter-clockwise looking against the axis.

    Multiples of 90° are exact.
    """
    c, s = _exact_cos(degrees), _exact_cos(degrees - 90)
    i, j = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
    matrix = np.eye(3)
    matrix[i, i] = matrix[j, j] = c
    matrix[j, i], matrix[i, j] = s, -s
    return matrix


def rotation_xyz(rx: float, ry: float, rz: float) -> Floats:
    """(3, 3): turns by degrees about the plate's X, then Y, then Z."""
    return rotation_about("z", rz) @ rotation_about("y", ry) @ rotation_about("x", rx)


def rotation_between(direction: Floats, target: Floats) -> Floats:
    """(3, 3): the shortest turn that takes one unit direction onto another."""
    from scipy.spatial.transform import Rotation

    axis = np.cross(direction, target)
    sine, cosine = float(np.linalg.norm(axis)), float(direction @ target)
    if sine < 1e-12:
        if cosine > 0:
            return np.eye(3)
        axis = any_across(direction)
        half_turn: Floats = 2 * np.outer(axis, axis) - np.eye(3)
        return half_turn
    result: Floats = Rotation.from_rotvec(np.arctan2(sine, cosine) / sine * axis).as_matrix()
    return result


def _exact_cos(degrees: float) -> float:
    quarter = round(degrees / 90)
    if degrees == 90 * quarter:
        return (1.0, 0.0, -1.0, 0.0)[quarter % 4]
    return float(np.cos(np.radians(degrees)))


def _clean(matrix: Floats) -> Matrix:
    """The nearest true rotation (by SVD), entries within 1e-15 of 0 and ±1 made exact."""
    u, _, vt = np.linalg.svd(matrix)
    true = u @ vt
    nearest = np.round(true)
    true = np.where(np.abs(true - nearest) < 1e-15 * 4, nearest, true) + 0.0
    a, b, c, d, e, f, g, h, i = (float(value) for value in true.reshape(-1))
    return (a, b, c, d, e, f, g, h, i)

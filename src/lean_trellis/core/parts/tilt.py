"""How a part stands against the plate, as the material's pose range counts it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import Pose

_FLAT = 0.6
"""A part counts as flat when its second length is this share of its first and its third of its second is less."""


Kind = Literal["plane", "axis", "none"]
_COMPACT = 1.6
"""Neither flat nor long: the longest is less than this many times the shortest."""


@dataclass(frozen=True, eq=False)
class Tilt:
    """The angle in degrees from the plate: 0 lies, 90 stands; of a flat part's plane, else of the long axis.

    A compact part (a ball, a cube) has no angle that would matter: `of` is "none" and the angle 90.
    `rise` (3,) is the unit direction, plate's frame, that makes the angle with the plate; it points up.
    """

    angle_deg: float
    of: Kind
    rise: Floats


@dataclass(frozen=True, eq=False)
class MainAxis:
    """The flat part's normal or the long part's axis: `direction` (3,), in the mesh's own coordinates."""

    of: Kind
    direction: Floats


def tilt_of(part: Part) -> Tilt:
    """How the part stands now."""
    return tilt_by(main_axis(part.mesh), part.pose)


def tilt_by(axis: MainAxis, pose: Pose) -> Tilt:
    """How a part of that main axis stands in a pose."""
    of, turned = axis.of, pose.matrix @ axis.direction
    if of == "none":
        return Tilt(90.0, of, np.array([0.0, 0.0, 1.0]))
    if of == "axis":
        rise = turned if turned[2] >= 0 else -turned
        return Tilt(float(np.degrees(np.arcsin(min(1.0, rise[2])))), of, rise)
    normal = turned if turned[2] >= 0 else -turned
    angle = float(np.degrees(np.arccos(min(1.0, normal[2]))))
    # The steepest direction within the plane: z less its share along the normal.
    steepest = np.array([0.0, 0.0, 1.0]) - normal[2] * normal
    length = float(np.linalg.norm(steepest))
    rise = steepest / length if length > 1e-9 else pose.matrix @ any_across(axis.direction)
    return Tilt(angle, of, rise)


@heavy
def main_axis(mesh: Mesh) -> MainAxis:
    """The flat part's normal or the long part's axis (principal axes by area)."""
    if not len(mesh.faces):
        return MainAxis("axis", np.array([1.0, 0.0, 0.0]))
    # The surface's second moments, exact for each triangle: A/12 (sum of v v' + (sum v)(sum v)').
    areas, middles = mesh.areas, mesh.centroids
    middle = np.average(middles, axis=0, weights=areas)
    weights = np.zeros(len(mesh.vertices))
    for column in mesh.faces.T:
        weights += np.bincount(column, areas, len(weights))
    corners, sums = mesh.vertices - middle, 3 * (middles - middle)
    moments = (corners * weights[:, None]).T @ corners + (sums * areas[:, None]).T @ sums
    _, axes = np.linalg.eigh(moments)
    along = (mesh.vertices - mesh.middle) @ axes
    lengths = along.max(axis=0) - along.min(axis=0)
    order = np.argsort(lengths)
    third, second, first = lengths[order]
    if first < _COMPACT * third:
        return MainAxis("none", np.array([0.0, 0.0, 1.0]))
    is_flat = second > _FLAT * first and third < _FLAT * second
    return MainAxis("plane", axes[:, order[0]]) if is_flat else MainAxis("axis", axes[:, order[2]])

"""Where parts go against each other: rigid turns of several, and the room between two along the vertical."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.part import Part

_FAR_MM = 1e4
_DOWN = np.array([0.0, 0.0, -1.0])


def middle_of(parts: Sequence[Part]) -> Floats:
    """(3,): middle of the box round all parts as they stand."""
    boxes = np.array([part.bounds() for part in parts])
    middle: Floats = (boxes[:, 0].min(axis=0) + boxes[:, 1].max(axis=0)) / 2
    return middle


def turned_together(parts: Sequence[Part], rotation: Floats, pivot: Floats) -> tuple[Part, ...]:
    """All parts turned as one body about a (3,) pivot, then lifted or lowered so that the lowest stays as high."""
    before = min(part.pose.build_offset for part in parts)
    turned, heights = [], []
    for part in parts:
        middle = part.pose.to_plate(part.mesh, part.mesh.middle[None])[0]
        moved = pivot + rotation @ (middle - pivot)
        pose = replace(part.pose.turned(rotation), x=float(moved[0]), y=float(moved[1]))
        reach = part.mesh.extent(pose.matrix[2])[0] - float(pose.matrix[2] @ part.mesh.middle)
        heights.append(float(moved[2]) + reach)
        turned.append(replace(part, pose=pose))
    if len(turned) == 1:
        return tuple(turned)
    lift = before - min(heights)
    return tuple(
        replace(part, pose=replace(part.pose, build_offset=max(0.0, height + lift)))
        for part, height in zip(turned, heights, strict=True)
    )


def room_below(upper: Mesh, lower: Mesh, lower_tree: RayTree, upper_tree: RayTree) -> float:
    """By how many mm `upper` may sink before it meets `lower`; infinite where they do not stand over each other.

    Both meshes as they stand; the trees are of the same meshes. Looked for from the upper one's vertices downwards
    and from the lower one's upwards; edges that cross in mid-air with no vertex over a face are found by their
    middles. Negative where the lowest reach of the upper one is already inside.
    """
    points, faces = _samples(upper), _samples(lower)
    high = max(float(upper.bounds[1, 2]), float(lower.bounds[1, 2])) + _FAR_MM
    # Each column is looked at from outside: the top of the lower mesh against the bottom of the upper one.
    tops = _from_above(lower_tree, points, high)
    best = float((points[:, 2] - tops).min(initial=np.inf))
    bottoms = _from_below(upper_tree, faces, high)
    return min(best, float((bottoms - faces[:, 2]).min(initial=np.inf)))


def _samples(mesh: Mesh) -> Floats:
    a, b, c = (mesh.vertices[mesh.faces[:, i]] for i in range(3))
    return np.concatenate([mesh.vertices, (a + b) / 2, (b + c) / 2, (c + a) / 2])


def _from_above(tree: RayTree, points: Floats, high: float) -> Floats:
    starts = np.column_stack([points[:, :2], np.full(len(points), high)])
    hits = tree.first_hits(starts, _DOWN)
    return np.where(hits.face >= 0, high - hits.distance, -np.inf)


def _from_below(tree: RayTree, points: Floats, high: float) -> Floats:
    starts = np.column_stack([points[:, :2], np.full(len(points), -high)])
    hits = tree.first_hits(starts, -_DOWN)
    return np.where(hits.face >= 0, hits.distance - high, np.inf)

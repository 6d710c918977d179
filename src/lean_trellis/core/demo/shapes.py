"""Shapes that several demo parts are made of."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold, OpType

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold


def rounded(width: float, depth: float, radius: float, sides: int = 48) -> CrossSection:
    """A rectangle round the origin with round corners."""
    inner = CrossSection.square((width - 2 * radius, depth - 2 * radius), center=True)
    return inner.offset(radius, circular_segments=sides)


def lofted(rings: Floats) -> Manifold:
    """A solid through (n, k, 3) rings of places that follow each other, closed by fans at both ends.

    Each ring runs anticlockwise as seen against the direction in which the rings follow each other.
    """
    count, sides = rings.shape[:2]
    corner = np.arange(sides)
    after = (corner + 1) % sides
    low = np.arange(count - 1)[:, None] * sides
    here, beside = low + corner, low + after
    walls = np.stack([here, beside, beside + sides, here, beside + sides, here + sides], axis=-1)
    first, last = np.full(sides, count * sides), np.full(sides, count * sides + 1)
    top = (count - 1) * sides
    ends = [np.column_stack([after, corner, first]), np.column_stack([top + corner, top + after, last])]
    corners = np.vstack([rings.reshape(-1, 3), rings[[0, -1]].mean(axis=1)])
    return to_manifold(Mesh(corners, np.vstack([walls.reshape(-1, 3), *ends]).astype(np.int32)))


def tube(path: Floats, radii: Floats, sides: int) -> Manifold:
    """A smooth solid tube round an (n, 3) path, closed by balls."""
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1)[:, None]
    turn = np.linspace(0, 2 * np.pi, sides, endpoint=False)[:, None]
    across = np.eye(3)[np.abs(along[0]).argmin()]
    rings = []
    for place, ahead, radius in zip(path, along, radii, strict=True):
        across = across - across @ ahead * ahead
        across /= np.linalg.norm(across)
        rings.append(place + radius * (np.cos(turn) * across + np.sin(turn) * np.cross(ahead, across)))
    ends = [Manifold.sphere(float(radii[end]), sides).translate(tuple(path[end].tolist())) for end in (0, -1)]
    return united([lofted(np.array(rings)), *ends])


def united(pieces: list[Manifold]) -> Manifold:
    """All pieces as one."""
    return Manifold.batch_boolean(pieces, OpType.Add)


def arch_places(count: int, *, reach: float = 1.0) -> Floats:
    """(count, 3): places along a dental arch (half an ellipse, 26 by 40 mm), and the direction there in degrees."""
    turn = np.linspace(np.pi * (0.5 - 0.5 * reach), np.pi * (0.5 + 0.5 * reach), count)
    x, y = 26 * np.cos(turn), 40 * np.sin(turn)
    return np.column_stack([x, y, np.degrees(np.arctan2(y / 40**2, x / 26**2))])

"""Tipping: what turns a part over about an edge of what it stands on, against the bond that holds it there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats


@dataclass(frozen=True, eq=False)
class Stand:
    """Edges of the hull of what lies on the plate, one a row.

    `normals` (k, 2) point outward, `shifts` (k,) mm are how far the edges are from the origin along them, `middles`
    (k, 2); `levers` (k,) mm³ are the sums of areas that lie on the plate times their distance from each edge.
    """

    normals: Floats
    shifts: Floats
    middles: Floats
    levers: Floats

    def moments(self, forces: Floats, places: Floats) -> Floats:
        """(l, k) N mm with which forces (l, 3) N at places (l, 3) mm turn the part over about each edge.

        A push acts by its height, a pull upward by its distance from the edge within it.
        """
        pushed = (forces[:, :2] @ self.normals.T) * places[:, 2:]
        result: Floats = pushed + forces[:, 2:] * (self.shifts - places[:, :2] @ self.normals.T)
        return result


def stand_on(corners: Floats, places: Floats, areas: Floats) -> Stand | None:
    """The edges of the hull of `corners` (c, 2), with what lies on the plate at `places` (n, 2): `areas` (n,) mm².

    None where nothing lies there. What lies in one line can be turned about it and holds nothing.
    """
    from scipy.spatial import ConvexHull, QhullError

    if not len(corners):
        return None
    try:
        hull = ConvexHull(corners)
    except (QhullError, ValueError):
        return _line(corners)
    normals, shifts = hull.equations[:, :2], -hull.equations[:, 2]
    levers = areas @ (shifts - places @ normals.T)
    return Stand(normals, shifts, corners[hull.simplices].mean(axis=1), np.maximum(levers, 0.0))


def _line(corners: Floats) -> Stand:
    """The two sides of a line, or a place, about which anything turns."""
    middle = corners.mean(axis=0)
    away = corners - middle
    way = away[np.hypot(*away.T).argmax()]
    across = np.array([-way[1], way[0]]) if np.any(way) else np.array([1.0, 0.0])
    across /= np.hypot(*across)
    normals = np.stack([across, -across])
    return Stand(normals, normals @ middle, np.stack([middle, middle]), np.zeros(2))

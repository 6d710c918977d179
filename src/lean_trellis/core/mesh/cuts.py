"""Pieces of a plane cut as polygons."""

from __future__ import annotations

import numpy as np
import shapely


def pieces_of(rings: list[np.ndarray]) -> list[shapely.Polygon]:
    """Polygons with holes from rings (k, 2): outer ones run counter-clockwise, holes clockwise."""
    shells: list[shapely.Polygon] = []
    holes: list[shapely.Polygon] = []
    for ring in rings:
        if len(ring) >= 3:
            (shells if shapely.is_ccw(shapely.linearrings(ring)) else holes).append(shapely.Polygon(ring))
    if len(shells) == 1:
        one = shapely.Polygon(shells[0].exterior, [hole.exterior for hole in holes]) if holes else shells[0]
        if not holes or one.is_valid:
            return [] if one.is_empty else [one]
    whole = shapely.union_all(shells) if shells else shapely.GeometryCollection()
    if holes:
        whole = whole.difference(shapely.union_all(holes))
    return [piece for piece in getattr(whole, "geoms", [whole]) if piece.geom_type == "Polygon" and not piece.is_empty]

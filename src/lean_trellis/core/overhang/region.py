"""A region: one connected thing that will not hold by itself."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.arrays import Longs

RegionKind = Literal["face", "edge", "point"]


@dataclass(frozen=True, eq=False)
class Region:
    """Connected down-facing faces below the critical angle, or a low edge or point.

    `faces` are indices into the mesh (the faces at the edge or point for those kinds), `vertices` the low
    edge's or point's vertices, empty for faces. Angles in degrees, lengths in mm, areas in mm².
    """

    id: int
    kind: RegionKind
    faces: Longs
    vertices: Longs
    area_mm2: float
    projected_area_mm2: float
    min_angle_deg: float
    lowest_mm: float
    highest_mm: float
    centroid_mm: tuple[float, float, float]
    anchor_mm: tuple[float, float, float]
    """A place on the region itself, by which it is found again."""
    mean_angle_deg: float = 0.0
    rim_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """Length of its rim: free, wall, fading."""
    along_mm: tuple[float, float] = (0.0, 0.0)
    """From where to where it reaches along the layer normal: its heights on a plate, its layers on a belt."""
    left_out: str = ""
    """Why it needs no hold, in words; nothing where it does."""
    is_by_hand: bool = False

"""What a support is for, found again on the part in its pose."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.common.support import RegionPick

_SAME_PLACE_MM = 2.0


def resolve_target(target: tuple[RegionPick, ...] | None, part: Part, overhangs: Overhangs) -> tuple[int, ...]:
    """The regions that a target means on the part in its pose, as places in `overhangs.regions`."""
    return chosen_regions(target, part.pose, part.mesh, overhangs)


def chosen_regions(
    target: tuple[RegionPick, ...] | None, pose: Pose, mesh: Mesh, overhangs: Overhangs
) -> tuple[int, ...]:
    """The same for a part's pose and mesh.

    A selected region is the one whose anchor lies nearest to the remembered place, or that has a face there.
    """
    if target is None:
        return tuple(region.id for region in overhangs.to_support)
    chosen = set()
    for pick in target:
        place = pose.to_plate(mesh, np.array([pick.anchor_mm]))[0]
        region = _region_at(overhangs, pick.kind, place)
        if region is not None:
            chosen.add(region)
    return tuple(sorted(chosen))


def _region_at(overhangs: Overhangs, kind: str, place: np.ndarray) -> int | None:
    same = [region for region in overhangs.regions if region.kind == kind]
    if not same:
        return None
    distance, nearest = place_tree([region.anchor_mm for region in same]).query(place)
    if distance <= 1e-6 or kind != "face":
        return same[int(nearest)].id if distance <= _SAME_PLACE_MM else None
    faces = np.flatnonzero(overhangs.region_of_face >= 0)
    if not len(faces):
        return None
    distance, nearest = place_tree(overhangs.mesh.centroids_of(faces)).query(place)
    return int(overhangs.region_of_face[faces[int(nearest)]]) if distance <= _SAME_PLACE_MM else None


def pick_region(region: Region, part: Part) -> RegionPick:
    """Remember a region by its place in the part's own coordinates."""
    x, y, z = part.pose.to_part(part.mesh, np.array([region.anchor_mm]))[0].tolist()
    return RegionPick(region.kind, (x, y, z))

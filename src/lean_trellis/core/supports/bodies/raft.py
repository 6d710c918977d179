"""Rafts: a plate under what stands on it, with what becomes of the holes in its outline."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.strength.corners import sharp_corners
from lean_trellis.core.supports.bodies.bodies import Bodies, Grip, grip_on_faces
from lean_trellis.core.supports.bodies.parameters import RaftParameters
from lean_trellis.core.supports.common.floors import Shape, moved_out
from lean_trellis.core.supports.common.outlines import largest_circle, plate, polygons_of, widened


@dataclass(frozen=True)
class Hole:
    """A hole of the outline: the margin at which it closes, where (its middle), and whether it is closed now."""

    closes_at: float
    place: tuple[float, float]
    is_closed: bool


@dataclass(frozen=True, eq=False)
class Raft(Bodies):
    """A raft: `shape` is what it covers on the plate."""

    shape: Shape = None
    thickness: float = 0.0
    holes: tuple[Hole, ...] = ()

    @property
    def length_mm(self) -> float:
        """Of its outline on the plate, holes too."""
        return float(self.shape.length)

    @property
    def area_mm2(self) -> float:
        """What it covers on the plate."""
        return float(self.shape.area)


def generate_raft(
    p: RaftParameters, shadows: Sequence[Shape], overhangs: Sequence[Overhangs], layer_height: float
) -> Raft:
    """The raft under shadows (parts and supports as seen from above), and how it holds the parts of `overhangs`.

    Raises `ParameterError` where the margin leaves nothing of it.
    """
    standing = shapely.union_all([shadow for shadow in shadows if not shadow.is_empty])
    if p.thickness == 0:
        return _brim_alone(p, shapely.union_all([_lying(one) for one in overhangs]), layer_height)
    base = _base(standing, p)
    shape = _with_margin(base, p)
    holes: tuple[Hole, ...] = ()
    if p.outline == "follow" and p.holes == "keep":
        shape = _without_small_holes(shape, p.smallest_hole)
        holes = _holes(base, shape, p)
    if not polygons_of(shape):
        widest = max((largest_circle(part)[0] for part in polygons_of(base)), default=0.0)
        raise ParameterError(
            "margin", f"{p.margin:g} mm leaves nothing of the raft", f"give more than {-widest:.2f} mm"
        )
    parts = polygons_of(shape)
    rims = polygons_of(_rim(base, shape, p))
    bodies = [plate(part, 0.0, p.thickness, p.draw_in) for part in parts]
    bodies += [plate(rim, 0.0, p.brim_layers * layer_height) for rim in rims]
    return Raft(tuple(bodies), "raft", "rafts", _grip(p, shape, overhangs, layer_height),
                shapely.union_all([*parts, *rims]), p.thickness, holes)  # fmt: skip


def _lying(overhangs: Overhangs) -> Shape:
    """What of a part lies on the plate."""
    mesh = overhangs.mesh
    return shapely.union_all(shapely.polygons(mesh.vertices[mesh.faces[overhangs.on_plate]][:, :, :2]))


def _brim_alone(p: RaftParameters, lying: Shape, layer_height: float) -> Raft:
    """Only brim and pads round what lies on the plate; nothing where nothing does."""
    rims = polygons_of(_rim(_base(lying, p), lying, p))
    bodies = tuple(plate(rim, 0.0, p.brim_layers * layer_height) for rim in rims)
    return Raft(bodies, "brim", "brims", Grip(), shapely.union_all(rims))


def _rim(outline: Shape, shape: Shape, p: RaftParameters) -> Shape:
    """Brim and corner pads beyond a shape; its holes get none."""
    whole = shapely.union_all([shapely.Polygon(part.exterior) for part in polygons_of(shape)])
    around = [widened(whole, p.brim_width)] if p.brim_width > 0 else []
    if p.corner_pads > 0:
        hull = shapely.get_coordinates(shapely.convex_hull(outline))
        around += [widened(shapely.Point(corner), p.corner_pads / 2) for corner in sharp_corners(hull)]
    return shapely.union_all(around).difference(whole)


def _base(standing: Shape, p: RaftParameters) -> Shape:
    match p.outline:
        case "hull":
            return shapely.convex_hull(standing)
        case "rectangle":
            return shapely.envelope(standing)
    if p.holes == "fill":
        return shapely.union_all([shapely.Polygon(part.exterior) for part in polygons_of(standing)])
    return standing


def _with_margin(base: Shape, p: RaftParameters) -> Shape:
    if p.outline == "rectangle":
        return moved_out(base, p.margin, join_style="mitre") if p.margin else base
    shape = widened(base, p.margin)
    if p.holes == "fill" and p.outline == "follow":
        # Parts of the outline that grew together may enclose a new hole.
        return shapely.union_all([shapely.Polygon(part.exterior) for part in polygons_of(shape)])
    return shape


def _without_small_holes(shape: Shape, smallest: float) -> Shape:
    kept = []
    for part in polygons_of(shape):
        holes = [ring for ring in part.interiors if 2 * largest_circle(shapely.Polygon(ring))[0] >= smallest]
        kept.append(shapely.Polygon(part.exterior, holes))
    return shapely.union_all(kept)


def _holes(base: Shape, shape: Shape, p: RaftParameters) -> tuple[Hole, ...]:
    """Every hole of the outline with the margin at which it closes: where what is left is too small to be kept."""
    holes = []
    for part in polygons_of(base):
        for ring in part.interiors:
            radius, place = largest_circle(shapely.Polygon(ring))
            closes_at = radius - p.smallest_hole / 2
            if closes_at > 0:  # smaller ones are filled at any margin
                holes.append(Hole(closes_at, place, bool(shape.covers(shapely.Point(place)))))
    return tuple(sorted(holes, key=lambda hole: hole.closes_at))


def _grip(p: RaftParameters, shape: Shape, overhangs: Sequence[Overhangs], layer_height: float) -> Grip:
    """Parts that rest on the raft are supported by all of it that touches them; regions are those of the first part."""
    grips = []
    for number, one in enumerate(overhangs):
        mesh = one.mesh
        near = np.abs(mesh.vertices[:, 2] - p.thickness) <= 0.5 * layer_height + 1e-9
        faces = np.flatnonzero(near[mesh.faces].all(axis=1) & (mesh.normals[:, 2] < -0.5))
        if len(faces):
            inside = shapely.contains_xy(shape, *mesh.centroids_of(faces)[:, :2].T)
            grip = grip_on_faces(one, faces[inside])
            grips.append(grip if number == 0 else replace(grip, served=frozenset()))
    if not grips:
        return Grip()
    return Grip(
        np.concatenate([grip.contacts for grip in grips]), np.concatenate([grip.areas for grip in grips]),
        np.concatenate([grip.holds for grip in grips]), grips[0].served,
    )  # fmt: skip

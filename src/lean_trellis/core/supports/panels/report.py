"""What lattices and walls tell: shadow, what lies on the plate, figures by name, words, the bodies that leave."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from lean_trellis.core.formats.body import Named
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports.common.floors import Shape, moved_out
from lean_trellis.core.supports.common.footprint import ON_PLATE_MM, Patches
from lean_trellis.core.supports.common.spec import ExportWish
from lean_trellis.core.supports.common.structure import Counted, Drawn
from lean_trellis.core.supports.panels.panels import Panels

_WALL_SHARE = 4
"""How many times the faces of one part a thick lattice may have before it is drawn as sheets."""


def shadow_of_walls(walls: Panels) -> Shape:
    """What walls cover as seen from above; sheets as wide as their scan line."""
    if walls.is_empty:
        return shapely.Polygon()
    places, slabs = walls.columns.places, walls.slabs
    lines = shapely.linestrings(np.stack([places[slabs.left], places[slabs.right]], axis=1))
    in_one = shapely.line_merge(shapely.union_all(lines))
    return moved_out(in_one, walls.built_thickness / 2, cap_style="flat", join_style="mitre")


def footprint_of_walls(walls: Panels) -> Patches:
    """The lower edges of slabs that lie on the plate."""
    rest = np.flatnonzero(walls.slabs.low.max(axis=1) <= ON_PLATE_MM)
    slabs = walls.slabs.only(rest)
    left, right = walls.columns.places[slabs.left], walls.columns.places[slabs.right]
    areas, one = walls.lengths_mm[rest] * walls.built_thickness, np.zeros(len(rest), np.int64)
    return Patches(walls.middles[rest], areas, np.concatenate([left, right]), one)


def wall_figures(walls: Panels) -> dict[str, Any]:
    """Areas, lengths and pieces."""
    return {
        "area_mm2": walls.area_mm2,
        "open_mm2": walls.open_mm2,
        "length_mm": walls.length_mm,
        "thickness_mm": walls.thickness,
        "pieces": walls.piece_count,
        "largest_piece_mm": float(walls.piece_sizes_mm.max(initial=0.0)),
        "left_out_mm": float(walls.left_out.lengths_mm.sum()),
    }


def walls_in_words(walls: Panels) -> str:
    """Walls, pieces and openings; the largest piece."""
    openings = f", {100 * walls.open_mm2 / max(walls.area_mm2 + walls.open_mm2, 1e-9):.0f} % open"
    counted = f"{walls.counted} in {Counted(walls.piece_count, 'piece', 'pieces')}{openings * (walls.open_mm2 > 0)}"
    return f"{counted}\nlargest piece {walls.piece_sizes_mm.max(initial=0.0):.1f} mm"


def left_out_in_words(walls: Panels) -> str:
    """Stretches that could not be built, by reason."""
    if not walls.left_out.reasons:
        return ""
    reasons = "; ".join(dict.fromkeys(walls.left_out.reasons))
    return f"{walls.left_out.lengths_mm.sum():.1f} mm of wall could not be built: {reasons}."


def drawn_walls(walls: Panels, most: int) -> Drawn:
    """Walls as they are; thick ones of many faces as sheets, heavy ones with frames for when the view moves."""
    frames = walls.wall_frames() if 4 * len(walls.slabs) > 2 * most else None
    if walls.thickness == 0 or 8 * len(walls.slabs) <= _WALL_SHARE * most:
        return Drawn(walls.mesh, walls.element_of_face, walls.piece_of_face, frames)
    mesh, slab = walls.sheets
    return Drawn(mesh, walls.slabs.walls[slab], walls.pieces[slab], frames)


def exported_walls(walls: Panels, name: str, wish: ExportWish) -> list[Named]:
    """One body; sheets stay as they are."""
    is_sheet = walls.thickness == 0
    mesh = walls.mesh if is_sheet or not wish.united else united([walls.mesh])
    return [Named(name, mesh, "support", is_sheet=is_sheet)]

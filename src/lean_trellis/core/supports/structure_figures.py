"""Figures of structures that are no bars, by name: what the command line tells of each family besides what all have."""

from __future__ import annotations

from typing import Any

from lean_trellis.core.supports.block import Block
from lean_trellis.core.supports.cradle import Cradle
from lean_trellis.core.supports.flank import FlankWall
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.raft import Raft
from lean_trellis.core.supports.structure import Structure


def figures_of_structure(made: Structure) -> dict[str, Any]:
    """Lengths mm, areas mm²; nothing for bars, which have figures of their own."""
    match made:
        case Panels():
            return {
                "area_mm2": made.area_mm2,
                "open_mm2": made.open_mm2,
                "length_mm": made.length_mm,
                "thickness_mm": made.thickness,
                "pieces": made.piece_count,
                "largest_piece_mm": float(made.piece_sizes_mm.max(initial=0.0)),
                "left_out_mm": float(made.left_out.lengths_mm.sum()),
            }
        case Raft():
            holes = [{"closes_at_mm": h.closes_at, "at_mm": list(h.place), "closed": h.is_closed} for h in made.holes]
            return {"area_mm2": made.area_mm2, "thickness_mm": made.thickness, "holes": holes}
        case FlankWall():
            return {"ties": made.ties, "tie_lines": made.lines, "ties_missed": made.missed, **_named(made)}
        case Cradle():
            posts = made.posts
            told = [
                {"at_mm": top, "does": posts.state(number), "depth_mm": depth, "area_mm2": area}
                for number, (top, depth, area) in enumerate(
                    zip(posts.tops.tolist(), posts.depths.tolist(), posts.areas.tolist(), strict=True)
                )
            ]
            return {"rows": made.rows, "columns": made.columns, "posts": told}
        case Block():
            return {"size_mm": list(made.size_mm), "trimmed_mm3": made.trimmed_mm3, "density": made.density}
    return {}


def _named(wall: FlankWall) -> dict[str, float]:
    return {f"{key}_mm": value for key, value in wall.derived_values.items()} | {"tipping_reserve": wall.reserve}

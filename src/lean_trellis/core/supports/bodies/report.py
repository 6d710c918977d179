"""What rafts, blocks, cradles, flank walls and tags tell: figures by name, words, the bodies that leave."""

from __future__ import annotations

import math
from typing import Any

from lean_trellis.core.formats.body import Named
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports.bodies.block import Block
from lean_trellis.core.supports.bodies.bodies import Bodies
from lean_trellis.core.supports.bodies.cradle import Cradle
from lean_trellis.core.supports.bodies.flank import FlankWall
from lean_trellis.core.supports.bodies.raft import Raft
from lean_trellis.core.supports.bodies.tag import Tag
from lean_trellis.core.supports.common.plain import shadow_of_mesh
from lean_trellis.core.supports.common.spec import ExportWish
from lean_trellis.core.supports.common.structure import Counted, Drawn

_MOST_TOLD = 6


def drawn_bodies(bodies: Bodies, most: int) -> Drawn:
    """All bodies as they are, however many faces are wanted: they have few."""
    return Drawn(bodies.mesh, bodies.element_of_face, bodies.piece_of_face, covers=shadow_of_mesh(bodies))


def exported_bodies(bodies: Bodies, name: str, wish: ExportWish) -> list[Named]:
    """One body."""
    return [Named(name, united([bodies.mesh]) if wish.united else bodies.mesh, "support")]


def _lines(*lines: str) -> str:
    return "\n".join(line for line in lines if line)


def raft_figures(raft: Raft) -> dict[str, Any]:
    """Area, thickness, and at which margin each hole closes."""
    holes = [{"closes_at_mm": h.closes_at, "at_mm": list(h.place), "closed": h.is_closed} for h in raft.holes]
    return {"area_mm2": raft.area_mm2, "thickness_mm": raft.thickness, "holes": holes}


def raft_in_words(raft: Raft) -> str:
    """Area on the plate and its holes."""
    return _lines(f"{raft.counted}, {raft.area_mm2:,.1f} mm² on the plate", holes_in_words(raft))


def raft_trouble(raft: Raft) -> str:
    """Why there is no brim, where there is none."""
    return "nothing of the part lies on the plate: set its build offset to 0" if raft.is_empty else ""


def tag_figures(tag: Tag) -> dict[str, Any]:
    """What it says, and whether it is joined to anything."""
    return {"says": tag.says, "joined": tag.is_joined}


def tag_in_words(tag: Tag) -> str:
    """What it says."""
    return f"Says {tag.says}"


def tag_trouble(tag: Tag) -> str:
    """That it lies by itself, where it does."""
    return "" if tag.is_joined else "there is no raft and no foot to join it to: it lies beside the part by itself"


def holes_in_words(raft: Raft) -> str:
    """At which margin each hole of a raft closes, the next one first."""
    closed = [hole for hole in raft.holes if hole.is_closed]
    still = [hole for hole in raft.holes if not hole.is_closed]
    words = []
    if closed:
        words.append(f"{len(closed)} hole{'s' * (len(closed) > 1)} closed by the margin")
    if still:
        margins = ", ".join(f"{hole.closes_at:.2f}" for hole in still[:4])
        more = " …" if len(still) > 4 else ""
        words.append(f"{len(still)} hole{'s' * (len(still) > 1)} open, closing at a margin of {margins} mm{more}")
    return "; ".join(words)


def flank_figures(wall: FlankWall) -> dict[str, Any]:
    """Ties, the values that followed from others, and the reserve against tipping."""
    values = {f"{key}_mm": value for key, value in wall.derived_values.items()}
    ties = {"ties": wall.ties, "tie_lines": wall.lines, "ties_missed": wall.missed,
            "ties_missed_why": {words: count for words, count in wall.misses if count}}  # fmt: skip
    return {**ties, **values, "tipping_reserve": wall.reserve}


def flank_in_words(wall: FlankWall) -> str:
    """Ties, and what the base resists."""
    reserve = "" if math.isinf(wall.reserve) else f"base holds {wall.reserve:.1f} times the push"
    reasons = [f"{count} {words}" for words, count in wall.misses if count]
    missed = f"{wall.missed} ties are missing: {', '.join(reasons)}" if wall.missed else ""
    further = ", ".join(words for words in (reserve, missed) if words)
    return _lines(f"{Counted(wall.ties, 'tie', 'ties')} in {Counted(wall.lines, 'line', 'lines')}", further)


def cradle_figures(cradle: Cradle) -> dict[str, Any]:
    """Rows, columns, and what each post does."""
    posts = cradle.posts
    rows = zip(posts.tops.tolist(), posts.depths.tolist(), posts.areas.tolist(), strict=True)
    each = [
        {"at_mm": top, "does": posts.state(number), "depth_mm": depth, "area_mm2": area}
        for number, (top, depth, area) in enumerate(rows)
    ]
    return {"rows": cradle.rows, "columns": cradle.columns, "posts": each}


def cradle_in_words(cradle: Cradle) -> str:
    """Posts, and what they do."""
    posts = cradle.posts
    kinds = [posts.state(number) for number in range(len(posts))]
    several = {"goes in": "go in", "touches": "touch", "touches too little": "touch too little", "floats": "float"}
    counts = {kind: kinds.count(kind) for kind in dict.fromkeys(kinds)}
    counted = ", ".join(f"{count} {kind if count == 1 else several[kind]}" for kind, count in counts.items())
    off = f", {len(posts.kept_off)} left out below or beside protected surfaces" * bool(len(posts.kept_off))
    crowded = f", {posts.crowded} had no space beside a slope" * bool(posts.crowded)
    grid = f"{Counted(len(posts), 'post', 'posts')} in {cradle.rows} rows and {cradle.columns} columns"
    return _lines(grid, counted + off + crowded)


def block_figures(block: Block) -> dict[str, Any]:
    """Size, what was trimmed away, density, and each contact with its place, area and depth."""
    touches = [
        {"at_mm": at, "area_mm2": area, "depth_mm": depth}
        for at, area, depth in zip(
            block.touching.places.tolist(), block.touching.areas.tolist(), block.touching.depths.tolist(), strict=True
        )
    ]
    return {"size_mm": list(block.size_mm), "trimmed_mm3": block.trimmed_mm3, "density": block.density,
            "touches": touches}  # fmt: skip


def block_in_words(block: Block) -> str:
    """Size, and what was trimmed away."""
    x, y, z = block.size_mm
    trimmed = f"{block.trimmed_mm3 / 1000:.2f} cm³ trimmed away"
    own = block.touching
    each = [
        f"contact {n}: {area:.2f} mm², {depth:.2f} mm deep, at {at[0]:.1f}, {at[1]:.1f}, {at[2]:.1f}"
        for n, (at, area, depth) in enumerate(zip(own.places, own.areas, own.depths, strict=True), start=1)
    ]
    more = [f"and {len(each) - _MOST_TOLD} further contacts"] if len(each) > _MOST_TOLD else []
    return _lines(f"{block.counted}, {x:.4g} by {y:.4g} by {z:.4g} mm, {trimmed}", *each[:_MOST_TOLD], *more)

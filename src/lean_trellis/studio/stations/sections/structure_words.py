"""What is told of a support's structures in words."""

from __future__ import annotations

import math

import numpy as np

from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.block import Block
from lean_trellis.core.supports.cradle import Cradle
from lean_trellis.core.supports.flank import FlankWall
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.raft import Raft
from lean_trellis.core.supports.structure import Counted, Structure
from lean_trellis.core.supports.struts import NO_WAY_WORDS


def totals_in_words(made: Structure) -> str:
    """Counts, volume, contact."""
    if isinstance(made, Bars):
        return _bars_in_words(made)
    size = f"{made.volume_mm3 / 1000:,.2f} cm³, contact {made.contact_area_mm2:,.1f} mm²"
    return "\n".join(line for line in (_counts(made), size, _further(made)) if line)


def _counts(made: Structure) -> str:
    """What it is made of."""
    match made:
        case Panels():
            openings = f", {100 * made.open_mm2 / max(made.area_mm2 + made.open_mm2, 1e-9):.0f} % open"
            return f"{made.counted} in {Counted(made.piece_count, 'piece', 'pieces')}{openings * (made.open_mm2 > 0)}"
        case FlankWall():
            return f"{Counted(made.ties, 'tie', 'ties')} in {Counted(made.lines, 'line', 'lines')}"
        case Cradle():
            return f"{Counted(len(made.posts), 'post', 'posts')} in {made.rows} rows and {made.columns} columns"
        case Raft():
            return f"{made.counted}, {made.area_mm2:,.1f} mm² on the plate"
        case Block():
            x, y, z = made.size_mm
            return f"{made.counted}, {x:.4g} by {y:.4g} by {z:.4g} mm, {made.trimmed_mm3 / 1000:.2f} cm³ trimmed away"
    return str(made.counted)


def _further(made: Structure) -> str:
    match made:
        case Raft():
            return _holes_in_words(made)
        case FlankWall():
            reserve = "" if math.isinf(made.reserve) else f"base holds {made.reserve:.1f} times the push"
            missed = f"{made.missed} ties found no part" if made.missed else ""
            return ", ".join(words for words in (reserve, missed) if words)
        case Cradle():
            kinds = [made.posts.state(number) for number in range(len(made.posts))]
            several = {"goes in": "go in", "touches": "touch", "floats": "float"}
            counts = {kind: kinds.count(kind) for kind in dict.fromkeys(kinds)}
            counted = [f"{count} {kind if count == 1 else several[kind]}" for kind, count in counts.items()]
            off = f", {len(made.posts.kept_off)} left out below protected surfaces" * bool(len(made.posts.kept_off))
            crowded = f", {made.posts.crowded} had no room beside a slope" * bool(made.posts.crowded)
            return ", ".join(counted) + off + crowded
        case Panels():
            return f"largest piece {made.piece_sizes_mm.max(initial=0.0):.1f} mm"
    return ""


def _bars_in_words(bars: Bars) -> str:
    counted = ((bars.on_part, "on the part"), (len(bars.trunks), "trunks"), (len(bars.braces), "braces"),
               (len(bars.feet), "shared feet"), (len(bars.ties), "ties"))  # fmt: skip
    besides = "".join(f", {count:,} {words}" for count, words in counted if count)
    return (
        f"{len(bars):,} bars{besides}\n"
        f"{bars.volume_mm3 / 1000:,.2f} cm³, contact {bars.contact_area_mm2:,.1f} mm², "
        f"longest {bars.longest_mm:.1f} mm"
    )


def trouble_in_words(made: Structure) -> str:
    """What could not be made as meant; nothing where all could."""
    if isinstance(made, Bars) and len(made.missed_holds):
        reasons = [
            f"{int((made.missed_reasons == r).sum())} {NO_WAY_WORDS[int(r)]}" for r in np.unique(made.missed_reasons)
        ]
        return f"{len(made.missed_holds)} hold points found no way: {'; '.join(reasons)}."
    if isinstance(made, Panels) and made.left_out.reasons:
        told = "; ".join(dict.fromkeys(made.left_out.reasons))
        return f"{made.left_out.lengths_mm.sum():.1f} mm of wall could not be built: {told}."
    return ""


def _holes_in_words(raft: Raft) -> str:
    """At which margin each hole of a raft closes, the next one first."""
    if not raft.holes:
        return ""
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

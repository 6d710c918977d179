"""`out_of_reach`: contacts that no straight tool gets to, so that nobody takes these supports off."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.supports.common.spec import spec_of

_ROUND, _LEVELS = 16, (0.0, -25.0, -50.0, -75.0)
"""So many ways round, level and from ever steeper below: supports are taken off with the part off its plate."""
_RIM = 4
_OFF_MM = 0.3
_MOST = 4000
"""Of more contacts an even choice is looked at."""


def check_reach(state: BuildState) -> Iterator[Finding]:
    """A caution for each support with contacts that a tool does not reach from any side."""
    least = constant_of(state.job.constants, "tool_diameter")
    for part in state.subjects:
        for held in state.supports_of(part.part):
            grips = spec_of(held.support).grips(held.structure)
            step = max(1, -(-len(grips) // _MOST))
            places = grips.places[::step]
            missed = np.flatnonzero(~reached(part, places, grips.axes[::step], least.value))
            if not len(missed):
                continue
            place = places[missed[0]]
            share = f"{len(missed) * step:,} of {len(grips):,} contacts"
            yield Finding(
                "out_of_reach", "caution", part.part.name,
                f"{share} of {spec_of(held.support).title.lower()} cannot be reached with a straight tool of "
                f"{least.value:g} mm",
                cause="the part itself is in the way from every side", at_mm=tuple(place.tolist()),
                value=float(len(missed) * step), limit=0.0, unit="contacts", source=least.source, part_id=part.part.id,
                support_id=held.support.id,
                cures=(Cure("Leave these regions out", about="regions"), Cure("Turn the part", about="pose")),
            )  # fmt: skip


def tool_ways() -> Floats:
    """(w, 3): unit ways from a contact outwards along which a tool may lie."""
    turns = 2 * np.pi * np.arange(_ROUND) / _ROUND
    ways = []
    for level in np.radians(_LEVELS):
        flat = np.column_stack([np.cos(turns), np.sin(turns)]) * np.cos(level)
        ways.append(np.column_stack([flat, np.full(_ROUND, np.sin(level))]))
    return np.concatenate(ways)


def reached(part: PartState, places: Floats, axes: Floats, diameter: float) -> Bools:
    """(n,): whether a rod of a diameter gets from outside to the column (axis (n, 3)) right at each contact (n, 3)."""
    result = np.zeros(len(places), bool)
    below = places - (diameter / 2 + _OFF_MM) * axes
    for way in tool_ways():
        open_ones = np.flatnonzero(~result)
        if not len(open_ones):
            break
        across = np.array([-way[1], way[0], 0.0])
        across /= np.linalg.norm(across)
        over = np.cross(way, across)
        turns = 2 * np.pi * np.arange(_RIM) / _RIM
        rim = diameter / 2 * (np.cos(turns)[:, None] * across + np.sin(turns)[:, None] * over)
        offsets = np.concatenate([np.zeros((1, 3)), rim])
        starts = (below[open_ones, None] + offsets).reshape(-1, 3)
        own = part.part.pose.to_part(part.part.mesh, starts)
        hits = part.tree.first_hits(own, np.broadcast_to(way, own.shape) @ part.part.pose.matrix)
        free = np.isinf(hits.distance).reshape(len(open_ones), -1).all(axis=1)
        result[open_ones[free]] = True
    return result

"""`out_of_reach`: contacts that no straight tool gets to, feet that no scraper gets under, cuts that meet the part."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.checks.changes import SetOffset
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.supports.common.spec import spec_of

_ROUND, _LEVELS = 16, (0.0, -25.0, -50.0, -75.0)
"""So many ways round, level and from ever steeper below: supports are taken off with the part off its plate."""
_RIM = 4
_ANGLES = (0.0, 15.0, 30.0, 45.0, 60.0, 75.0, 90.0)
_OFF_MM = 0.3
_ENOUGH_FREE = 0.5
"""Where half of the feet can be got under, the rest comes along."""
_MOST = 4000
"""Of more contacts an even choice is looked at."""


def check_reach(state: BuildState) -> Iterator[Finding]:
    """A caution for each support with contacts, or feet, that a tool does not reach; for parts that a saw cuts into."""
    yield from _contacts(state)
    if state.job.machine.process == "powder_bed":
        yield from _cut_into(state)
    elif not state.job.machine.is_belt:
        yield from _feet(state)


def _cut_into(state: BuildState) -> Iterator[Finding]:
    """Metal is sawn off its plate: what lies lower than the cut loses it."""
    stock = constant_of(state.job.constants, "saw_stock")
    for part in state.subjects:
        low = float(part.overhangs.mesh.bounds[0, 2])
        if state.job.stack_of(part.part.id) is None and low < stock.value - LIMIT_SPARE:
            yield Finding(
                "out_of_reach", "caution", part.part.name,
                f"the saw cuts into it: {low:.2f} mm between plate and part, {stock.value:g} mm required",
                cause="it stands too low to be cut off the plate without losing height", value=low, limit=stock.value,
                unit="mm", source=stock.source, part_id=part.part.id,
                cures=(Cure(f"Lift it to {stock.value:g} mm", SetOffset(part.part.id, stock.value)),),
            )  # fmt: skip


def _feet(state: BuildState) -> Iterator[Finding]:
    """Elsewhere supports are taken off the plate with a scraper under their feet."""
    flat = constant_of(state.job.constants, "tool_angle")
    least = constant_of(state.job.constants, "tool_diameter")
    for part in state.subjects:
        for carrier in state.supports_of(part.part):
            feet = spec_of(carrier.support).footprint(carrier.structure)
            if not len(feet.corners):
                continue
            places = feet.corners[:: max(1, -(-len(feet.corners) // _MOST))]
            angles = scraper_angles(part, places, least.value)
            over = np.flatnonzero(angles > flat.value + LIMIT_SPARE)
            if not len(over) or (angles <= flat.value).mean() > _ENOUGH_FREE:
                continue
            worst = int(over[angles[over].argmax()])
            yield Finding(
                "out_of_reach", "caution", part.part.name,
                f"a scraper has to be held at {angles[worst]:.0f}° to get under feet of "
                f"{spec_of(carrier.support).title.lower()}; {flat.value:g}° is flat enough",
                cause="the part lies low over them on every side", at_mm=(*places[worst].tolist(), 0.0),
                value=float(angles[worst]), limit=flat.value, unit="°", source=flat.source, part_id=part.part.id,
                support_id=carrier.support.id, cures=(Cure("Lift the part", about="pose"),),
            )  # fmt: skip


def scraper_angles(part: PartState, places: Floats, diameter: float) -> Floats:
    """(n,) degrees from the plate: the least at which a straight tool gets from outside to feet at places (n, 2).

    The tool has a diameter, lies on the plate at 0° and may come from any side; only the part itself is in its way.
    """
    result = np.full(len(places), 90.0)
    turns = 2 * np.pi * np.arange(_ROUND) / _ROUND
    for angle in _ANGLES[-2::-1]:
        slope = np.radians(angle)
        ways = np.column_stack(
            [np.cos(turns) * np.cos(slope), np.sin(turns) * np.cos(slope), np.full(_ROUND, np.sin(slope))]
        )
        starts = np.column_stack([places, np.full(len(places), diameter)])
        begins = np.repeat(starts, _ROUND, axis=0)
        own = part.part.pose.to_part(part.part.mesh, begins)
        hits = part.tree.first_hits(own, np.tile(ways, (len(places), 1)) @ part.part.pose.matrix)
        free = np.isinf(hits.distance).reshape(len(places), _ROUND).any(axis=1)
        result[free] = angle
    return result


def _contacts(state: BuildState) -> Iterator[Finding]:
    least = constant_of(state.job.constants, "tool_diameter")
    for part in state.subjects:
        for carrier in state.supports_of(part.part):
            grips = spec_of(carrier.support).grips(carrier.structure)
            step = max(1, -(-len(grips) // _MOST))
            places = grips.places[::step]
            missed = np.flatnonzero(~reached(part, places, grips.axes[::step], least.value))
            if not len(missed):
                continue
            place = places[missed[0]]
            share = f"{len(missed) * step:,} of {len(grips):,} contacts"
            yield Finding(
                "out_of_reach", "caution", part.part.name,
                f"{share} of {spec_of(carrier.support).title.lower()} cannot be reached with a straight tool of "
                f"{least.value:g} mm",
                cause="the part itself is in the way from every side", at_mm=tuple(place.tolist()),
                value=float(len(missed) * step), limit=0.0, unit="contacts", source=least.source, part_id=part.part.id,
                support_id=carrier.support.id,
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

"""`trapped`: hollows out of which powder or resin does not come, and supports that nobody reaches in them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartHollows, PartState
from lean_trellis.core.mesh.hollows import Cavity
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.supports.common.spec import spec_of

LEAST_MM3 = 10.0
"""Smaller hollows are not looked at."""
_FILLED_WITH = {"powder_bed": "powder", "vat": "resin"}
_BELOW_CELLS = 1.5


def check_trapped(state: BuildState) -> Iterator[Finding]:
    """Stops for what is closed off for good, cautions for what only gets out through a narrow way."""
    inside = _FILLED_WITH.get(state.job.machine.process)
    for part in state.subjects:
        hollows = state.hollows.get(part.part.id)
        if hollows is None:
            continue
        if inside is not None:
            for hollow in hollows.cavities:
                yield _hollow(state, part, hollow, inside)
        yield from _supports_inside(state, part, hollows)


def _hollow(state: BuildState, part: PartState, hollow: Cavity, inside: str) -> Finding:
    least = constant_of(state.job.constants, "least_way")
    is_sealed = hollow.way_mm <= LIMIT_SPARE
    size = f"a hollow of {hollow.volume_mm3:,.0f} mm³"
    way = "is sealed" if is_sealed else f"opens by {hollow.way_mm:.1f} mm at its widest; limit {least.value:g} mm"
    comes_off = hollow.is_on_plate and inside == "powder"  # resin is closed in by the film above as well
    if is_sealed and hollow.is_on_plate:
        way = "is closed until the part comes off the plate"
    x, y, z = hollow.drain_mm
    return Finding(
        "trapped", "stop" if is_sealed and not comes_off else "caution", part.part.name,
        f"{size} traps {inside}: it {way}",
        cause=f"a drain would serve best at x {x:.1f}, y {y:.1f}, z {z:.1f} mm, through {hollow.thinnest_mm:.1f} mm",
        at_mm=hollow.at_mm, value=hollow.way_mm, limit=least.value, unit="mm", source=least.source,
        part_id=part.part.id, cures=(Cure("Drill a drain", about="parts"), Cure("Turn the part", about="pose")),
    )  # fmt: skip


def _supports_inside(state: BuildState, part: PartState, hollows: PartHollows) -> Iterator[Finding]:
    cells = hollows.cells
    if cells is None or not cells.sealed:
        return
    for carrier in state.supports_of(part.part):
        grips = spec_of(carrier.support).grips(carrier.structure)
        below = grips.places - np.array([0.0, 0.0, _BELOW_CELLS * cells.cell])
        bodies = cells.bodies_at(below)
        closed_in = np.flatnonzero(bodies > 1)
        if not len(closed_in):
            continue
        place = grips.places[closed_in[0]]
        comes_off = state.job.machine.process != "vat" and all(
            cells.is_on_plate(cells.body == number) for number in np.unique(bodies[closed_in]).tolist()
        )
        yield Finding(
            "trapped", "caution" if comes_off else "stop", part.part.name,
            f"{len(closed_in):,} of {len(grips):,} contacts of {spec_of(carrier.support).title.lower()} are inside a "
            "closed hollow" + (", until the part comes off the plate" if comes_off else ""),
            cause="nobody gets at them there", at_mm=tuple(place.tolist()), value=float(len(closed_in)), limit=0.0,
            unit="contacts", part_id=part.part.id, support_id=carrier.support.id,
            cures=(Cure("Leave these regions out", about="regions"), Cure("Drill a drain", about="parts")),
        )  # fmt: skip

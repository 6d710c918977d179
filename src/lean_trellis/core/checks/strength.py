"""`held_too_little`, `plate_hold_low`, `too_flexible`: do supports bear what acts on a part while it is built?"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from lean_trellis.core.checks.changes import AddSupport, SetValue
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding, Severity
from lean_trellis.core.checks.state import BuildState, PartState, PartStrength
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.strength.figures import CONTACT, USED_WORDS
from lean_trellis.core.supports.bars.facts.figures import BarFigures
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.core.supports.common.support import Support

_NEARLY = 0.8
_WANTED, _SPARE = 0.75, 1.02
"""Cures aim at so much of the strength."""
_GROWS = {"tip_diameter": 2.0, "shaft_diameter": 3.0, "tab_width": 1.0, "post_tip": 2.0}
"""With which power of a value what it carries grows, at the least."""
_CURED_BY = (("tip_diameter", "tab_width", "post_tip"), ("shaft_diameter",), ("shaft_diameter",))


def check_strength(state: BuildState) -> Iterator[Finding]:
    """A stop where more is carried than can be, a caution from four fifths on; deflection only once it is measured."""
    for part in state.subjects:
        strength = state.strengths.get(part.part.id)
        if strength is None:
            continue
        for carrier in state.supports_of(part.part):
            figures = strength.figures.get(carrier.support.id)
            if figures is not None and len(figures.used):
                yield from _overloaded(part, carrier.support, figures, strength)
                yield from _slender(state, part, carrier.support, figures)
                yield from _weak_braces(part, carrier.support, figures, strength)
        if not state.job.machine.is_belt:
            yield from _loose(state, part, strength)
            yield from _flexible(state, part, strength)


def _slender(state: BuildState, part: PartState, support: Support, figures: Any) -> Iterator[Finding]:
    """Columns more slender than builders of frames take, whatever they carry."""
    limit = constant_of(state.job.constants, "most_slender")
    over = np.flatnonzero(figures.slenderness > limit.value)
    if not len(over):
        return
    worst = int(over[figures.slenderness[over].argmax()])
    slender = float(figures.slenderness[worst])
    yield Finding(
        "bar_slender", "caution", part.part.name,
        f"{len(over)} of {len(figures.slenderness)} columns of {spec_of(support).title.lower()} too slender: "
        f"slenderness {slender:.0f} at worst; limit {limit.value:.0f}",
        cause="they are long for their width, and free at the top", at_mm=_place(figures, worst),
        value=slender, limit=limit.value, source=limit.source, part_id=part.part.id, support_id=support.id,
        cures=(*_thicker(support, slender / limit.value), *_braced(support)),
    )  # fmt: skip


def _thicker(support: Support, over: float) -> Iterator[Cure]:
    value = support.parameters.model_dump().get("shaft_diameter")
    if isinstance(value, float):
        wanted = round(_within(support.parameters, "shaft_diameter", value * over * _SPARE), 2)
        title = support.parameters.declared_as("shaft_diameter").label.lower()
        yield Cure(f"Set {title} to {wanted:g} mm", SetValue(support.id, "shaft_diameter", wanted))


def _braced(support: Support) -> Iterator[Cure]:
    if support.parameters.model_dump().get("brace") == "none":
        yield Cure("Brace them with a zigzag", SetValue(support.id, "brace", "zigzag"))


def _place(figures: Any, number: int) -> tuple[float, float, float]:
    x, y, z = figures.places[number].tolist()
    return x, y, z


def _severity(used: float) -> Severity | None:
    if used > 1 + LIMIT_SPARE:
        return "stop"
    return "caution" if used > _NEARLY + LIMIT_SPARE else None


def _overloaded(part: PartState, support: Support, figures: Any, strength: PartStrength) -> Iterator[Finding]:
    worst = int(figures.used.argmax())
    used, by = float(figures.used[worst]), int(figures.used_by[worst])
    severity = _severity(used)
    if severity is None:
        return
    grips = spec_of(support).title.lower()
    over = int((figures.used > 1 + LIMIT_SPARE).sum())
    many = f", {over} of {len(figures.used)} contacts over it" if over > 1 else ""
    level = f" at {float(figures.levels[worst]):.1f} mm" if by == CONTACT else ""
    yield Finding(
        "held_too_little", severity, part.part.name,
        f"{grips} loaded to {used:.2f} x its strength by {USED_WORDS[by]}{level}; limit 1{many}",
        cause=f"{float(figures.loads_n[worst]):.1f} N act there", at_mm=_place(figures, worst),
        value=used, limit=1.0, source=strength.loads.actions.source, part_id=part.part.id, support_id=support.id,
        cures=(*_stronger(support, used, by), Cure("Turn the part", about="pose")),
    )  # fmt: skip


def _stronger(support: Support, used: float, by: int) -> Iterator[Cure]:
    """Values with which about three quarters of the strength would be used."""
    values = support.parameters.model_dump()
    for key in _CURED_BY[by]:
        if isinstance(values.get(key), float):
            wanted = _within(support.parameters, key, values[key] * (used / _WANTED) ** (1 / _GROWS[key]))
            title = support.parameters.declared_as(key).label.lower()
            words = f"Set {title} to {wanted:g} mm: about {used * (values[key] / wanted) ** _GROWS[key]:.2f} x"
            yield Cure(words, SetValue(support.id, key, wanted))
    if isinstance(values.get("spacing"), float):
        closer = _within(support.parameters, "spacing", values["spacing"] * (_WANTED / used) ** 0.5)
        words = f"Set spacing to {closer:g} mm: about {used * (closer / values['spacing']) ** 2:.2f} x"
        yield Cure(words, SetValue(support.id, "spacing", closer))


def _within(parameters: FamilyParameters, key: str, value: float) -> float:
    """The value to two digits, within what may be set."""
    known = parameters.declared_as(key)
    return round(min(max(value, known.least or 0.0), known.most or math.inf), 2)


def _weak_braces(part: PartState, support: Support, figures: Any, strength: PartStrength) -> Iterator[Finding]:
    """Braces that would fail: only bars have any."""
    if not isinstance(figures, BarFigures) or not len(figures.brace_used):
        return
    worst = int(figures.brace_used.argmax())
    used = float(figures.brace_used[worst])
    severity = _severity(used)
    if severity is None:
        return
    yield Finding(
        "held_too_little", severity, part.part.name, f"braces loaded to {used:.2f} x what they bear; limit 1",
        cause=f"{float(figures.brace_loads_n[worst]):.1f} N act along one",
        at_mm=_place(figures, int(figures.pushes_n.argmax())), value=used, limit=1.0,
        source=strength.loads.actions.source, part_id=part.part.id, support_id=support.id,
        cures=(Cure("Set a larger brace diameter", about="supports"),),
    )  # fmt: skip


def _loose(state: BuildState, part: PartState, strength: PartStrength) -> Iterator[Finding]:
    """What lies on the plate as a whole, and each foot for itself unless a raft joins them."""
    plate = strength.loads.statics.plate
    places = [(plate.value, plate.at_mm, f"at layer height {plate.level:.1f} mm")]
    carrying = [carrier.support for carrier in state.supports if part.part.id in carrier.support.parts]
    if not any(spec_of(support).is_ground for support in carrying):
        for figures in strength.figures.values():
            if len(figures.feet_used):
                foot = int(figures.feet_used.argmax())
                places.append((float(figures.feet_used[foot]), _place(figures, foot), "at the foot below"))
    value, at_mm, where = max(places)
    severity = _severity(value)
    if severity is None:
        return
    yield Finding(
        "plate_hold_low", severity, part.part.name,
        f"comes off the plate: {value:.2f} x what holds there, {where}; limit 1",
        cause="what lies on the plate is too little for what pulls there", at_mm=at_mm, value=value,
        limit=1.0, source=f"assumed: bond to the plate of {strength.loads.actions.bond:.3g} MPa; "
        + strength.loads.actions.source, part_id=part.part.id,
        cures=(*_wider_feet(state, part, value), Cure("Add a raft", AddSupport(part.part.id, "raft-follow")),
               Cure("Turn the part", about="pose")),
    )  # fmt: skip


def _wider_feet(state: BuildState, part: PartState, used: float) -> Iterator[Cure]:
    for carrier in state.supports_of(part.part):
        value = carrier.support.parameters.model_dump().get("foot_diameter")
        if isinstance(value, float):
            wanted = _within(carrier.support.parameters, "foot_diameter", value * (used / _WANTED) ** 0.5)
            if wanted > value:
                yield Cure(f"Set foot diameter to {wanted:g} mm", SetValue(carrier.support.id, "foot_diameter", wanted))


def _flexible(state: BuildState, part: PartState, strength: PartStrength) -> Iterator[Finding]:
    worst, actions = strength.loads.statics.deflection, strength.loads.actions
    limit = actions.most_deflection * state.job.layer_height
    if worst.value <= limit + LIMIT_SPARE * limit:
        return
    yield Finding(
        "too_flexible", "stop" if actions.is_measured else "caution", part.part.name,
        f"gives way by {worst.value:.3f} mm at {worst.level:.1f} mm under what pushes there; limit {limit:.3f} mm",
        cause="what is built so far is too slender, or its supports are", at_mm=worst.at_mm, value=worst.value,
        limit=limit, unit="mm", source=actions.source, part_id=part.part.id,
        cures=(*_stiffer(state, part), Cure("Turn the part", about="pose")),
    )  # fmt: skip


def _stiffer(state: BuildState, part: PartState) -> Iterator[Cure]:
    """Braces where there are bars without, then a wall beside the part."""
    for carrier in state.supports_of(part.part):
        yield from _braced(carrier.support)
    yield Cure("Add a flank wall", AddSupport(part.part.id, "wall-flank"))

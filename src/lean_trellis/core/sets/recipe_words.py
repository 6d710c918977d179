"""A recipe's rules in words: which regions one takes, and what it gives them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import RANGES, Rule, Use

_KINDS = {"face": "faces", "edge": "edges", "point": "points", "island": "islands"}
_PLACES = {"inner": "above the part itself", "outer": "above the plate or another part"}
_SURFACES = {"protected": "on protected surfaces", "free": "not on protected surfaces"}


def condition_words(rule: Rule) -> str:
    """Which regions a rule takes."""
    return ", ".join(_conditions(rule))


def _conditions(rule: Rule) -> Iterator[str]:
    has_all = {"face", "edge", "point"} <= set(rule.kinds)
    yield "any region" if has_all else " and ".join(_KINDS[kind] for kind in rule.kinds)
    for key, (label, unit, _) in RANGES.items():
        words = range_words(getattr(rule, f"least_{key}"), getattr(rule, f"most_{key}"), unit)
        if words:
            yield f"{label.lower()} {words}"
    if rule.place != "any":
        yield _PLACES[rule.place]
    if rule.surface != "any":
        yield _SURFACES[rule.surface]
    if rule.processes:
        yield "in " + " or ".join(name.replace("_", " ") for name in rule.processes)
    if rule.materials:
        yield "of " + " or ".join(rule.materials)


def range_words(least: float | None, most: float | None, unit: str) -> str:
    """A range in words, nothing where it has no bound."""
    gap = "" if unit == "°" else " "
    if least is not None and most is not None:
        return f"{least:g} to {most:g}{gap}{unit}"
    if least is not None:
        return f"{least:g}{gap}{unit} or more"
    return "" if most is None else f"up to {most:g}{gap}{unit}"


def action_words(rule: Rule, sets: Mapping[str, ParameterSet] | None = None) -> str:
    """What a rule does with the regions it takes; sets by their titles where they are known."""
    if rule.leave:
        return f"left alone: {rule.leave}"
    return "; ".join(_use_words(use, sets or {}) for use in rule.uses)


def _use_words(use: Use, sets: Mapping[str, ParameterSet]) -> str:
    name = sets[use.set].title if use.set in sets else use.set
    model = type(sets[use.set].parameters) if use.set in sets else None
    values = [
        f"{key if model is None or key not in model.model_fields else model.declared_as(key).label.lower()} {value}"
        for key, value in use.values.items()
    ]
    return f"{name} ({', '.join(values)})" if values else name

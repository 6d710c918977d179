"""Machines and materials as flat values: what differs from another, and one value changed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from lean_trellis.core.errors import ParameterError

_Thing = TypeVar("_Thing", bound=BaseModel)
_UNSHOWN = ("id", "note")


@dataclass(frozen=True)
class Difference:
    """One value that is not what it is elsewhere; None where it is not there at all."""

    key: str
    here: Any
    there: Any


def flat_values(thing: BaseModel) -> dict[str, Any]:
    """Every number, word and switch of a machine or material by its dotted key, in the order of its file."""
    values: dict[str, Any] = {}

    def walk(key: str, value: Any) -> None:
        if isinstance(value, dict):
            for name, inner in value.items():
                if name == "sources":
                    continue
                walk(f"{key}.{name}" if key else name, inner)
        elif isinstance(value, list | tuple):
            for number, inner in enumerate(value):
                walk(f"{key}.{number}", inner)
        elif value is not None:
            values[key] = value

    walk("", {key: value for key, value in thing.model_dump().items() if key not in _UNSHOWN})
    return values


def differences(here: BaseModel, there: BaseModel) -> tuple[Difference, ...]:
    """Where two things of a kind differ; sources do not count."""
    ours, theirs = flat_values(here), flat_values(there)
    keys = [*ours, *(key for key in theirs if key not in ours)]
    return tuple(
        Difference(key, ours.get(key), theirs.get(key))
        for key in keys
        if ours.get(key) != theirs.get(key) and not key.endswith(".source")
    )


def with_value(thing: _Thing, key: str, value: Any) -> _Thing:
    """The same thing with one value changed by its dotted key. Raises `ParameterError` where it may not be so."""
    content = thing.model_dump()
    holder: Any = content
    steps: list[Any] = [int(step) if step.isdigit() else step for step in key.split(".")]
    try:
        for step in steps[:-1]:
            inner = holder[step]
            holder[step] = list(inner) if isinstance(inner, tuple) else inner
            holder = holder[step]
        old = holder[steps[-1]]
        holder[steps[-1]] = value
    except (KeyError, IndexError, TypeError):
        raise ParameterError(key, "is no value of it", "choose one of the list") from None
    if isinstance(holder, dict) and steps[-1] == "value" and "source" in holder and value != old:
        holder["source"] = "assumed: changed by hand"
    try:
        return type(thing).model_validate(content)
    except ValidationError as problem:
        raise ParameterError(key, problem.errors()[0]["msg"], "give another value") from None

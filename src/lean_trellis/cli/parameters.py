"""`--param KEY=VALUE` and `--param SET:KEY=VALUE`, read by the parameters' own declarations."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from lean_trellis.core.errors import ParameterError, UnknownNameError
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports.common.parameters import Declared


def parse_parameters(given: list[str], sets: Sequence[ParameterSet]) -> dict[str, dict[str, Any]]:
    """Values by set and key. Without `SET:` a value goes to every set whose family has the key."""
    declared = {entry.name: {known.key: known for known in entry.parameters.declared()} for entry in sets}
    values: dict[str, dict[str, Any]] = {name: {} for name in declared}
    for text in given:
        left, equals, right = text.partition("=")
        if not equals:
            raise ParameterError("--param", f"{text!r} has no value", "write KEY=VALUE, for example spacing=2.0")
        if not sets:
            raise ParameterError("--param", "there is no set whose values it could change", "give --set as well")
        of_set, colon, key = left.rpartition(":")
        if colon and of_set not in declared:
            raise UnknownNameError.among("chosen set", of_set, declared)
        meant = [name for name in ([of_set] if colon else declared) if key in declared[name]]
        if not meant:
            offered = declared[of_set] if colon else {key for keys in declared.values() for key in keys}
            raise UnknownNameError.among("parameter", key, offered)
        for name in meant:
            values[name][key] = _value(declared[name][key], right)
    return values


def _value(known: Declared, text: str) -> Any:
    words = {"on": True, "true": True, "yes": True, "off": False, "false": False, "no": False}
    if known.kind == "optional_number" and text.lower() in ("off", "none", ""):
        return None
    if known.kind == "switch":
        if text.lower() not in words:
            raise ParameterError(known.key, f"{text!r} is not on or off", "give on or off")
        return words[text.lower()]
    if known.kind in ("choice", "text"):
        return text
    try:
        return int(text) if known.kind == "count" else float(text.replace(",", "."))
    except ValueError:
        raise ParameterError(known.key, f"{text!r} is no number", f"give a number {known.unit}".rstrip()) from None


def with_parameters(chosen: ParameterSet, values: dict[str, Any]) -> ParameterSet:
    """The set with some values changed together and checked once. Raises `ParameterError`."""
    return replace(chosen, parameters=chosen.parameters.with_values(values))

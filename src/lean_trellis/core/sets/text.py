"""A parameter set as the text of its file: TOML, with what each value means beside it."""

from __future__ import annotations

from typing import Any

import tomlkit

from lean_trellis.core.sets.parameter_set import ParameterSet


def set_text(kept: ParameterSet) -> str:
    """The set as TOML; values that follow from others are left out until they are typed."""
    text = tomlkit.document()
    head: dict[str, Any] = {"title": kept.title, "family": kept.family, "form": kept.parameters.form}
    head |= {"version": kept.version, "owner": kept.owner, "process": kept.process}
    head |= {"materials": list(kept.materials), "note": kept.note}
    for key, value in head.items():
        if value not in ("", []) or key in ("owner", "note"):
            text.add(key, tomlkit.item(value))
    values = tomlkit.table()
    for known in kept.parameters.declared():
        value = getattr(kept.parameters, known.key)
        if value is not None:
            written = tomlkit.item(value)
            written.comment(" ".join(f"{known.unit}  {known.help}".split()))
            values.add(known.key, written)
    text.add("parameters", values)
    return tomlkit.dumps(text)

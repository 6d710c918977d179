"""A parameter set as the text of its file: TOML, with what each value means beside it."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

import tomlkit
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.errors import AccessError, LibraryError, ParameterError, UnknownNameError
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.supports.common.spec import parameters_of


class _SetText(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str = Field(min_length=1)
    family: str
    form: str = ""
    version: int = Field(1, ge=1)
    owner: str = ""
    process: Process | str = "any"
    note: str = ""
    parameters: dict[str, float | int | bool | str]


def set_text(kept: ParameterSet) -> str:
    """The set as TOML; values that follow from others are left out until they are typed."""
    text = tomlkit.document()
    head: dict[str, Any] = {"title": kept.title, "family": kept.family, "form": kept.parameters.form}
    head |= {"version": kept.version, "owner": kept.owner, "process": kept.process, "note": kept.note}
    for key, value in head.items():
        if value != "" or key in ("owner", "note"):
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


def read_set_text(text: str, name: str, where: str | Path) -> ParameterSet:
    """The set of a text. Raises `LibraryError` that names where it is from, the key and the line."""
    try:
        content = tomllib.loads(text)
    except tomllib.TOMLDecodeError as problem:
        raise LibraryError(where, f"is no valid TOML ({problem})", "mend that line") from None
    try:
        kept = _SetText.model_validate(content)
    except ValidationError as problem:
        fault = problem.errors()[0]
        key = ".".join(str(step) for step in fault["loc"][:2])
        raise LibraryError(where, f"{_line_of(text, key)}key '{key}': {fault['msg']}", "correct that key") from None
    process = kept.process
    if process not in ("any", "powder_bed", "vat", "extrusion"):
        words = f"{_line_of(text, 'process')}'{process}' is no process"
        raise LibraryError(where, words, "name powder_bed, vat, extrusion or any")
    try:
        parameters = parameters_of(kept.family, kept.form, dict(kept.parameters))
    except UnknownNameError as problem:
        raise LibraryError(where, f"{_line_of(text, 'family')}{problem}", "name a known family") from None
    except ParameterError as problem:
        line = _line_of(text, problem.subject)
        raise LibraryError(where, f"{line}key 'parameters.{problem.subject}': {problem.what}", problem.cure) from None
    return ParameterSet(name, kept.title, kept.version, kept.owner, process, kept.note, parameters)  # type: ignore[arg-type]


def read_set_file(path: Path) -> ParameterSet:
    """The set of a file, named as the file is. Raises `AccessError`, or `LibraryError` with line and key."""
    try:
        text = path.read_text(encoding="utf-8")
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except UnicodeDecodeError:
        raise LibraryError(path, "is no text", "give a parameter set as TOML") from None
    return read_set_text(text, path.stem, path)


def _line_of(text: str, key: str) -> str:
    """Where a key stands, in words with a comma and blank behind; nothing where it does not."""
    name = key.rsplit(".", 1)[-1]
    for number, line in enumerate(text.splitlines(), start=1):
        if line.split("=", 1)[0].strip().strip('"') == name:
            return f"line {number}, "
    return ""

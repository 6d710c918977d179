"""Things of the library from the text of a TOML file; what is wrong is named with its line."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from lean_trellis.core.errors import AccessError, LibraryError

_Model = TypeVar("_Model", bound=BaseModel)


def text_of_file(path: Path) -> str:
    """The text of a file. Raises `AccessError`, `LibraryError` for what is no text."""
    try:
        return path.read_text(encoding="utf-8")
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except UnicodeDecodeError:
        raise LibraryError(path, "is no text", "give a TOML file") from None


def model_of_text(text: str, model: type[_Model], where: str | Path, **known: object) -> _Model:
    """One validated thing of a text; `known` fields come from elsewhere. Raises `LibraryError` with line and key."""
    try:
        content = tomllib.loads(text)
    except tomllib.TOMLDecodeError as problem:
        raise LibraryError(where, f"is no valid TOML ({problem})", "mend that line") from None
    try:
        return model.model_validate({**content, **known})
    except ValidationError as problem:
        fault = problem.errors()[0]
        steps = [step for step in fault["loc"] if isinstance(step, int) or step.replace("-", "_").isidentifier()]
        key = ".".join(str(step) for step in steps)
        if not key:
            raise LibraryError(where, str(fault["msg"]), "correct that") from None
        line = line_of(text, steps)
        raise LibraryError(where, f"{line}key '{key}': {fault['msg']}", "correct that key") from None


def line_of(text: str, steps: list[str | int]) -> str:
    """Where a key stands, in words with a comma and blank behind; nothing where it does not.

    A number among the steps counts tables of a list: `["rules", 1, "set"]` is the `set` of the second `[[rules]]`.
    """
    lines = text.splitlines()
    begin = 0
    for place, step in enumerate(steps):
        if isinstance(step, int) and place:
            heads = [number for number, line in enumerate(lines) if line.strip().startswith(f"[[{steps[place - 1]}]]")]
            begin = heads[step] if step < len(heads) else begin
    names = [str(step) for step in steps if not isinstance(step, int)]
    for name in reversed(names[-2:]):
        for number in range(begin, len(lines)):
            if lines[number].split("=", 1)[0].strip().strip('"') == name:
                return f"line {number + 1}, "
    return f"line {begin + 1}, " if begin else ""

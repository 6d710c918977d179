"""A saved parameter set, the text that it is read from, and the sets that ship."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from lean_trellis.core.errors import LibraryError, ParameterError, UnknownNameError
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.toml_text import line_of, model_of_text, text_of_file
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import parameters_of

SHIPPED = Path(__file__).parent / "shipped"
MeantFor = Process | Literal["any"]


class _SetText(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str = Field(min_length=1)
    family: str
    form: str = ""
    version: int = Field(1, ge=1)
    owner: str = ""
    process: MeantFor = "any"
    materials: tuple[str, ...] = ()
    note: str = ""
    parameters: dict[str, float | int | bool | str]


@dataclass(frozen=True)
class ParameterSet:
    """Saved values of one family. `name` is its id, `title` what people read, `materials` those it is meant for."""

    name: str
    title: str
    version: int
    owner: str
    process: MeantFor
    note: str
    parameters: FamilyParameters
    materials: tuple[str, ...] = ()

    def suits(self, process: Process) -> bool:
        """Whether it is meant for a process."""
        return self.process in (process, "any")

    @property
    def family(self) -> str:
        """The family whose values they are."""
        return self.parameters.family


def read_set_text(text: str, name: str, where: str | Path) -> ParameterSet:
    """The set of a text. Raises `LibraryError` that names where it is from, the key and the line."""
    kept = model_of_text(text, _SetText, where)
    try:
        parameters = parameters_of(kept.family, kept.form, dict(kept.parameters))
    except UnknownNameError as problem:
        raise LibraryError(where, f"{line_of(text, ['family'])}{problem}", "name a known family") from None
    except ParameterError as problem:
        line = line_of(text, [problem.subject])
        raise LibraryError(where, f"{line}key 'parameters.{problem.subject}': {problem.what}", problem.cure) from None
    head = (kept.title, kept.version, kept.owner, kept.process, kept.note)
    return ParameterSet(name, *head, parameters, kept.materials)


def read_set_file(path: Path) -> ParameterSet:
    """The set of a file, named as the file is. Raises `AccessError`, or `LibraryError` with line and key."""
    return read_set_text(text_of_file(path), path.stem, path)


def read_sets(folder: Path) -> dict[str, ParameterSet]:
    """All sets of a folder by name."""
    return {path.stem: read_set_file(path) for path in sorted(folder.glob("*.toml"))}


@lru_cache(maxsize=1)
def shipped_sets() -> dict[str, ParameterSet]:
    """The sets that ship with the program."""
    return read_sets(SHIPPED)


def find_set(sets: Mapping[str, ParameterSet], name: str) -> ParameterSet:
    """The set of that name; `UnknownNameError` says what comes close."""
    if name not in sets:
        raise UnknownNameError.among("parameter set", name, sets)
    return sets[name]

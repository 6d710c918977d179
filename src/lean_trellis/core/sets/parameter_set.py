"""A saved parameter set and the folder it is read from, one TOML file a set."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from lean_trellis.core.errors import LibraryError, ParameterError, UnknownNameError
from lean_trellis.core.shop.library import read_model
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import parameters_of

SHIPPED = Path(__file__).parent / "shipped"


class _SetFile(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    title: str
    family: str
    form: str = ""
    version: int = Field(ge=1)
    owner: str
    process: Process | Literal["any"]
    note: str
    parameters: dict[str, float | int | bool | str]


@dataclass(frozen=True)
class ParameterSet:
    """Saved values of one family. `name` is its id, `title` what people read."""

    name: str
    title: str
    version: int
    owner: str
    process: Process | Literal["any"]
    note: str
    parameters: FamilyParameters

    def suits(self, process: Process) -> bool:
        """Whether it is meant for a process."""
        return self.process in (process, "any")

    @property
    def family(self) -> str:
        """The family whose values they are."""
        return self.parameters.family


def read_set(path: Path) -> ParameterSet:
    """One set from a file. Raises `LibraryError` naming file and key."""
    kept = read_model(path, _SetFile)
    try:
        parameters = parameters_of(kept.family, kept.form, dict(kept.parameters))
    except UnknownNameError as problem:
        raise LibraryError(path, str(problem), "name a known family") from None
    except ParameterError as problem:
        raise LibraryError(path, f"key 'parameters.{problem.subject}': {problem.what}", problem.cure) from None
    return ParameterSet(kept.id, kept.title, kept.version, kept.owner, kept.process, kept.note, parameters)


def read_sets(folder: Path) -> dict[str, ParameterSet]:
    """All sets of a folder by name."""
    return {path.stem: read_set(path) for path in sorted(folder.glob("*.toml"))}


@lru_cache(maxsize=1)
def shipped_sets() -> dict[str, ParameterSet]:
    """The sets that ship with the program."""
    return read_sets(SHIPPED)


def find_set(sets: Mapping[str, ParameterSet], name: str) -> ParameterSet:
    """The set of that name; `UnknownNameError` says what comes close."""
    if name not in sets:
        raise UnknownNameError.among("parameter set", name, sets)
    return sets[name]

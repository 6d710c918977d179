"""Reading machines, materials and parameter sets from TOML, one thing a file."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material
from lean_trellis.core.shop.toml_text import model_of_text, text_of_file

SHIPPED = Path(__file__).parent / "shipped"
_Thing = TypeVar("_Thing", bound=BaseModel)


@dataclass(frozen=True)
class Library:
    """What a shop has: machines and materials by id."""

    machines: dict[str, Machine] = field(default_factory=dict)
    materials: dict[str, Material] = field(default_factory=dict)

    def machine(self, name: str) -> Machine:
        """The machine of that id; `UnknownNameError` says what comes close."""
        if name not in self.machines:
            raise UnknownNameError.among("machine", name, self.machines)
        return self.machines[name]

    def material(self, name: str) -> Material:
        """The material of that id; `UnknownNameError` says what comes close."""
        if name not in self.materials:
            raise UnknownNameError.among("material", name, self.materials)
        return self.materials[name]

    def materials_for(self, machine: Machine) -> list[Material]:
        """The materials that the machine's process takes, in the order of their names."""
        fitting = [m for m in self.materials.values() if m.process == machine.process]
        return sorted(fitting, key=lambda material: material.name)


def read_model(path: Path, model: type[_Thing]) -> _Thing:
    """One validated thing from a file; its id is the file's name. Errors name file, line and key."""
    return model_of_text(text_of_file(path), model, path, id=path.stem)


def _read_all(folder: Path, model: type[_Thing]) -> dict[str, _Thing]:
    return {path.stem: read_model(path, model) for path in sorted(folder.glob("*.toml"))}


def load_library(folder: Path) -> Library:
    """Machines and materials from `machines/` and `materials/` below a folder."""
    return Library(
        machines=_read_all(folder / "machines", Machine), materials=_read_all(folder / "materials", Material)
    )


@lru_cache(maxsize=1)
def shipped_library() -> Library:
    """The library that ships with the program."""
    return load_library(SHIPPED)

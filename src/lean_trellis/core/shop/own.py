"""A shop's own machines and materials: TOML in the user's data folder, beside what ships."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import platformdirs
import tomlkit

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import AccessError, LibraryError, TrellisError
from lean_trellis.core.shop.library import Library, read_model, read_toml, shipped_library
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material

_FOLDERS: dict[type[Machine] | type[Material], str] = {Machine: "machines", Material: "materials"}


def own_folder() -> Path:
    """Where the shop's own things are kept."""
    return Path(platformdirs.user_data_dir("lean-trellis")) / "library"


def _read_own(folder: Path | None) -> Iterator[Machine | Material | TrellisError]:
    """Each thing of the shop's own folder, or why its file was not taken."""
    for model, name in _FOLDERS.items():
        for path in sorted(((folder or own_folder()) / name).glob("*.toml")):
            try:
                yield read_model(path, model)
            except TrellisError as problem:
                yield problem


def full_library(folder: Path | None = None) -> Library:
    """What ships and what the shop keeps of its own.

    A file of one's own that is wrong is passed over; `own_problems` tells of it.
    """
    library = shipped_library()
    machines, materials = dict(library.machines), dict(library.materials)
    for thing in _read_own(folder):
        if isinstance(thing, Machine):
            machines[thing.id] = thing
        elif isinstance(thing, Material):
            materials[thing.id] = thing
    return replace(library, machines=machines, materials=materials)


def own_problems(folder: Path | None = None) -> tuple[TrellisError, ...]:
    """Why files of the shop's own library were passed over; each names its file and key."""
    return tuple(entry for entry in _read_own(folder) if isinstance(entry, TrellisError))


def keep_own(thing: Machine | Material, name: str, folder: Path | None = None) -> Machine | Material:
    """Keep a machine or material under a name of one's own and give it back with its new id.

    Raises `LibraryError` where a thing that ships has that id, `AccessError` where it cannot be written.
    """
    own_id = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")
    if not own_id:
        raise LibraryError(name, "is no name", "type one with letters")
    shipped = shipped_library()
    if own_id in shipped.machines or own_id in shipped.materials:
        raise LibraryError(name, "is what one that ships is called", "type another name")
    kept = thing.model_copy(update={"id": own_id, "name": name.strip()})
    path = (folder or own_folder()) / _FOLDERS[type(thing)] / f"{own_id}.toml"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise AccessError.of(path, problem, "write") from problem
    with written_whole(path) as file:
        file.write(toml_of(kept).encode())
    return kept


def toml_of(thing: Machine | Material) -> str:
    """A machine or material as the text of its file."""
    content = {key: value for key, value in thing.model_dump(mode="json").items() if key != "id"}
    return tomlkit.dumps(_without_none(content))


def _without_none(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _without_none(inner) for key, inner in value.items() if inner is not None}
    if isinstance(value, list):
        return [_without_none(inner) for inner in value]
    return value


def take_in(path: Path, folder: Path | None = None) -> Machine | Material:
    """Take a machine's or material's TOML file into the shop's own library.

    Raises `LibraryError` that names file and key where it is neither or is wrong.
    """
    content = read_toml(path)
    if "plate" in content:
        thing: Machine | Material = read_model(path, Machine)
    elif "constants" in content or "layers" in content:
        thing = read_model(path, Material)
    else:
        raise LibraryError(path, "is no machine and no material", "give a file with a [plate] or with [constants]")
    return keep_own(thing, thing.name, folder)

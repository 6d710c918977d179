"""A shop's own machines and materials, kept in its library beside what ships."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar, cast

import platformdirs
import tomlkit

from lean_trellis.core.errors import LibraryError, TrellisError
from lean_trellis.core.shop.library import Library, shipped_library
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material
from lean_trellis.core.shop.saved import Form, Head, Saved, id_of, shop_saved
from lean_trellis.core.shop.toml_text import model_of_text, text_of_file
from lean_trellis.core.shop.values import flat_values
from lean_trellis.core.shop.words import words_of

_Thing = TypeVar("_Thing", bound=Machine | Material)
_OLD_FOLDERS = ("machines", "materials")


def toml_of(thing: Machine | Material) -> str:
    """A machine or material as the text of its file, with what each value means beside it."""
    content = {key: value for key, value in thing.model_dump(mode="json").items() if key != "id"}
    return tomlkit.dumps(_written(content, "", flat_values(thing)))


def _written(content: dict[str, Any], path: str, values: Mapping[str, Any]) -> dict[str, Any]:
    """The content without what is not said; every number with its unit and help as a comment."""
    table = tomlkit.document() if not path else tomlkit.table()
    for key in sorted(content, key=lambda key: _holds_tables(content[key])):
        value, place = content[key], f"{path}.{key}" if path else key
        if value is None:
            continue
        if isinstance(value, dict) and not _holds_tables(value):
            table.add(key, _commented(_inline(value), f"{place}.value", values))
        elif isinstance(value, dict):
            table.add(key, _written(value, place, values))
        elif isinstance(value, list) and _holds_tables(value):
            rows = tomlkit.aot()
            for number, row in enumerate(value):
                rows.append(_written(row, f"{place}.{number}", values))
            table.add(key, rows)
        else:
            table.add(key, _commented(tomlkit.item(value), place, values))
    return cast(dict[str, Any], table)


def _holds_tables(value: Any) -> bool:
    """Whether it is written as tables of its own, behind all that is written in a line; constants are not."""
    if isinstance(value, dict):
        return not {"value", "source"} <= value.keys()
    return isinstance(value, list) and bool(value) and isinstance(value[0], dict)


def _inline(value: Mapping[str, Any]) -> tomlkit.items.InlineTable:
    table = tomlkit.inline_table()
    table.update(value)
    return table


def _commented(item: Any, key: str, values: Mapping[str, Any]) -> Any:
    if key not in values or key.endswith((".unit", ".source")):
        return item
    words = words_of(key, dict(values))
    comment = " ".join(f"{words.unit}  {words.help}".split())
    if comment:
        item.comment(comment)
    return item


def _head_of(thing: Machine | Material) -> Head:
    return Head(thing.id, thing.name, version=0)


def _with_head(thing: _Thing, head: Head) -> _Thing:
    copy: _Thing = thing.model_copy(update={"id": head.id, "name": head.name})  # type: ignore[assignment]
    return copy


def _read_machine(text: str, name: str, where: str) -> Machine:
    return model_of_text(text, Machine, where, id=name)


def _read_material(text: str, name: str, where: str) -> Material:
    return model_of_text(text, Material, where, id=name)


MACHINES: Form[Machine] = Form(
    "machine", "machine", lambda: shipped_library().machines, _head_of, _with_head, toml_of, _read_machine
)
MATERIALS: Form[Material] = Form(
    "material", "material", lambda: shipped_library().materials, _head_of, _with_head, toml_of, _read_material
)


def own_folder() -> Path:
    """Where earlier versions kept a shop's own machines and materials, one TOML file each."""
    return Path(platformdirs.user_data_dir("lean-trellis")) / "library"


def full_library() -> Library:
    """What ships and what the shop has of its own.

    Where the shop library cannot be read, or a thing in it, it is passed over; `own_problems` tells of it.
    """
    return read_library()[0]


def own_problems() -> tuple[TrellisError, ...]:
    """Why things of the shop's own were passed over; each names its place and key."""
    return read_library()[1]


def read_library() -> tuple[Library, tuple[TrellisError, ...]]:
    """What ships and what the shop has of its own, and why things of its own were passed over."""
    problems = list(_take_over_old())
    machines, materials = shop_saved(MACHINES), shop_saved(MATERIALS)
    machines.look()
    if machines.problem is None:
        materials.look()
    problems += [problem for problem in (machines.problem, materials.problem) if problem is not None]
    problems += [*machines.faults, *materials.faults]
    library = replace(shipped_library(), machines=dict(machines.all), materials=dict(materials.all))
    return library, tuple(problems)


def _take_over_old() -> Iterator[TrellisError]:
    """Take what earlier versions kept as files into the library, once. Returns why files were not taken."""
    for folder in _OLD_FOLDERS:
        for path in sorted((own_folder() / folder).glob("*.toml")):
            try:
                thing = read_thing(path)
                saved = _saved_of(thing)
                if saved.store().latest(saved.form.kind, thing.id) is None:
                    saved.take_in(thing, why=f"from {path.name} of an earlier version")
            except TrellisError as problem:
                yield problem


def _saved_of(thing: _Thing) -> Saved[_Thing]:
    form = MACHINES if isinstance(thing, Machine) else MATERIALS
    return shop_saved(cast(Form[_Thing], form))


def keep_own(thing: _Thing, name: str, *, why: str = "") -> _Thing:
    """Save a machine or material under a name of one's own and give it back with its new id.

    One that has been saved under that name gets a further version. Raises `LibraryError` where a thing that ships has
    that id, `StoreError` where the library cannot be written.
    """
    own_id = id_of(name)
    saved = _saved_of(thing)
    if own_id in shipped_library().machines or own_id in shipped_library().materials:
        raise LibraryError(name, "is what one that ships is called", "type another name")
    return saved.take_in(_with_head(thing, Head(own_id, name.strip())), why=why)


def read_thing(path: Path) -> Machine | Material:
    """The machine or material of a TOML file. Raises `LibraryError` that names file, line and key."""
    text = text_of_file(path)
    keys = {line.split("=", 1)[0].strip() for line in text.splitlines()}
    if "[plate]" in keys:
        return _read_machine(text, path.stem, str(path))
    if "[constants]" in keys or "[[layers]]" in keys or "constants" in keys:
        return _read_material(text, path.stem, str(path))
    raise LibraryError(path, "is no machine and no material", "give a file with a [plate] or with [constants]")


def take_in(path: Path) -> Machine | Material:
    """Take a machine's or material's TOML file into the shop's own library.

    Raises `LibraryError` that names file, line and key where it is neither or is wrong.
    """
    thing = read_thing(path)
    return keep_own(thing, thing.name, why=f"from {path.name}")

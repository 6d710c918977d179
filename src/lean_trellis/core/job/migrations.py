"""Older job files made into today's, one step a version. A step is never changed once it has been released."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Content = dict[str, Any]


def _tables(content: Content, key: str) -> list[Content]:
    """The tables of a list; what is none is left for the schema to refuse."""
    listed = content.get(key)
    return [entry for entry in listed if isinstance(entry, dict)] if isinstance(listed, list) else []


def _from_1(content: Content) -> Content:
    """Version 2 keeps a part's origin as a table of its own where version 1 kept the file's name as `source`."""
    for part in _tables(content, "parts"):
        part["origin"] = {"file": part.pop("source", "")}
    return content


def _from_2(content: Content) -> Content:
    """Version 3 may hold marks on parts; without any it is as version 2."""
    return content


def _from_3(content: Content) -> Content:
    """Version 4 may hold work by hand on supports; without any it is as version 3."""
    return content


def _from_4(content: Content) -> Content:
    """Version 5 knows further families of supports, and work by hand on walls; without any it is as version 4."""
    return content


def _from_5(content: Content) -> Content:
    """Version 6 holds machine and material as used, always; version 5 did so where they were not those that ship."""
    content["machine_values"] = content.pop("own_machine", None)
    content["material_values"] = content.pop("own_material", None)
    return content


def _from_6(content: Content) -> Content:
    """Version 7 keeps a release with its ticket, and waivers; version 6 said only whether there was one."""
    was_released = content.pop("is_released", False)
    content["released"] = {} if was_released is True else None
    for trial in _tables(content, "trials"):
        if isinstance(trial.get("job"), dict):
            _from_6(trial["job"])
    return content


STEPS: dict[int, Callable[[Content], Content]] = {
    1: _from_1,
    2: _from_2,
    3: _from_3,
    4: _from_4,
    5: _from_5,
    6: _from_6,
}
"""From which version a step leads to the next."""


def migrated(content: Content, version: int, newest: int) -> Content:
    """The content of a file of `version`, as the `newest` version has it."""
    for step in range(version, newest):
        content = STEPS[step](content)
    return content | {"version": newest}

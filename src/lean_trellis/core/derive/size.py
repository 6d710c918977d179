"""How much memory a result takes: the arrays in it, counted once each."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields, is_dataclass
from types import NoneType
from typing import Any

import numpy as np
import shapely
from pydantic import BaseModel

from lean_trellis.core.mesh.rays import RayTree

_OTHER_BYTES, _PLACE_BYTES = 64, 24
_SAMPLED = 64
_BYTES_A_FACE = 160
"""Of a ray tree, by measurement: Embree's own copy of the mesh and the tree over it."""
_names: dict[type[Any], tuple[str, ...]] = {}
_PLAIN = frozenset({NoneType, bool, int, float, complex, str, bytes})


def size_of(result: Any) -> int:
    """Bytes of a result with everything it refers to; whatever several results share counts for each."""
    return _size(result, set())


def _size(thing: Any, seen: set[int]) -> int:
    if type(thing) in _PLAIN:
        return _OTHER_BYTES
    if id(thing) in seen:
        return 0
    seen.add(id(thing))
    if isinstance(thing, np.ndarray):
        base = thing.base
        if isinstance(base, np.ndarray):
            return _size(base, seen)
        return int(thing.nbytes) + _OTHER_BYTES
    if isinstance(thing, (list, tuple, set, frozenset)):
        if len(thing) > 2 * _SAMPLED:  # of many things of a kind some tell enough
            step = len(thing) / _SAMPLED
            some = [entry for number, entry in enumerate(thing) if int(number % step) == 0][:_SAMPLED]
            return _OTHER_BYTES + int(len(thing) / len(some) * _sum_of(some, seen))
        return _OTHER_BYTES + _sum_of(thing, seen)
    if isinstance(thing, dict):
        return _OTHER_BYTES + _sum_of(thing.keys(), seen) + _sum_of(thing.values(), seen)
    if isinstance(thing, shapely.Geometry):
        return _OTHER_BYTES + _PLACE_BYTES * int(shapely.count_coordinates(thing))
    if isinstance(thing, BaseModel):
        return _OTHER_BYTES  # the job's own
    own = _BYTES_A_FACE * len(thing.mesh.faces) if isinstance(thing, RayTree) else _OTHER_BYTES
    contents = dict(vars(thing)) if hasattr(thing, "__dict__") else {}
    for name in _field_names(type(thing)):
        contents.setdefault(name, getattr(thing, name))
    return own + _sum_of(contents.values(), seen)


def _sum_of(things: Iterable[Any], seen: set[int]) -> int:
    # Most entries are numbers and words: they are counted here, without a call each.
    return sum([_OTHER_BYTES if type(entry) in _PLAIN else _size(entry, seen) for entry in things])


def _field_names(kind: type[Any]) -> tuple[str, ...]:
    if kind not in _names:
        _names[kind] = tuple(entry.name for entry in fields(kind)) if is_dataclass(kind) else ()
    return _names[kind]

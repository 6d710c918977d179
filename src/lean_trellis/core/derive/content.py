"""What results hold, as a digest: so two that were made from different things turn out to be alike."""

from __future__ import annotations

import hashlib
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel
from shapely.geometry.base import BaseGeometry

from lean_trellis.core.mesh.mesh import Mesh


def content_of(thing: Any) -> bytes | None:
    """A digest of all that a frozen value holds, bit by bit; None where something in it cannot be told apart so.

    Of dataclasses the fields count, and not what was worked out from them; of meshes their own digest.
    """
    digest = hashlib.blake2b(digest_size=16)
    try:
        _feed(digest, thing)
    except TypeError:
        return None
    return digest.digest()


def _feed(digest: Any, thing: Any) -> None:
    digest.update(type(thing).__name__.encode())
    match thing:
        case None | bool() | int() | float() | str():
            digest.update(repr(thing).encode())
        case np.ndarray():
            if thing.dtype.hasobject:
                raise TypeError
            digest.update(f"{thing.dtype}{thing.shape}".encode())
            digest.update(np.ascontiguousarray(thing).reshape(-1).view(np.uint8))
        case np.generic():
            digest.update(thing.tobytes())
        case Mesh():
            digest.update(repr(thing.key).encode())
        case BaseGeometry():
            digest.update(thing.wkb)
        case BaseModel():
            digest.update(thing.model_dump_json().encode())
        case tuple() | list():
            digest.update(str(len(thing)).encode())
            for entry in thing:
                _feed(digest, entry)
        case frozenset() | set():
            _feed(digest, sorted(repr(entry) for entry in thing))
        case dict():
            _feed(digest, list(thing.items()))
        case _ if is_dataclass(thing):
            for entry in fields(thing):
                _feed(digest, getattr(thing, entry.name))
        case _:
            raise TypeError(type(thing).__name__)

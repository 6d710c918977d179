"""Keys of results, and how values differ in them."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import fields, is_dataclass
from typing import Any

from cachetools import LRUCache
from pydantic import BaseModel

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.marks import FaceMarks

_texts: LRUCache[int, tuple[BaseModel, Hashable]] = LRUCache(256)
_fields: LRUCache[int, tuple[Any, Hashable]] = LRUCache(8192)
"""Frozen models written as text, and frozen dataclasses taken apart, once: by identity, with the thing itself."""


class Key:
    """A node's name with the tokens of all its inputs; its hash is taken once, so keys within keys cost nothing."""

    __slots__ = ("_hash", "name", "tokens")

    def __init__(self, name: str, tokens: tuple[Hashable, ...]) -> None:
        self.name, self.tokens = name, tokens
        self._hash = hash((name, tokens))

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        if not isinstance(other, Key):
            return NotImplemented
        return self._hash == other._hash and self.name == other.name and self.tokens == other.tokens

    def __repr__(self) -> str:
        return f"Key({self.name}, {self._hash:x})"


def token(value: Any) -> Hashable:
    """What tells a value apart: itself where it is hashed by its content, a mesh by its hash, models by their text."""
    if value is None or isinstance(value, (str, int, float, bool, Key)):
        return value
    if isinstance(value, Mesh):
        return value.key
    if isinstance(value, BaseModel):
        return _text_of(value)
    if isinstance(value, tuple):
        return tuple(token(entry) for entry in value)
    if isinstance(value, dict):
        return tuple((key, token(entry)) for key, entry in sorted(value.items()))
    if is_dataclass(value) and not isinstance(value, type) and type(value) is not FaceMarks:
        return _of_fields(value)
    hashed: Hashable = value
    return hashed


def _of_fields(value: Any) -> Hashable:
    """A frozen dataclass by its type and the tokens of its fields, kept by identity."""
    known = _fields.get(id(value))
    if known is not None and known[0] is value:
        return known[1]
    made = (type(value).__name__, *(token(getattr(value, entry.name)) for entry in fields(value)))
    _fields[id(value)] = (value, made)
    return made


def _text_of(model: BaseModel) -> Hashable:
    known = _texts.get(id(model))
    if known is not None and known[0] is model:
        return known[1]
    text = (type(model).__name__, model.model_dump_json())
    _texts[id(model)] = (model, text)
    return text

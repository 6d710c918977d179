"""Guards: stand-ins through which a node reads in tests; what it did not declare raises."""

from __future__ import annotations

from collections.abc import Iterable
from types import FunctionType, MethodType
from typing import Any

_EVERYTHING: dict[str, Any] = {}


class UndeclaredReadError(AssertionError):
    """A node read what it did not declare."""


def guarded(thing: Any, node: str, paths: Iterable[str]) -> Any:
    """The thing behind a guard that lets through the dotted paths alone; what lies below the end of one is free."""
    tree: dict[str, Any] = {}
    for path in paths:
        place = tree
        for step in path.split("."):
            place = place.setdefault(step, {})
    return _Guard(thing, node, tree)


class _Guard:
    """Attributes that were declared; methods and properties run on the guard, so that they are held to it too."""

    __slots__ = ("_node", "_thing", "_tree")

    def __init__(self, thing: Any, node: str, tree: dict[str, Any]) -> None:
        object.__setattr__(self, "_thing", thing)
        object.__setattr__(self, "_node", node)
        object.__setattr__(self, "_tree", tree)

    def __getattr__(self, name: str) -> Any:
        thing, tree = object.__getattribute__(self, "_thing"), object.__getattribute__(self, "_tree")
        node = object.__getattribute__(self, "_node")
        if name in tree:
            value = getattr(thing, name)
            below = tree[name]
            return value if not below or value is None else _Guard(value, node, below)
        for owner in type(thing).__mro__:
            member = owner.__dict__.get(name)
            if isinstance(member, property) and member.fget is not None:
                return member.fget(self)
            if isinstance(member, FunctionType):
                return MethodType(member, self)
            if member is not None and hasattr(member, "func"):  # a cached property
                return member.func(self)
        raise UndeclaredReadError(f"{node} reads {type(thing).__name__}.{name}, which it does not declare")

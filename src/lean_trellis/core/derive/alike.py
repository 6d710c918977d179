"""Results that hold the same though made from different things: what follows from one follows from the other."""

from __future__ import annotations

from typing import Any

from cachetools import LRUCache

from lean_trellis.core.derive.key import Key
from lean_trellis.core.derive.node import Node

_MOST = 10_000


class Alike:
    """Which keys stand for the same result, by the contents of those results that tell them."""

    def __init__(self) -> None:
        self._first: LRUCache[tuple[str, bytes], Key] = LRUCache(_MOST)
        self._same: LRUCache[Key, Key] = LRUCache(_MOST)
        self._ends: dict[Key, Key] = {}

    @property
    def is_empty(self) -> bool:
        """Whether no two results have turned out alike."""
        return not self._same

    def note(self, node: Node[Any], key: Key, made: Any) -> None:
        """A result was made under a key: is it like one before?"""
        content = None if node.content is None else node.content(made)
        if content is None:
            return
        first = self._first.setdefault((node.name, content), key)
        if first != key:
            self._same[key] = first
            self._ends.clear()

    def has_others(self, node: Node[Any]) -> bool:
        """Whether results of a node may turn out to be like one before."""
        return node.content is not None and bool(self._first)

    def first_of(self, key: Key) -> Key:
        """The key with every result that it follows from replaced by the first one that is like it."""
        same = self._same.get(key)
        if same is not None:
            return same
        end = self._ends.get(key)
        if end is None:
            tokens = tuple([self.first_of(one) if isinstance(one, Key) else one for one in key.tokens])
            is_first = all(one is other for one, other in zip(tokens, key.tokens, strict=True))
            end = self._ends[key] = key if is_first else Key(key.name, tokens)
        return end

    def clear(self) -> None:
        """Forget all."""
        self._first.clear()
        self._same.clear()
        self._ends.clear()

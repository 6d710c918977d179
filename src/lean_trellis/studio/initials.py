"""Owners in a narrow column."""

from __future__ import annotations


def initials(owner: str) -> str:
    """The first letters of an owner's name, three at most; the whole name is in the Parts bench."""
    return "".join(word[0] for word in owner.split())[:3]

"""Colours of how much of its strength something uses."""

from __future__ import annotations

from lean_trellis.studio.theme import Tokens

NEARLY = 0.8
"""From here on it is a caution."""
USE_STEPS = (("holds, up to 0.4 used", 0.2), ("up to 0.8", 0.6), ("up to 1", 0.9), ("over its strength", 1.1))
"""Words of the steps, and a value in each."""


def use_colour(used: float, t: Tokens) -> str:
    """The colour of a share of strength; 1 is the whole."""
    if used > 1:
        return t.stop
    if used > NEARLY:
        return t.caution
    return t.verdigris if used > NEARLY / 2 else t.card

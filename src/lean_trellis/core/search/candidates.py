"""Which values of a recipe are tried: every combination where they are few, evenly spread ones where they are many."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from math import prod

import numpy as np

from lean_trellis.core.errors import EditError
from lean_trellis.core.sets.recipe import Value


@dataclass(frozen=True)
class OpenValue:
    """A value that is to be found: of which rule and which of its sets, its key, and what it may be."""

    rule: str
    use: int
    key: str
    values: tuple[Value, ...]


def levels(low: float, high: float, count: int) -> tuple[float, ...]:
    """Evenly spaced values of a range, both ends among them, to three digits. Raises `EditError` for no range."""
    if not low <= high or count < 1:
        raise EditError(
            "find the best", f"{low:g} to {high:g} in {count} steps is no range", "give the lower end first"
        )
    return tuple(dict.fromkeys(round(float(value), 3) for value in np.linspace(low, high, count)))


def combinations(opened: Sequence[OpenValue], most: int) -> tuple[tuple[Value, ...], ...]:
    """Combinations of values, one for each open value; all where they are `most` or fewer.

    Else `most` of them spread evenly by a Halton sequence (Halton 1960), always the same ones. Raises `EditError` where
    nothing is open.
    """
    if not opened or any(not one.values for one in opened):
        raise EditError("find the best", "no value is open", "give a range or several choices for one")
    counts = [len(one.values) for one in opened]
    if prod(counts) <= most:
        return tuple(product(*(one.values for one in opened)))
    unique: dict[tuple[int, ...], None] = {}
    from scipy.stats import qmc  # a third of a second less for a window that searches nothing

    spread = qmc.Halton(len(opened), scramble=False)
    spread.fast_forward(1)  # its first place is the corner
    while len(unique) < most:
        shares = spread.random(most)
        places = np.minimum((shares * counts).astype(int), np.array(counts) - 1)
        unique |= dict.fromkeys(map(tuple, places.tolist()))
    chosen = list(unique)[:most]
    return tuple(tuple(one.values[place] for one, place in zip(opened, places, strict=True)) for places in chosen)

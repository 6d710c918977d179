"""Where layers lie along their normal."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError

MOST_LAYERS = 100_000


@dataclass(frozen=True)
class LayerPlan:
    """Layers `height` mm high, from the plate upward; the lowest one is `first` mm high, unless that is None.

    A layer is cut at its middle. Below the plate, as it occurs on a belt, layers go on downward at the same height.
    With `every` above 1 only the last of so many layers is cut: supports that are built at every n-th layer.
    """

    height: float
    first: float | None = None
    every: int = 1

    def middle_of(self, numbers: Longs) -> Floats:
        """(l,): the middle heights of layers by their numbers, 0 for the one on the plate."""
        if self.first is None:
            return np.asarray((numbers + 0.5) * self.height, np.float64)
        return np.where(numbers == 0, self.first / 2, self.first + (numbers - 0.5) * self.height)

    def numbers_of(self, middles: Floats) -> Longs:
        """(l,): the numbers of the layers whose middle heights these are."""
        if self.first is None:
            return np.rint(middles / self.height - 0.5).astype(np.int64)
        return np.where(middles < self.first, 0, np.rint((middles - self.first) / self.height + 0.5)).astype(np.int64)

    def tops_of(self, numbers: Longs) -> Floats:
        """(l,): heights of the upper sides of layers by their numbers, along the normal."""
        first = self.height if self.first is None else self.first
        return np.asarray(first + numbers * self.height, np.float64)

    def thickness_of(self, numbers: Longs) -> Floats:
        """(l,): how high the layers of these numbers are built, with `every` what lies below them since the last."""
        first = self.height if self.first is None else self.first
        usual = np.full(len(numbers), self.height * self.every)
        return np.where(numbers == self.every - 1, first + (self.every - 1) * self.height, usual)

    def middles(self, low: float, high: float) -> Floats:
        """(l,): the middle heights between two heights along the normal, rising.

        Raises `EditError` where there are more layers than anybody builds.
        """
        if (high - low) / self.height > MOST_LAYERS:
            words = f"{(high - low) / self.height:,.0f} layers of {self.height:g} mm are more than {MOST_LAYERS:,}"
            raise EditError("layer height", words, "choose thicker layers")
        start = self.height if self.first is None else self.first
        # Counted from the top of the lowest layer: number -1 is that layer itself.
        numbers = np.arange(
            math.floor((low - start) / self.height - 0.5), math.ceil((high - start) / self.height) + 1, dtype=np.int64
        )
        if self.first is not None:
            numbers = numbers[numbers >= -1]
        middles = np.asarray(start + (numbers + 0.5) * self.height, np.float64)
        if self.first is not None:
            middles[numbers == -1] = self.first / 2
        middles = middles[(middles > low) & (middles < high)]
        if self.every == 1:
            return middles
        return middles[(self.numbers_of(middles) + 1) % self.every == 0]

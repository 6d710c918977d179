"""Where layers lie along their normal."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError

MOST_LAYERS = 100_000


@dataclass(frozen=True)
class LayerPlan:
    """Layers `height` mm high, from the plate upward; the lowest one is `first` mm high if that is given.

    A layer is cut at its middle. Below the plate, as it occurs on a belt, layers go on downward at the same height.
    """

    height: float
    first: float | None = None

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
        return middles[(middles > low) & (middles < high)]

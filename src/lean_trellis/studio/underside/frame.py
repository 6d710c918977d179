"""How the plate and the screen belong together: seen from below, x to the right, the front edge on top.

That is what is seen on lying down before the machine and looking up, and what the 3D view shows from below.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Floats

_LEAST_SCALE, _MOST_SCALE = 0.2, 400.0
_STEPS = (1.0, 2.0, 5.0)


@dataclass(frozen=True)
class MapFrame:
    """`scale` pixels a millimetre; the plate's origin is at (`left`, `top`) on the screen."""

    scale: float = 2.0
    left: float = 0.0
    top: float = 0.0

    def to_screen(self, x: float, y: float) -> tuple[float, float]:
        """Pixels of a place on the plate."""
        return self.left + self.scale * x, self.top + self.scale * y

    def to_plate(self, x: float, y: float) -> tuple[float, float]:
        """The place on the plate under a pixel, mm."""
        return (x - self.left) / self.scale, (y - self.top) / self.scale

    def panned(self, dx: float, dy: float) -> MapFrame:
        """Moved by so many pixels."""
        return replace(self, left=self.left + dx, top=self.top + dy)

    def zoomed(self, factor: float, x: float, y: float) -> MapFrame:
        """Larger by a factor; what is under the pixel (x, y) stays there."""
        scale = float(np.clip(self.scale * factor, _LEAST_SCALE, _MOST_SCALE))
        ratio = scale / self.scale
        return MapFrame(scale, x - ratio * (x - self.left), y - ratio * (y - self.top))

    @staticmethod
    def fitted(low: Floats, high: Floats, width: float, height: float, margin: float = 34.0) -> MapFrame:
        """The frame that shows a box of the plate, (2,) corners, in the middle of so many pixels."""
        size = np.maximum(np.asarray(high) - low, 1e-3)
        room = np.maximum([width - 2 * margin, height - 2 * margin], 20.0)
        scale = float(np.clip((room / size).min(), _LEAST_SCALE, _MOST_SCALE))
        middle = (np.asarray(low) + high) / 2
        return MapFrame(scale, width / 2 - scale * float(middle[0]), height / 2 - scale * float(middle[1]))


def round_length(most_mm: float) -> float:
    """The largest of 1, 2, 5, 10, 20 … that is no longer than `most_mm`: for rulers and scale bars."""
    power = 10.0 ** np.floor(np.log10(max(most_mm, 1e-6)))
    return float(max(step * power for step in _STEPS if step * power <= most_mm * (1 + 1e-9)))

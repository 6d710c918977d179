"""Which ways may lean where: how far from the layer normal, which a belt tilts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats

_SPARE = 1e-9


@dataclass(frozen=True)
class LayerLean:
    """The normal of the layers, and how far a strut may lean from it and still support itself, degrees."""

    normal: tuple[float, float, float] = (0.0, 0.0, 1.0)
    most_deg: float = 90.0

    @property
    def is_level(self) -> bool:
        """Whether layers lie level: there the lean limit says all."""
        return self.normal[2] > 1 - _SPARE

    def allows(self, ways: Floats) -> Bools:
        """(...,): whether struts along directions (..., 3), up or down, support themselves."""
        up = np.where(ways[..., 2:] < 0, -ways, ways)
        length = np.maximum(np.linalg.norm(up, axis=-1), 1e-12)
        along = up @ np.array(self.normal) / length
        return np.asarray(along >= np.cos(np.radians(self.most_deg)) - _SPARE, bool)


LEVEL = LayerLean()

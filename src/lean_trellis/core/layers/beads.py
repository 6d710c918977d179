"""How layers are filled with beads."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.layers.laying import LaidAs
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.shop.material import Constant, value_or

LOOPS = 2
FILL_SHARE = 0.3
SHELL_LAYERS = 4


@dataclass(frozen=True)
class Beads:
    """How layers are filled: the beads' `width` in mm, `loops` along the outlines, `share` of the inside that is full.

    What lies less than `shells` layers under or over air all is filled.
    """

    width: float
    loops: int
    share: float
    shells: int
    inset: float = 0.0
    """Outlines are set in by so much: beads spread beyond them."""

    @classmethod
    def of(cls, constants: Mapping[str, Constant], laid_as: LaidAs) -> Beads:
        """The material's values; supports are one loop, and as full inside as they say."""
        width, inset = constants["path_width"].value, value_or(constants, "outline_offset", 0.0)
        if laid_as.is_support:
            return cls(width, 1, laid_as.share, 0, inset)
        return cls(
            width, max(0, round(value_or(constants, "loops", LOOPS))),
            float(np.clip(value_or(constants, "fill_share", FILL_SHARE), 0.0, 1.0)),
            max(0, round(value_or(constants, "shell_layers", SHELL_LAYERS))), inset,
        )  # fmt: skip

    def with_own(self, values: PathValues) -> Beads:
        """The same, but for what a part has values of its own for."""
        return replace(
            self,
            width=self.width if values.path_width is None else values.path_width,
            loops=self.loops if values.loops is None else values.loops,
            share=self.share if values.fill_share is None else values.fill_share,
        )

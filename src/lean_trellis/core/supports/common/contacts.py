"""How supports touch a part: the parameters that every family with contacts has."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.supports.common.parameters import FamilyParameters, parameter

_SAME_LAYERS = 1e-3
"""A gap in mm is rounded up to whole layers, but for what lies this little above: 0.6 mm of 0.2 are 3, not 4."""


@dataclass(frozen=True)
class Contact:
    """How deep a bite goes in, or how far off a gap stays, in mm along the normal; `dense` mm of full layers below."""

    is_bite: bool
    distance: float
    dense: float = 0.0


class ContactParameters(FamilyParameters):
    """Bite or gap."""

    contact: Literal["bite", "gap"] = parameter(
        "bite", "Contact", question="holds", words={"bite": "Bites into the part", "gap": "Gap of whole layers"},
        help="Bite goes into the part by a depth; gap stays away by whole layers.",
    )  # fmt: skip
    bite_depth: float = parameter(
        0.15, "Bite depth", unit="mm", least=0, most=5, question="holds",
        applies_when=lambda p: p.contact == "bite", help="How far it goes into the part.",
    )  # fmt: skip
    gap_layers: int = parameter(
        1, "Gap", unit="layers", least=0, most=20, question="holds",
        applies_when=lambda p: p.contact == "gap", help="Empty layers between it and the part.",
    )  # fmt: skip

    gap: float | None = parameter(
        None, "Gap in mm", unit="mm", least=0, most=10, question="holds",
        applies_when=lambda p: p.contact == "gap",
        help="The gap as a distance, rounded up to whole layers. Without a value the layers above count.",
    )  # fmt: skip

    def whole_gap(self, layer_height: float) -> int:
        """The gap in layers: a gap in mm is rounded up."""
        if self.gap is None:
            return self.gap_layers
        return math.ceil(self.gap / layer_height - _SAME_LAYERS)

    def lift_mm(self, layer_height: float) -> float:
        """How far contacts end beyond the surface, along its normal; below 0 where they stay away."""
        return self.bite_depth if self.contact == "bite" else -self.whole_gap(layer_height) * layer_height

    def contact_at(self, layer_height: float, dense_layers: int = 0) -> Contact:
        """The contact of heads for a layer height."""
        return Contact(self.contact == "bite", abs(self.lift_mm(layer_height)), dense_layers * layer_height)

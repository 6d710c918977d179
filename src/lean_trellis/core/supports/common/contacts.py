"""How supports take hold of a part: the parameters that every family with contacts has."""

from __future__ import annotations

from typing import Literal

from lean_trellis.core.supports.common.parameters import FamilyParameters, parameter


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

    def lift_mm(self, layer_height: float) -> float:
        """How far contacts end above the surface; below 0 where they stay away."""
        return self.bite_depth if self.contact == "bite" else -self.gap_layers * layer_height

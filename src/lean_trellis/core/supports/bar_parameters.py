"""The parameters of bars, declared once. Lengths mm, angles degrees."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.supports.parameters import FamilyParameters, parameter


class BarParameters(FamilyParameters):
    """Bars from hold points down to the plate or the part, straight or leaning round what is in the way."""

    spacing: float = parameter(
        3.0, "Spacing", unit="mm", least=0.3, most=100, question="where",
        help="Distance between neighbouring hold points, measured in plan.",
    )  # fmt: skip
    pattern: Literal["hexagonal", "square", "scattered"] = parameter(
        "hexagonal", "Pattern", question="where",
        words={"hexagonal": "Hexagonal", "square": "Square", "scattered": "Scattered"},
        help="How the hold points lie. Hexagonal takes fewer bars than square; scattered follows the shape.",
    )  # fmt: skip
    edge_inset: float = parameter(
        0.6, "Inset from free edges", unit="mm", least=0, most=50, question="where",
        help="Hold points keep this far from an edge with air beyond it.",
    )  # fmt: skip
    wall_inset: float = parameter(
        0.8, "Inset from walls", unit="mm", least=0, most=50, question="where",
        help="Hold points keep this far from an edge where a wall goes down.",
    )  # fmt: skip
    rim_row: bool = parameter(
        False, "Row along the rim", question="where",
        help="A row of hold points along free edges and walls, at the inset, besides the pattern.",
    )  # fmt: skip
    contact: Literal["bite", "gap"] = parameter(
        "bite", "Contact", question="holds", words={"bite": "Bites into the part", "gap": "Stays away by layers"},
        help="Bite goes into the part by a depth; gap stays away by whole layers with dense layers below it.",
    )  # fmt: skip
    bite_depth: float = parameter(
        0.15, "Bite depth", unit="mm", least=0, most=5, question="holds",
        applies_when=lambda p: p.contact == "bite", help="How far the tip goes into the part.",
    )  # fmt: skip
    gap_layers: int = parameter(
        1, "Gap", unit="layers", least=0, most=20, question="holds",
        applies_when=lambda p: p.contact == "gap", help="Empty layers between the bar and the part.",
    )  # fmt: skip
    dense_layers: int = parameter(
        3, "Dense layers", unit="layers", least=0, most=50, question="holds",
        applies_when=lambda p: p.contact == "gap", help="Full layers at the top of the bar, below the gap.",
    )  # fmt: skip
    tip_diameter: float = parameter(
        0.5, "Tip diameter", unit="mm", least=0.05, most=30, question="holds",
        help="Width of the bar where it meets the part. Wider holds more and leaves a larger mark.",
    )  # fmt: skip
    tip_length: float = parameter(
        2.0, "Tip length", unit="mm", least=0.1, most=30, question="holds",
        help="Length over which the shaft narrows to the tip.",
    )  # fmt: skip
    shaft_diameter: float = parameter(
        1.2, "Shaft diameter", unit="mm", least=0.1, most=50, question="carries",
        help="Width of the bar between foot and tip.",
    )  # fmt: skip
    sides: int = parameter(
        8, "Sides", least=3, most=48, question="carries",
        help="Corners of the bar's cross-section; they lie on the circle of the given diameter.",
    )  # fmt: skip
    lean_limit: float = parameter(
        35.0, "Lean limit", unit="°", least=0, most=60, question="carries",
        help="The most a tip or a shaft may lean from vertical. A bar that leans more would not hold itself.",
    )  # fmt: skip
    height_limit: float | None = parameter(
        None, "Height limit", unit="mm", least=0.1, most=5000, question="carries",
        help="Hold points higher than this above the plate get no bar. Off unless a value is given.",
    )  # fmt: skip
    landing: Literal["plate_only", "plate_first", "anywhere"] = parameter(
        "plate_first", "Landing", question="stands",
        words={
            "plate_only": "On the plate only",
            "plate_first": "On the plate, else on the part",
            "anywhere": "On whatever is below",
        },
        help="What a bar may stand on.",
    )  # fmt: skip
    part_clearance: float = parameter(
        0.4, "Clearance to parts", unit="mm", least=0, most=20, question="stands",
        help="The least distance between a shaft and any part.",
    )  # fmt: skip
    foot_diameter: float = parameter(
        2.4, "Foot diameter", unit="mm", least=0.1, most=60, question="stands",
        help="Width of the bar on the plate. It shrinks where a part stands in its way.",
    )  # fmt: skip
    foot_height: float = parameter(
        1.0, "Foot height", unit="mm", least=0, most=30, question="stands",
        help="Height over which the foot narrows to the shaft.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _fits_together(self) -> BarParameters:
        if self.contact == "bite" and self.bite_depth > self.tip_length:
            raise ValueError("the bite is deeper than the tip is long")
        if self.foot_diameter < self.shaft_diameter:
            raise ValueError("the foot is narrower than the shaft")
        return self

    @property
    def bound_mm(self) -> float:
        """Farthest that any place of the inset region may be from a hold point, in plan."""
        return float(self.spacing / {"hexagonal": 3**0.5, "square": 2**0.5, "scattered": 1.0}[self.pattern])


def require_self_holding(parameters: BarParameters, critical_angle: float) -> None:
    """Raise `ParameterError` when a tip at the lean limit would itself be below the critical angle."""
    most = 90 - critical_angle
    if parameters.lean_limit > most + 1e-9:
        raise ParameterError(
            "lean_limit",
            f"a bar leaning {parameters.lean_limit:g}° has a surface angle of {90 - parameters.lean_limit:g}°, "
            f"below the critical angle of {critical_angle:g}°, and would not hold itself",
            f"use {most:g}° or less",
        )

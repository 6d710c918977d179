"""The parameters of bars, declared once. Lengths mm, angles degrees."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import model_validator

from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.supports.common.contacts import ContactParameters
from lean_trellis.core.supports.common.parameters import parameter
from lean_trellis.core.supports.common.support import Support


class BarParameters(ContactParameters):
    """Bars from support points down to the plate or the part, straight or leaning round what is in the way."""

    family: ClassVar[str] = "bars"

    spacing: float = parameter(
        3.0, "Spacing", unit="mm", least=0.3, most=100, question="where",
        help="Distance between neighbouring support points, measured in plan.",
    )  # fmt: skip
    pattern: Literal["hexagonal", "square", "scattered"] = parameter(
        "hexagonal", "Pattern", question="where",
        words={"hexagonal": "Hexagonal", "square": "Square", "scattered": "Scattered"},
        help="How the support points lie. Hexagonal takes fewer bars than square; scattered follows the shape.",
    )  # fmt: skip
    edge_inset: float = parameter(
        0.6, "Inset from free edges", unit="mm", least=0, most=50, question="where",
        help="Support points keep this far from an edge with air beyond it.",
    )  # fmt: skip
    wall_inset: float = parameter(
        0.8, "Inset from walls", unit="mm", least=0, most=50, question="where",
        help="Support points keep this far from an edge where a wall goes down.",
    )  # fmt: skip
    rim_row: bool = parameter(
        False, "Row along the rim", question="where",
        help="A row of support points along free edges and walls, at the inset, in addition to the pattern.",
    )  # fmt: skip
    dense_layers: int = parameter(
        3, "Dense layers", unit="layers", least=0, most=50, question="holds",
        applies_when=lambda p: p.contact == "gap", help="Full layers at the top of the bar, below the gap.",
    )  # fmt: skip
    cap: Literal["apart", "joined"] = parameter(
        "apart", "Caps of columns", question="holds", words={"apart": "Each its own", "joined": "Joined into one"},
        applies_when=lambda p: p.contact == "gap",
        help="Joined: wide tips may run into each other, so that dense layers go on from column to column.",
    )  # fmt: skip
    tip_diameter: float = parameter(
        0.5, "Tip diameter", unit="mm", least=0.05, most=30, question="holds",
        help="Width of the bar where it meets the part. Wider is stronger and leaves a larger mark.",
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
        help="The most a tip or a shaft may lean from vertical. A bar that leans more needs support itself.",
    )  # fmt: skip
    height_limit: float | None = parameter(
        None, "Height limit", unit="mm", least=0.1, most=5000, question="carries",
        help="Support points higher than this above the plate get no bar. Empty: no limit.",
    )  # fmt: skip
    join: Literal["off", "on"] = parameter(
        "off", "Trees", question="carries", words={"off": "No, each bar alone", "on": "Yes, bars join"},
        help="Bars lean together and go on as one trunk, whose thickness grows with what it carries.",
    )  # fmt: skip
    contacts_per_trunk: int = parameter(
        6, "Contacts per trunk", least=2, most=100, question="carries", applies_when=lambda p: p.join == "on",
        help="Most support points on one trunk.",
    )  # fmt: skip
    first_join_below: float = parameter(
        3.0, "First join below", unit="mm", least=0, most=200, question="carries",
        applies_when=lambda p: p.join == "on",
        help="Bars join no nearer to the surface than this, so that tips stay apart and tools get between.",
    )  # fmt: skip
    gather_within: float | None = parameter(
        None, "Gather within", unit="mm", least=0.5, most=200, question="carries",
        applies_when=lambda p: p.join == "on",
        help="How far from a trunk, in plan, the support points lie that it carries. Without a value: no limit.",
    )  # fmt: skip
    join_levels: int | None = parameter(
        None, "Levels of joins", least=1, most=6, question="carries", applies_when=lambda p: p.join == "on",
        help="1: all bars of a group meet in one place. 2: groups meet once more, and so on. Without a value bars join "
        "two at a time.",
    )  # fmt: skip
    brace: Literal["none", "zigzag", "x", "k"] = parameter(
        "none", "Braces", question="carries",
        words={"none": "None", "zigzag": "Zigzag", "x": "Crossed", "k": "K, two to a point"},
        help="Slanted struts between neighbouring bars, so that no bar is unbraced over a long stretch.",
    )  # fmt: skip
    free_length: float = parameter(
        16.0, "Unbraced length", unit="mm", least=1, most=500, question="carries",
        applies_when=lambda p: p.brace != "none", help="Longest unbraced stretch of a bar.",
    )  # fmt: skip
    brace_diameter: float = parameter(
        0.8, "Brace diameter", unit="mm", least=0.1, most=30, question="carries",
        applies_when=lambda p: p.brace != "none", help="Width of a brace.",
    )  # fmt: skip
    landing: Literal["plate_only", "plate_first", "anywhere"] = parameter(
        "plate_first", "May stand on", question="stands",
        words={
            "plate_only": "Plate",
            "plate_first": "Plate, else part",
            "anywhere": "Nearest",
        },
        help="What a bar may stand on.",
    )  # fmt: skip
    detour: float | None = parameter(
        None, "Detour to the plate", unit="mm", least=0, most=500, question="stands",
        applies_when=lambda p: p.landing == "plate_first",
        help="How much farther a bar goes to reach the plate than it would to land on the part. Beyond that it lands. "
        "Without a value it always goes to the plate where it can.",
    )  # fmt: skip
    part_clearance: float = parameter(
        0.4, "Clearance to parts", unit="mm", least=0, most=20, question="stands",
        help="The least distance between a shaft and any part.",
    )  # fmt: skip
    bar_clearance: float | None = parameter(
        None, "Clearance between bars", unit="mm", least=0, most=20, question="stands",
        help="The least distance between shafts, trunks and braces that do not join. Without a value they may meet.",
    )  # fmt: skip
    foot_diameter: float = parameter(
        2.4, "Foot diameter", unit="mm", least=0.1, most=60, question="stands",
        help="Width of the bar on the plate. It is smaller where a part is in the way.",
    )  # fmt: skip
    foot_height: float = parameter(
        1.0, "Foot height", unit="mm", least=0, most=30, question="stands",
        help="Height over which the foot narrows to the shaft.",
    )  # fmt: skip
    foot_slope: float | None = parameter(
        None, "Foot slope", unit="°", least=-60, most=80, question="stands",
        help="Lean of the foot's side. Above 0 it widens towards the plate, for hold; below 0 it narrows, so that a "
        "tool gets under. Without a value it narrows evenly to the shaft over its height.",
    )  # fmt: skip
    group_span: float = parameter(
        0.0, "Share feet within", unit="mm", least=0, most=200, question="stands",
        help="Bars whose feet lie within this of each other stand on one foot; 0: each on its own.",
    )  # fmt: skip
    lever_gap: float = parameter(
        0.0, "Lever gap", unit="mm", least=0, most=10, question="stands",
        applies_when=lambda p: p.group_span > 0, help="Height of the gap under a shared foot's edge, for a tool.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _fits_together(self) -> BarParameters:
        if self.contact == "bite" and self.bite_depth > self.tip_length:
            raise ValueError("the bite is deeper than the tip is long")
        if self.foot_diameter < self.shaft_diameter:
            raise ValueError("the foot is narrower than the shaft")
        if self.group_span > 0 and self.lever_gap >= max(self.foot_height, 1e-9):
            raise ValueError("the gap for a lever is as high as the foot")
        return self

    @property
    def has_joined_cap(self) -> bool:
        """Whether tips with a gap may run into what stands beside them."""
        return self.contact == "gap" and self.cap == "joined"

    @property
    def foot_flare(self) -> float:
        """By how much a foot that narrows towards the plate is wider at its top, mm."""
        slope = 0.0 if self.foot_slope is None else min(self.foot_slope, 0.0)
        return self.foot_height * math.tan(math.radians(-slope))

    @property
    def bound_mm(self) -> float:
        """Farthest that any place of the inset region may be from a support point, in plan."""
        return float(self.spacing / {"hexagonal": 3**0.5, "square": 2**0.5, "scattered": 1.0}[self.pattern])


def require_self_holding(parameters: BarParameters, critical_angle: float, tilt: float = 0.0) -> None:
    """Raise `ParameterError` when bars, braces, feet or tips would have undersides below the critical angle.

    On a belt, where layers have a `tilt`, an upright bar leans by that from their normal, and its foot by more; which
    way a bar may lean besides is looked at way by way.
    """
    most = 90 - critical_angle
    if tilt > most + 1e-9:
        raise ParameterError(
            "lean_limit",
            f"an upright bar has a surface angle of {90 - tilt:.3g}° to the tilted layers, "
            f"below the critical angle of {critical_angle:g}°",
            "choose a material with a smaller critical angle, or another support",
        )
    slope = parameters.foot_slope
    if tilt > 0 and slope is not None and slope < 0 and tilt - slope > most + 1e-9:
        raise ParameterError(
            "foot_slope",
            f"the side of a foot leans {tilt - slope:.3g}° from the normal of the tilted layers, {most:g}° at most",
            "choose a foot that does not narrow",
        )
    for key, what, lean in _underside_leans(parameters):
        if lean > most + 1e-9:
            raise ParameterError(
                key,
                f"{what} leaning {lean:.3g}° has a surface angle of {90 - lean:.3g}°, "
                f"below the critical angle of {critical_angle:g}°",
                f"use {most:g}° or less" if key == "lean_limit" else f"lean no more than {most:g}°",
            )


def require_room_between(parameters: BarParameters) -> None:
    """Raise `ParameterError` when bars at their spacing would be nearer to each other than their clearance."""
    if parameters.bar_clearance is None:
        return
    least = parameters.shaft_diameter + parameters.bar_clearance
    if parameters.spacing < least - 1e-9:
        raise ParameterError(
            "spacing",
            f"shafts of {parameters.shaft_diameter:g} mm, {parameters.spacing:g} mm apart, would not have "
            f"{parameters.bar_clearance:g} mm between them",
            f"use {least:g} mm or more, or thinner shafts",
        )


def _underside_leans(p: BarParameters) -> list[tuple[str, str, float]]:
    """What hangs over with which lean from vertical, and the value that makes it so."""
    leans = [("lean_limit", "a bar", p.lean_limit)]
    if p.foot_slope is not None and p.foot_slope < 0:
        leans.append(("foot_slope", "the side of a foot", -p.foot_slope))
    wider = (p.tip_diameter - p.shaft_diameter) / 2
    if wider > 0:
        leans.append(("tip_length", "the underside of a tip", math.degrees(math.atan(wider / p.tip_length))))
    if wider < 0 and p.landing != "plate_only":
        leans.append(("tip_length", "the lower end on a part", math.degrees(math.atan(-wider / p.tip_length))))
    return leans


def bar_parameters(support: Support) -> BarParameters:
    """The values of a support of bars. Raises `EditError` where it is of another family."""
    if not isinstance(support.parameters, BarParameters):
        raise EditError(support.set_name, "is no set of bars", "select a support of bars")
    return support.parameters

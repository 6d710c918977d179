"""The parameters of flank walls, declared once. Lengths mm."""

from __future__ import annotations

from typing import ClassVar

from pydantic import model_validator

from lean_trellis.core.supports.common.parameters import FamilyParameters, parameter


class FlankParameters(FamilyParameters):
    """A wall beside a tall thin part that keeps it upright, tied to it between two heights."""

    family: ClassVar[str] = "wall"
    form: ClassVar[str] = "flank"

    along_start: float = parameter(
        0.0, "Start along outline", unit="mm", least=-1e5, most=1e5, question="where",
        help="How far along the part's outline the wall begins, from the outline's frontmost corner, turning left.",
    )  # fmt: skip
    along_length: float | None = parameter(
        None, "Length", unit="mm", least=0.5, most=1e5, question="where",
        follows=lambda _: float("nan"), help="How long the wall follows the outline. Unless typed it goes once round.",
    )  # fmt: skip
    standoff: float = parameter(
        2.0, "Standoff", unit="mm", least=0.1, most=100, question="where",
        help="Free distance between the outline and the wall.",
    )  # fmt: skip
    ties_from: float = parameter(
        10.0, "Ties from", unit="mm", least=0, most=2000, question="holds",
        help="Height above the plate of the lowest ties.",
    )  # fmt: skip
    ties_to: float | None = parameter(
        None, "Ties to", unit="mm", least=0.1, most=2000, question="holds", follows=lambda _: float("nan"),
        help="Height of the highest ties. Unless typed nine tenths of the part's height.",
    )  # fmt: skip
    tie_pitch: float = parameter(
        15.0, "Tie pitch", unit="mm", least=0.5, most=500, question="holds",
        help="Distance in height from one tie to the next.",
    )  # fmt: skip
    tie_width: float = parameter(
        0.8, "Tie width", unit="mm", least=0.1, most=20, question="holds",
        help="Width and height with which a tie meets the part.",
    )  # fmt: skip
    tie_bite: float = parameter(
        0.05, "Tie bite", unit="mm", least=-2, most=5, question="holds",
        help="How far ties go into the part; below 0 they stay away.",
    )  # fmt: skip
    free_length: float = parameter(
        20.0, "Free length", unit="mm", least=1, most=500, question="holds",
        help="The most that may lie between two lines of ties along the wall; how many there are follows from it.",
    )  # fmt: skip
    wall_thickness: float = parameter(
        1.2, "Wall thickness", unit="mm", least=0.1, most=50, question="carries", help="Thickness of the wall.",
    )  # fmt: skip
    top: float | None = parameter(
        None, "Top", unit="mm", least=0.5, most=2000, question="carries", follows=lambda _: float("nan"),
        help="Height of the wall. Unless typed it ends above its highest ties.",
    )  # fmt: skip
    tipping_reserve: float = parameter(
        2.0, "Tipping reserve", least=1, most=20, question="stands",
        help="How many times the side load the base resists.",
    )  # fmt: skip
    base_width: float | None = parameter(
        None, "Base width", unit="mm", least=0.1, most=500, question="stands", follows=lambda _: float("nan"),
        help="Width of the wall's base on the plate. Unless typed it follows from the reserve.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _fits(self) -> FlankParameters:
        if self.ties_to is not None and self.ties_to < self.ties_from:
            raise ValueError("the highest ties lie below the lowest")
        if self.base_width is not None and self.base_width < self.wall_thickness:
            raise ValueError("the base is narrower than the wall")
        return self

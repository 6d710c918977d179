"""The parameters of rafts, blocks and cradles, declared once. Lengths mm, angles degrees."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import model_validator

from lean_trellis.core.supports.common.parameters import FamilyParameters, parameter


class RaftParameters(FamilyParameters):
    """A plate of material under parts and their supports."""

    family: ClassVar[str] = "raft"

    outline: Literal["follow", "hull", "rectangle"] = parameter(
        "follow", "Outline", question="where",
        words={"follow": "Follows the outline", "hull": "Convex hull", "rectangle": "Rectangle"},
        help="The shape that the margin is counted from: part and supports as seen from above.",
    )  # fmt: skip
    margin: float = parameter(
        1.5, "Margin", unit="mm", least=-50, most=100, question="where", applies_when=lambda p: p.thickness > 0,
        help="How far the raft goes beyond the outline; below 0 it stays within.",
    )  # fmt: skip
    holes: Literal["keep", "fill"] = parameter(
        "keep", "Holes", question="where", words={"keep": "Kept", "fill": "Filled"},
        applies_when=lambda p: p.outline == "follow" and p.thickness > 0, help="What becomes of holes in the outline.",
    )  # fmt: skip
    smallest_hole: float = parameter(
        1.0, "Smallest hole", unit="mm", least=0, most=100, question="where",
        applies_when=lambda p: p.outline == "follow" and p.holes == "keep" and p.thickness > 0,
        help="Holes that no circle of this diameter fits into are filled.",
    )  # fmt: skip
    brim_width: float = parameter(
        0.0, "Brim width", unit="mm", least=0, most=50, question="holds",
        help="A thin rim on the plate this far round it, so that long ends do not curl up; 0: none.",
    )  # fmt: skip
    brim_layers: int = parameter(
        1, "Brim height", unit="layers", least=1, most=20, question="holds",
        applies_when=lambda p: p.brim_width > 0 or p.corner_pads > 0, help="Layers of brim and corner pads.",
    )  # fmt: skip
    corner_pads: float = parameter(
        0.0, "Corner pads", unit="mm", least=0, most=100, question="holds",
        help="Diameter of thin discs under sharp corners, where warp lifts most; 0: none.",
    )  # fmt: skip
    thickness: float = parameter(
        0.6, "Thickness", unit="mm", least=0, most=50, question="carries",
        help="Height of the raft. The build offset counts from the plate, so it has to be as much at least. "
        "0: no plate, only brim and pads round what lies on the build plate.",
    )  # fmt: skip
    edge_slope: float = parameter(
        0.0, "Edge slope", unit="°", least=0, most=75, question="stands", applies_when=lambda p: p.thickness > 0,
        help="How far its sides lean inward from vertical: a sloped edge lets a tool under.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _is_something(self) -> RaftParameters:
        if self.thickness == 0 and self.brim_width == 0 and self.corner_pads == 0:
            raise ValueError("without thickness it needs a brim or corner pads")
        return self

    @property
    def draw_in(self) -> float:
        """By how much the top is smaller all round than what lies on the plate, mm."""
        return self.thickness * math.tan(math.radians(self.edge_slope))


class BlockParameters(FamilyParameters):
    """A plain shape, or any part or file, made to act as support or as separator."""

    family: ClassVar[str] = "block"

    shape: Literal["box", "cylinder", "wedge", "own"] = parameter(
        "box", "Shape", question="where",
        words={"box": "Box", "cylinder": "Cylinder", "wedge": "Wedge", "own": "Own body"},
        help="A body of its own is a part or a file that was made into a block.",
    )  # fmt: skip
    size_x: float = parameter(
        10.0, "Size x", unit="mm", least=0.1, most=2000, question="where", help="Size along its x.",
    )  # fmt: skip
    size_y: float = parameter(
        10.0, "Size y", unit="mm", least=0.1, most=2000, question="where", help="Size along its y.",
    )  # fmt: skip
    size_z: float | None = parameter(
        None, "Size z", unit="mm", least=0.1, most=2000, question="where", follows=lambda _: math.nan,
        help="Its height. Unless typed it goes up to the part above it.",
    )  # fmt: skip
    place_x: float = parameter(
        0.0, "Place x", unit="mm", least=-3000, most=3000, question="where",
        help="Its middle, from the middle of the part.",
    )  # fmt: skip
    place_y: float = parameter(
        0.0, "Place y", unit="mm", least=-3000, most=3000, question="where",
        help="Its middle, from the middle of the part.",
    )  # fmt: skip
    turn: float = parameter(
        0.0, "Turn", unit="°", least=-180, most=180, question="where", help="About its upright middle line.",
    )  # fmt: skip
    acts_as: Literal["support", "separator"] = parameter(
        "support", "Acts as", question="holds", words={"support": "Support", "separator": "Separator"},
        help="A support carries what rests on it; a separator only keeps parts apart.",
    )  # fmt: skip
    trim_clearance: float = parameter(
        0.0, "Clearance to parts", unit="mm", least=-10, most=20, question="holds",
        help="What runs into a part is cut away, and this far round it as well; 0: it touches. Below 0 it goes into "
        "the part by that much, on purpose.",
    )  # fmt: skip
    density: float = parameter(
        1.0, "Density", least=0.02, most=1, question="carries",
        help="Fill when it is sliced; weight and time follow from it.",
    )  # fmt: skip
    place_z: float = parameter(
        0.0, "Height above plate", unit="mm", least=0, most=2000, question="stands",
        help="Height of its lowest point above the plate.",
    )  # fmt: skip

    @property
    def fill_share(self) -> float:
        """Its density."""
        return self.density


class CradleParameters(FamilyParameters):
    """A raft with posts that carry a part."""

    family: ClassVar[str] = "cradle"

    post_pitch: float = parameter(
        6.0, "Post pitch", unit="mm", least=0.5, most=200, question="where",
        help="Distance between neighbouring posts.",
    )  # fmt: skip
    columns: int | None = parameter(
        None, "Columns", least=1, most=500, question="where", follows=lambda _: math.nan,
        help="Posts along x. Unless typed, as many as the part covers.",
    )  # fmt: skip
    rows: int | None = parameter(
        None, "Rows", least=1, most=500, question="where", follows=lambda _: math.nan,
        help="Posts along y. Unless typed, as many as the part covers.",
    )  # fmt: skip
    heights: Literal["fitted", "equal"] = parameter(
        "fitted", "Heights", question="where", words={"fitted": "Fitted to the part", "equal": "All equal"},
        help="Posts as tall as the surface above each asks, or all as tall as the shortest of these.",
    )  # fmt: skip
    post_tip: float = parameter(
        1.0, "Tip diameter", unit="mm", least=0.1, most=50, question="holds", help="Width of a post's top.",
    )  # fmt: skip
    seat_depth: float = parameter(
        0.0, "Seat depth", unit="mm", least=-10, most=10, question="holds",
        help="How far the middle of a post's top goes into the part; 0 touches, below 0 it stays away.",
    )  # fmt: skip
    post_diameter: float = parameter(
        2.0, "Post diameter", unit="mm", least=0.2, most=80, question="carries", help="Width of a post.",
    )  # fmt: skip
    raft_thickness: float = parameter(
        1.2, "Raft thickness", unit="mm", least=0, most=50, question="stands",
        help="Height of the plate that joins the posts; 0: none.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _stands(self) -> CradleParameters:
        if self.post_tip > self.post_diameter:
            raise ValueError("the tip is wider than the post")
        if self.post_pitch <= self.post_diameter:
            raise ValueError("the posts are as wide as they lie apart")
        return self

"""The parameters of walls as panels, declared once: lattices and walls along a line. Lengths mm, angles degrees."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

from pydantic import model_validator

from lean_trellis.core.supports.common.contacts import Contact, ContactParameters
from lean_trellis.core.supports.common.parameters import parameter

"""By how much the tops of openings are steeper than the critical angle asks."""


class PanelParameters(ContactParameters):
    """What lattices and walls along a line have in common."""

    tab_width: float = parameter(
        0.8, "Tab width", unit="mm", least=0.05, most=50, question="holds",
        help="Length of a tab along the wall.",
    )  # fmt: skip
    tab_free: float = parameter(
        0.5, "Free share of edge", least=0, most=0.95, question="holds",
        help="Share of the upper edge without tabs; 0: the whole edge touches the part.",
    )  # fmt: skip
    tab_height: float = parameter(
        0.6, "Tab height", unit="mm", least=0, most=20, question="holds",
        applies_when=lambda p: p.tab_free > 0, help="How far the edge between tabs stays below the surface.",
    )  # fmt: skip
    lower_edge: Literal["same", "own"] = parameter(
        "same", "Lower edge", question="holds", words={"same": "Tabs as above", "own": "Own tabs"},
        applies_when=lambda p: p.ends_on != "plate",
        help="How walls end on a part below. On the plate they stand with their whole edge.",
    )  # fmt: skip
    lower_bite_depth: float = parameter(
        0.08, "Bite below", unit="mm", least=0, most=5, question="holds",
        applies_when=lambda p: p.has_own_lower_edge and p.contact == "bite",
        help="How far lower tabs go into the part.",
    )  # fmt: skip
    lower_tab_width: float = parameter(
        0.6, "Tab width below", unit="mm", least=0.05, most=50, question="holds",
        applies_when=lambda p: p.has_own_lower_edge, help="Length of a tab at the lower edge.",
    )  # fmt: skip
    lower_tab_free: float = parameter(
        0.6, "Free share, lower edge", least=0, most=0.95, question="holds",
        applies_when=lambda p: p.has_own_lower_edge, help="Share of the lower edge that lies free between tabs.",
    )  # fmt: skip
    lower_tab_height: float = parameter(
        0.4, "Tab height below", unit="mm", least=0, most=20, question="holds",
        applies_when=lambda p: p.has_own_lower_edge and p.lower_tab_free > 0,
        help="How far the edge between lower tabs stays above the part, at the tabs; it rises to a point between them.",
    )  # fmt: skip
    thickness: float = parameter(
        0.0, "Thickness", unit="mm", least=0, most=20, question="carries",
        help="0 gives sheets, drawn by one scan line; more gives closed solids.",
    )  # fmt: skip
    ends_on: Literal["plate", "below", "level"] = parameter(
        "below", "Ends on", question="stands",
        words={"plate": "Plate", "below": "Surface below", "level": "A level"},
        help="What walls stand on. Where a part covers the plate, that stretch is left out.",
    )  # fmt: skip
    level: float = parameter(
        5.0, "Level", unit="mm", least=0, most=2000, question="stands", applies_when=lambda p: p.ends_on == "level",
        help="Height at which walls end, or how far they reach down.",
    )  # fmt: skip
    level_from: Literal["plate", "top"] = parameter(
        "plate", "Level from", question="stands", words={"plate": "The plate", "top": "The supported surface"},
        applies_when=lambda p: p.ends_on == "level", help="Whether the level is one height, or follows the surface.",
    )  # fmt: skip
    largest_piece: float | None = parameter(
        None, "Largest piece", unit="mm", least=1, most=1000, question="comes_off",
        help="Greatest extent in plan of what comes off at a time, corner to corner. The cuts are placed for it; "
        "without a value nothing is cut.",
    )  # fmt: skip
    cut_width: float = parameter(
        0.25, "Cut width", unit="mm", least=0.02, most=10, question="comes_off",
        applies_when=lambda p: p.largest_piece is not None, help="Width of the cuts between pieces.",
    )  # fmt: skip
    open_share: float = parameter(
        0.0, "Open area", least=0, most=0.9, question="empties",
        help="Share of the panels taken up by openings, for powder or resin to leave; as much as ribs and edges let.",
    )  # fmt: skip
    rib: float | None = parameter(
        None, "Rib", unit="mm", least=0.05, most=50, question="empties", applies_when=lambda p: p.open_share > 0,
        follows=lambda p: p.rib_mm, help="The least material beside, over and under an opening.",
    )  # fmt: skip

    trim: Literal["none", "bars"] = parameter(
        "none", "Keep clear of", question="carries", words={"none": "Nothing", "bars": "Bars of the same part"},
        help="Walls are left out where bars of the part pass, so that supports do not overlap.",
    )  # fmt: skip
    trim_clearance: float = parameter(
        0.2, "Clearance", unit="mm", least=0, most=20, question="carries",
        applies_when=lambda p: p.trim != "none", help="Distance that the walls keep from it.",
    )  # fmt: skip

    @property
    def has_own_lower_edge(self) -> bool:
        """Whether tabs below have values of their own."""
        return self.lower_edge == "own" and self.ends_on != "plate"

    @property
    def rib_mm(self) -> float:
        """The rib, typed or twice the thickness and half a millimetre at least."""
        return max(0.5, 2 * self.thickness) if self.rib is None else self.rib

    @property
    def lower_tabs(self) -> tuple[float, float, float]:
        """Tab width, free share and tab height of the lower edge."""
        if self.has_own_lower_edge:
            return self.lower_tab_width, self.lower_tab_free, self.lower_tab_height
        return self.tab_width, self.tab_free, self.tab_height

    def lower_contact(self, layer_height: float) -> Contact:
        """The contact of the lower edge with a part that it stands on."""
        if self.has_own_lower_edge and self.contact == "bite":
            return Contact(is_bite=True, distance=self.lower_bite_depth)
        return self.contact_at(layer_height)

    @model_validator(mode="after")
    def _fits(self) -> PanelParameters:
        if self.largest_piece is not None and self.cut_width >= self.largest_piece / 3:
            raise ValueError("the cuts are as wide as a third of the largest piece")
        return self


class LatticeParameters(PanelParameters):
    """Walls that follow the region's outline inward, and walls that cross it in cells."""

    family: ClassVar[str] = "lattice"

    inset: float = parameter(
        0.4, "Inset", unit="mm", least=0, most=50, question="where",
        help="The outermost wall keeps this far from edges with air or a wall beyond. Where the surface merely bends "
        "away it goes to the rim.",
    )  # fmt: skip
    rim_walls: int = parameter(
        1, "Rim walls", least=0, most=200, question="where",
        help="How many walls follow the outline, one inside the other.",
    )  # fmt: skip
    rim_spacing: float = parameter(
        1.0, "Rim wall spacing", unit="mm", least=0.1, most=100, question="where",
        applies_when=lambda p: p.rim_walls > 1, help="Distance from one wall round the rim to the next.",
    )  # fmt: skip
    cell_along: float = parameter(
        1.2, "Cell along", unit="mm", least=0, most=200, question="where",
        help="Distance between walls across; 0: none.",
    )  # fmt: skip
    cell_across: float = parameter(
        1.2, "Cell across", unit="mm", least=0, most=200, question="where",
        help="Distance between walls along; 0: none.",
    )  # fmt: skip
    turn: float = parameter(
        0.0, "Turn", unit="°", least=-180, most=180, question="where",
        help="How far the cells are turned from the plate's x.",
    )  # fmt: skip
    skew: float = parameter(
        0.0, "Skew", unit="°", least=-60, most=60, question="where",
        help="How far the walls across lean from square to those along.",
    )  # fmt: skip

    @property
    def cells(self) -> tuple[float, ...]:
        """Both cell sizes that there are."""
        return tuple(cell for cell in (self.cell_along, self.cell_across) if cell > 0)

    @property
    def block_mm(self) -> float:
        """Side of the blocks that pieces are cut to, so that their longer diagonal is the largest piece."""
        assert self.largest_piece is not None
        skew = math.radians(self.skew)
        return (self.largest_piece - self.thickness) * math.cos(skew) / math.sqrt(2 + 2 * abs(math.sin(skew)))

    @model_validator(mode="after")
    def _is_a_lattice(self) -> LatticeParameters:
        if not self.rim_walls and not self.cells:
            raise ValueError("there are no rim walls and no cells")
        for cell in self.cells:
            if cell < 0.2:
                raise ValueError(f"cells of {cell:g} mm are no cells: 0.2 mm is the least, 0 is none")
            if self.thickness >= cell:
                raise ValueError("the walls are as thick as the cells are wide")
            if self.largest_piece is not None and self.block_mm < cell + self.cut_width:
                raise ValueError(f"pieces of {self.largest_piece:g} mm from corner to corner hold no cell")
            if self.open_share > 0 and self.rib_mm >= 4 * cell:
                raise ValueError("openings would leave no rib: it is wider than four cells")
        if self.rim_walls > 1 and self.rim_spacing <= self.thickness:
            raise ValueError("the walls round the rim are as thick as they lie apart")
        return self


class WallParameters(PanelParameters):
    """A wall along a line: a low edge, the rim of a region, or a path that was drawn."""

    family: ClassVar[str] = "wall"
    form: ClassVar[str] = "line"

    inset: float = parameter(
        0.3, "Inset", unit="mm", least=0, most=50, question="where",
        help="On the rim of a region the wall keeps this far from edges with air or a wall beyond.",
    )  # fmt: skip

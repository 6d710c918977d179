"""Tags: a small plate on the build plate at a raft or a foot, with letters raised from it or sunk into it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
import shapely
from pydantic import model_validator
from shapely.affinity import translate

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.supports.bodies.bodies import Bodies
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.footprint import ON_PLATE_MM
from lean_trellis.core.supports.common.outlines import plate, polygons_of
from lean_trellis.core.supports.common.parameters import FamilyParameters, parameter
from lean_trellis.core.supports.common.structure import Structure

NUMBER = "#"
"""Stands for the number that a part has in its build and on the ticket."""
_MOST_LETTERS = 24
_INTO_MM = 0.6
"""So far the plate goes into what it is joined to."""
_SAME_MM, _ROOT_MM = 0.05, 0.05
_TOWARDS = {"front": (0.0, -1.0), "back": (0.0, 1.0), "left": (-1.0, 0.0), "right": (1.0, 0.0)}


class TagParameters(FamilyParameters):
    """A plate with letters that tells like parts apart once they are off the machine."""

    family: ClassVar[str] = "block"
    form: ClassVar[str] = "tag"

    side: Literal["front", "back", "left", "right"] = parameter(
        "front", "Side", question="where",
        words={"front": "Front", "back": "Back", "left": "Left", "right": "Right"},
        help="Where it is joined to the raft, or to the outermost foot where there is no raft.",
    )  # fmt: skip
    text: str = parameter(
        NUMBER, "Text", question="carries",
        help=f"Up to {_MOST_LETTERS} letters; {NUMBER} stands for the part's number on the ticket's plan.",
    )  # fmt: skip
    letter_height: float = parameter(
        5.0, "Letter height", unit="mm", least=1, most=100, question="carries", help="Height of its capitals.",
    )  # fmt: skip
    relief: Literal["raised", "sunk"] = parameter(
        "raised", "Letters", question="carries", words={"raised": "Raised", "sunk": "Sunk"},
        help="Whether the letters stand on the plate or go down into it.",
    )  # fmt: skip
    letter_depth: float = parameter(
        0.6, "Letter depth", unit="mm", least=0.05, most=20, question="carries",
        help="By how much the letters stand up or go down.",
    )  # fmt: skip
    rim: float = parameter(
        1.2, "Rim", unit="mm", least=0.2, most=20, question="carries", help="Plate round the letters.",
    )  # fmt: skip
    thickness: float = parameter(
        1.2, "Thickness", unit="mm", least=0.1, most=50, question="stands", help="Of its plate, without the letters.",
    )  # fmt: skip

    @property
    def is_numbered(self) -> bool:
        """Whether it says the part's number."""
        return NUMBER in self.text

    @model_validator(mode="after")
    def _can_be_written(self) -> TagParameters:
        if not self.text.strip() or len(self.text) > _MOST_LETTERS:
            raise ValueError(f"a tag needs 1 to {_MOST_LETTERS} letters")
        if unknown := _unknown_letters(self.text):
            raise ValueError(f"there is no letter {unknown[0]!r} to write with")
        if self.relief == "sunk" and self.letter_depth >= self.thickness:
            raise ValueError("sunk letters have to end within the plate")
        return self


def _unknown_letters(text: str) -> str:
    """Those that cannot be written. The font, which takes a while to read, is read for uncommon ones alone."""
    if not text.isprintable():
        return "".join(letter for letter in text if not letter.isprintable())
    if text.isascii():
        return ""
    from lean_trellis.core.mesh.lettering import unknown_letters

    return unknown_letters(text)


@dataclass(frozen=True, eq=False)
class Tag(Bodies):
    """A tag: what it says, and whether there was a raft or a foot to join it to."""

    says: str = ""
    is_joined: bool = True


def generate_tag(p: TagParameters, number: int, standing: Sequence[Structure], around: Shape) -> Tag:
    """The tag of the part with a `number`, joined to the first of what is `standing` on the plate, rafts first.

    Where nothing stands there, it lies by itself beside `around`, what the part covers. Raises `ParameterError` for a
    text of letters without a shape.
    """
    from lean_trellis.core.mesh.lettering import text_shape  # with it comes a library that little else needs

    says = p.text.replace(NUMBER, str(number))
    letters = text_shape(says, p.letter_height)
    if letters.is_empty:
        raise ParameterError("text", f"{says!r} leaves nothing to write", "type letters or digits")
    low_x, low_y, high_x, high_y = letters.bounds
    size = np.array([high_x - low_x, high_y - low_y]) + 2 * p.rim
    feet = next((places for places in map(_on_plate, standing) if len(places)), np.zeros((0, 2)))
    corner = _corner(feet, size, p.side) if len(feet) else _beside(around, size, p.side)
    ground = shapely.box(*corner, *(corner + size))
    shape = translate(letters, *(corner + p.rim - [low_x, low_y]))
    solid = to_manifold(plate(ground, 0.0, p.thickness))
    begin, end = (p.thickness - _ROOT_MM, p.thickness + p.letter_depth) if p.relief == "raised" else (
        p.thickness - p.letter_depth, p.thickness + _ROOT_MM)  # fmt: skip
    for polygon in polygons_of(shape):
        letter = to_manifold(plate(polygon, begin, end))
        solid = solid + letter if p.relief == "raised" else solid - letter
    body: Mesh = from_manifold(solid)
    return Tag((body,), "tag", "tags", says=says, is_joined=bool(len(feet)))


def _on_plate(made: Structure) -> Floats:
    """Places (k, 2) of a structure that lie on the plate."""
    places = made.footings().places
    chosen: Floats = places[places[:, 2] <= ON_PLATE_MM, :2]
    return chosen


def _corner(feet: Floats, size: Floats, side: str) -> Floats:
    """Where the plate begins: at the outermost place on its side, of several the one nearest to the middle."""
    away = np.array(_TOWARDS[side])
    along = np.abs(away[::-1])
    reach = feet @ away
    outer = feet[reach >= reach.max() - _SAME_MM]
    middle = (feet.min(axis=0) + feet.max(axis=0)) / 2
    at = outer[np.argmin(np.abs((outer - middle) @ along))]
    centre = at + away * (np.abs(size @ away) / 2 - _INTO_MM)
    corner: Floats = centre - size / 2
    return corner


def _beside(around: Shape, size: Floats, side: str) -> Floats:
    """Where it begins beside what the part covers, apart from it by the height of its plate's shorter side."""
    away = np.array(_TOWARDS[side])
    low_x, low_y, high_x, high_y = around.bounds
    half = np.array([high_x - low_x, high_y - low_y]) / 2
    centre = np.array([low_x + high_x, low_y + high_y]) / 2 + away * (half + size / 2 + min(size))
    corner: Floats = centre - size / 2
    return corner

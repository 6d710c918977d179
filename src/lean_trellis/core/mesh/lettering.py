"""Letters as shapes: the outlines of the shipped bold font, for what is raised from a body or sunk into it."""

from __future__ import annotations

import logging
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from fontTools.pens.basePen import BasePen  # type: ignore[import-untyped]
from fontTools.ttLib import TTFont  # type: ignore[import-untyped]
from shapely.affinity import affine_transform

logging.getLogger("fontTools").setLevel(logging.ERROR)  # it wonders at a font without a day of making
_FONT = Path(__file__).parents[2] / "fonts" / "Lato-Bold.ttf"
_STEPS = 5
"""Straight pieces of each curve: at 10 mm they stay within 0.02 mm of it."""


class _Rings(BasePen):  # type: ignore[misc]  # fontTools has no types
    """The closed lines of a glyph, its curves as straight pieces."""

    def __init__(self, glyphs: Any) -> None:
        super().__init__(glyphs)
        self.rings: list[list[tuple[float, float]]] = []

    def _moveTo(self, point: tuple[float, float]) -> None:
        self.rings.append([point])

    def _lineTo(self, point: tuple[float, float]) -> None:
        self.rings[-1].append(point)

    def _curveToOne(self, one: Any, two: Any, three: Any) -> None:
        ends = np.array([self._getCurrentPoint(), one, two, three], float)
        t = np.linspace(0, 1, _STEPS + 1)[1:, None]
        shares = np.hstack([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t), t**3])
        self.rings[-1].extend(map(tuple, (shares @ ends).tolist()))


@cache
def _font() -> Any:
    return TTFont(_FONT)


def unknown_letters(text: str) -> str:
    """Those of its letters that the font does not have, each once."""
    known = _font().getBestCmap()
    return "".join(dict.fromkeys(letter for letter in text if ord(letter) not in known))


def text_shape(text: str, capital_mm: float) -> Any:
    """A line of text as a shape in plan (mm), its capitals so high, its base line at y = 0 and its left end at x = 0.

    Letters that the font does not have are left out; without any it is empty.
    """
    font = _font()
    glyphs, names = font.getGlyphSet(), font.getBestCmap()
    letters, x = [], 0.0
    for letter in text:
        name = names.get(ord(letter))
        if name is None:
            continue
        letters.append(affine_transform(_outline(name), [1, 0, 0, 1, x, 0]))
        x += glyphs[name].width
    shape, size = shapely.union_all(letters), capital_mm / font["OS/2"].sCapHeight
    left = 0.0 if shape.is_empty else shape.bounds[0]
    return affine_transform(shape, [size, 0, 0, size, -left * size, 0])


@cache
def _outline(name: str) -> Any:
    """One glyph in the font's own units: where rings lie in each other, every second one is a hole."""
    glyphs = _font().getGlyphSet()
    pen = _Rings(glyphs)
    glyphs[name].draw(pen)
    shape: Any = shapely.Polygon()
    for ring in pen.rings:
        if len(ring) > 2:
            shape = shapely.symmetric_difference(shape, shapely.Polygon(ring).buffer(0))
    return shape

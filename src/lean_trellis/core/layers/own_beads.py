"""Which beads a piece of a layer gets where a part has values of its own for some layers or outlines."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from manifold3d import CrossSection

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.parts.path_values import PathValues

_TOUCH_MM2 = 1e-4
_DOT_MM = 1e-4


class OwnBeads:
    """The beads of each piece of each layer. An outline that was selected is followed through what meets it."""

    def __init__(
        self, usual: Beads, own: Sequence[PathValues], heights: Floats, section_at: Callable[[int], CrossSection]
    ) -> None:
        self._usual, self._heights, self._section_at = usual, heights, section_at
        self._own = [(values, levels_within(values, heights), self._followed(values)) for values in own]

    def of(self, level: int, piece: CrossSection) -> Beads:
        """The beads of a connected piece of a layer."""
        beads = self._usual
        for values, levels, selected in self._own:
            if level in levels and (selected is None or _is_of(piece, selected.get(level))):
                beads = beads.with_own(values)
        return beads

    def _followed(self, values: PathValues) -> dict[int, CrossSection] | None:
        """What belongs to the outline that was selected, by level; None where none was."""
        if values.at is None:
            return None
        levels = levels_within(values, self._heights)
        if not len(levels):
            return {}
        nearest = np.abs(self._heights[levels.start : levels.stop] - values.at[2]).argmin()
        start = levels.start + int(nearest)
        dot = CrossSection.square((_DOT_MM, _DOT_MM), True).translate(values.at[:2])
        begin = _common(self._section_at(start), dot, 0.0)
        followed = {start: begin}
        for way in (range(start + 1, levels.stop), range(start - 1, levels.start - 1, -1)):
            before = begin
            for level in way:
                before = _common(self._section_at(level), before, _TOUCH_MM2)
                if before.is_empty():
                    break
                followed[level] = before
        return followed


def levels_within(values: PathValues, heights: Floats) -> range:
    """The places of the layers whose middle heights (l,) lie where the values hold."""
    low = 0 if values.low is None else int(np.searchsorted(heights, values.low))
    high = len(heights) if values.high is None else int(np.searchsorted(heights, values.high, side="right"))
    return range(low, max(low, high))


def _common(section: CrossSection, other: CrossSection, least_mm2: float) -> CrossSection:
    """The connected pieces of a section that share more than an area with another one."""
    common = CrossSection()
    for piece in section.decompose():
        if (piece ^ other).area() > least_mm2:
            common = common + piece
    return common


def _is_of(piece: CrossSection, selected: CrossSection | None) -> bool:
    return selected is not None and (piece ^ selected).area() > piece.area() / 2

"""What trees would save: the same support points on bars that join, against single bars as strong."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.supports.bars.generate import BarRequest, generate_bars
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import Bars

_LEVELS = 2


@dataclass(frozen=True)
class TreeOffer:
    """Volumes in mm³ of bars alone and joined, overlaps once, the trunks these stand on, and the values for it."""

    alone_mm3: float
    joined_mm3: float
    trunks: int
    values: tuple[tuple[str, object], ...]

    @property
    def saves(self) -> bool:
        """Whether trees take less material."""
        return self.joined_mm3 < self.alone_mm3 and self.trunks > 0

    def __str__(self) -> str:
        if not self.saves:
            return "Trees would save nothing here."
        share = 100 * (1 - self.joined_mm3 / self.alone_mm3)
        return (
            f"Trees: {self.joined_mm3 / 1000:,.2f} cm³ instead of {self.alone_mm3 / 1000:,.2f} ({share:.0f} % less), "
            f"{self.trunks:,} trunks, as strong as single bars"
        )


def tree_values(parameters: BarParameters) -> tuple[tuple[str, object], ...]:
    """The values by which bars join: in the set's own levels, else in two."""
    levels = _LEVELS if parameters.join_levels is None else parameters.join_levels
    return ("join", "on"), ("join_levels", levels)


def tree_offer(request: BarRequest, alone: Bars, watch: Watch = UNWATCHED) -> TreeOffer:
    """What becomes of the bars of a request, made as they are, when they join. Raises what generating raises."""
    values = tree_values(request.parameters)
    wanted = replace(request, parameters=request.parameters.model_copy(update=dict(values)))
    joined = generate_bars(wanted, Stretch(watch, 0.0, 0.5))
    before, after = (
        float(united([bars.mesh], Stretch(watch, begin, begin + 0.25)).volume)
        for bars, begin in ((alone, 0.5), (joined, 0.75))
    )
    return TreeOffer(before, after, int((joined.trunks.below < 0).sum()), values)

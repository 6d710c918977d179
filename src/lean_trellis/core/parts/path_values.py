"""Values of paths that hold for some layers or outlines of a part, in place of its material's."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError

LEAST_WIDTH_MM, MOST_WIDTH_MM = 0.05, 5.0
MOST_LOOPS = 50


@dataclass(frozen=True)
class PathValues:
    """What holds from one height to another along the layers' normal, mm; None is open, or as the material says.

    In a part heights begin at its lowest place, so that they go with it. `at` (x, y, z) picks the one outline there,
    from the middle of the part's box and its lowest place: what is above and below it and belongs to it follows.
    """

    low: float | None = None
    high: float | None = None
    at: tuple[float, float, float] | None = None
    path_width: float | None = None
    loops: int | None = None
    fill_share: float | None = None

    def moved(self, by: Floats) -> PathValues:
        """The same values `by` (3,) mm further on."""
        x, y, z = (float(step) for step in by)
        return replace(
            self,
            low=None if self.low is None else self.low + z,
            high=None if self.high is None else self.high + z,
            at=None if self.at is None else (self.at[0] + x, self.at[1] + y, self.at[2] + z),
        )

    @property
    def is_empty(self) -> bool:
        """Whether it changes nothing."""
        return self.path_width is None and self.loops is None and self.fill_share is None

    def require(self) -> None:
        """Raise `EditError` where no machine can lay that."""
        if self.low is not None and self.high is not None and self.low >= self.high:
            words = f"from {self.low:g} mm to {self.high:g} mm there is no layer"
            raise EditError("heights", words, "let them end higher than they begin")
        if self.path_width is not None and not LEAST_WIDTH_MM <= self.path_width <= MOST_WIDTH_MM:
            words = f"{self.path_width:g} mm is no width of a bead"
            raise EditError("path_width", words, f"give {LEAST_WIDTH_MM:g} to {MOST_WIDTH_MM:g} mm")
        if self.loops is not None and not 0 <= self.loops <= MOST_LOOPS:
            raise EditError("loops", f"{self.loops} loops cannot be laid", f"give 0 to {MOST_LOOPS}")
        if self.fill_share is not None and not 0 <= self.fill_share <= 1:
            words = f"{self.fill_share:g} is no share"
            raise EditError("fill_share", words, "give 0 (empty) to 1 (full)")

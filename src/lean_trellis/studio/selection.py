"""What is selected, the same for all views and benches."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.arrays import Longs


@dataclass(frozen=True, eq=False)
class PickedFaces:
    """Faces of a part's mesh that were selected one by one, by likeness or by an area."""

    part: str
    mesh: str
    faces: Longs


@dataclass(frozen=True)
class Selection:
    """What is selected: parts (the first is the current one), regions and faces of that part, a support, bars of it."""

    parts: tuple[str, ...] = ()
    regions: frozenset[int] = frozenset()
    support: str = ""
    bars: frozenset[int] = frozenset()
    faces: PickedFaces | None = None

    @property
    def bar(self) -> int:
        """The one bar that is selected, -1 where there is none or several."""
        return next(iter(self.bars)) if len(self.bars) == 1 else -1

    @property
    def part(self) -> str:
        """The current part, or nothing."""
        return self.parts[0] if self.parts else ""

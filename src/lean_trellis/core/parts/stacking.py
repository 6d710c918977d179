"""Stacks: copies that stand on one another with a gap, and what fills the gap."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.shop.material import Material


@dataclass(frozen=True)
class Separator:
    """Whole layers of another material under each upper part: dense, and nowhere else.

    `inset` in mm draws its outline in from the part's first layer; negative widens it.
    """

    material: Material
    inset: float = 0.0
    layers: int = 2

    def __post_init__(self) -> None:
        if self.layers < 1:
            raise EditError("separator", f"{self.layers} layers are none", "give 1 or more")


@dataclass(frozen=True)
class Spacer:
    """A body of its own, read from a file, that stands in the gap."""

    name: str
    mesh: Mesh


@dataclass(frozen=True)
class Stack:
    """Parts from the bottom up. The gap keeps its unit: in layers it follows the layer height."""

    id: str
    parts: tuple[str, ...]
    gap: float
    gap_unit: Literal["layers", "mm"] = "layers"
    filling: Separator | Spacer | None = None

    def __post_init__(self) -> None:
        if not 0 <= self.gap < 10_000:
            raise EditError("gap", f"{self.gap:g} {self.gap_unit} is no gap", "give 0 or more")
        if self.gap_unit == "layers" and self.gap != round(self.gap):
            raise EditError("gap", f"{self.gap:g} layers cannot be built", "give whole layers, or mm")

    def gap_mm(self, layer_height: float) -> float:
        """Height of the gap in mm; a spacer that is higher makes it higher."""
        height = self.gap * layer_height if self.gap_unit == "layers" else self.gap
        if isinstance(self.filling, Separator):
            height = max(height, self.filling.layers * layer_height)
        if isinstance(self.filling, Spacer):
            low, high = self.filling.mesh.bounds
            height = max(height, float(high[2] - low[2]))
        return height

"""A support: what it is for, with which values, and where those come from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.supports.bar_parameters import BarParameters

Family = Literal["bars"]


@dataclass(frozen=True)
class RegionPick:
    """A picked region, remembered by a place on it in the part's own coordinates and by its kind."""

    kind: Literal["face", "edge", "point"]
    anchor_mm: tuple[float, float, float]


@dataclass(frozen=True)
class Support:
    """One set of structures for one target with one parameter set.

    `target` None means every region of the part; otherwise the picked regions. `set_name` and `set_version`
    tell where the values came from; values that differ from the set's are the differences.
    """

    id: str
    part_id: str
    parameters: BarParameters
    set_name: str
    set_version: int
    target: tuple[RegionPick, ...] | None = None
    family: Family = "bars"

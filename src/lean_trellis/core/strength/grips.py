"""Contacts that carry: how much area each has, which piece it belongs to, and how stiff the column below it is."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats, Ints, Longs, Rows


@dataclass(frozen=True, eq=False)
class Grips(Rows):
    """Contacts of a support with its part, a row each, and the column that carries each.

    `places` (n, 3) mm; `areas` (n,) mm² that touch; `half_widths` (n,) mm, half the least width of that area;
    `regions` (n,) of the part, -1 for none; `pieces` (n,) of the support, numbered as `footings` numbers them;
    `elements` (n,) the bar, wall or body. Of the column: `axes` (n, 3) unit vectors along it, its free `lengths` (n,)
    mm and least second `moments` (n,) mm⁴ of its section, and its stiffness over the material's E: `axial` (n,) mm
    (A / L), `sideways` (n,) mm (3 I / L³), `turning` (n,) mm³ (I / L).
    """

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    half_widths: Floats = field(default_factory=lambda: np.zeros(0))
    regions: Ints = field(default_factory=lambda: np.zeros(0, np.int32))
    pieces: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    elements: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    axes: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    lengths: Floats = field(default_factory=lambda: np.zeros(0))
    moments: Floats = field(default_factory=lambda: np.zeros(0))
    axial: Floats = field(default_factory=lambda: np.zeros(0))
    sideways: Floats = field(default_factory=lambda: np.zeros(0))
    turning: Floats = field(default_factory=lambda: np.zeros(0))

    def __len__(self) -> int:
        return len(self.areas)


def upright(count: int) -> Floats:
    """(count, 3): axes of columns that stand upright."""
    return np.tile(np.array([0.0, 0.0, 1.0]), (count, 1))

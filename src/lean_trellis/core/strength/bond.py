"""What lies on the plate: its places, areas and springs, and the worst of something over all layers."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows
from lean_trellis.core.mesh.sampling import gathered, places_on
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.strength.sharing import Springs

PLASTIC = 16 / (3 * np.pi)
"""A solid round section yields wholly at so many times the moment at which it begins to (shape factor, Roark)."""
_STEP_MM, _MOST = 2.0, 400
FINE_MM, MOST_FINE = 1.0, 4000
_MOST_ACROSS = 128
_DEPTH_MM = 1.0
"""A part that lies on the plate is as stiff there as this much of its own material: assumed."""


@dataclass(frozen=True, eq=False)
class Bond(Rows):
    """What of a part and its supports lies on the plate: `places` (n, 3) and `areas` (n,) mm²."""

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    areas: Floats = field(default_factory=lambda: np.zeros(0))

    def __len__(self) -> int:
        return len(self.areas)

    def coarse(self, cell_mm: float, pieces: Longs | None = None) -> Bond:
        """The same with all that lies in one cell of each of `pieces` (n,) as one, at its middle."""
        return Bond(*gathered(self.places, self.areas, cell_mm, pieces)) if len(self) else self


@dataclass(frozen=True)
class Worst:
    """The worst of something over all layers: a value, the place (3,) mm and the level."""

    value: float = 0.0
    at_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    level: float = 0.0


def bonded(bond: Bond, frame: Floats, stiffness: float) -> Springs:
    """What lies on the plate as springs: as stiff as a little of the material, turning as a disc of its area does."""
    count, axial = len(bond), stiffness * bond.areas / _DEPTH_MM
    axes = np.tile(np.array([[0.0, 0.0, 1.0]]) @ frame.T, (count, 1))
    turning = axial * bond.areas / (4 * np.pi)
    return Springs(bond.places @ frame.T, axes, axial, 0.4 * axial, turning, np.ones(count, bool))


def rests_of(overhangs: Overhangs, least_mm: float = _STEP_MM, most: int = _MOST) -> Bond:
    """Where the part itself lies on the plate, in some `most` spots no closer than `least_mm`."""
    mesh, faces = overhangs.mesh, np.flatnonzero(overhangs.on_plate)
    if not len(faces):
        return Bond()
    step = max(least_mm, float(np.sqrt(mesh.areas[faces].sum() / most)))
    places, on = places_on(mesh, faces, step, most_across=_MOST_ACROSS)
    shares = np.bincount(on, minlength=len(mesh.faces))[on]
    return Bond(places, mesh.areas[on] / shares).coarse(step)


def place_of(at: Floats) -> tuple[float, float, float]:
    """A place (3,) as three numbers."""
    x, y, z = at.tolist()
    return x, y, z

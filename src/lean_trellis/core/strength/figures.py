"""Figures of contacts and the columns below them under load, for every family that is not made of bars."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bytes, Floats, Longs, frozen
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.capacity import SWAYING, column_loads
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.strength.grips import Grips

CONTACT, BUCKLING, BENDING = 0, 1, 2
USED_WORDS = {CONTACT: "stress at the contact", BUCKLING: "buckling", BENDING: "bending"}


class UsedFigures:
    """What all figures of elements under load have: how much of its strength each uses, `used` (n,)."""

    used: Floats
    gives_mm: Floats
    """(n,): how far each gives way where it holds the part."""
    feet_used: Floats
    """(n,): how much of the bond of its own foot each pulls; 0 where none is known."""

    def values(self, key: str) -> Floats:
        """(n,): one of the figures by its key in `FIGURES`."""
        result: Floats = getattr(self, key)
        return result

    @cached_property
    def worst(self) -> Longs:
        """The ten that use most of their strength, the worst first."""
        return np.argsort(-self.used, kind="stable")[:10]


@dataclass(frozen=True, eq=False)
class GripFigures(UsedFigures):
    """One entry a contact. `used` is load over capacity: above 1 it fails; `used_by` is CONTACT, BUCKLING or BENDING.

    `loads_n` acts along the column below, `slenderness` is K times its free length over its radius of gyration, K as
    for buckling; `levels` the height at which the contact is used most.
    """

    places: Floats
    elements: Longs
    loads_n: Floats
    used: Floats
    used_by: Bytes
    slenderness: Floats
    levels: Floats
    contact_mm2: Floats
    gives_mm: Floats
    feet_used: Floats
    source: str = ""

    def of_elements(self, key: str, count: int) -> Floats:
        """(count,): the most of a figure over the contacts of each element; 0 for those without one."""
        result = np.zeros(count)
        np.maximum.at(result, self.elements, self.values(key))
        return result


FIGURES = {
    "used": ("Utilisation", ""),
    "loads_n": ("Load", "N"),
    "slenderness": ("Slenderness", ""),
    "contact_mm2": ("Contact", "mm²"),
    "gives_mm": ("Deflection", "mm"),
}
"""What elements can be coloured by: words and unit."""


def figures_of_grips(grips: Grips, loads: GripLoads, actions: Actions) -> GripFigures:
    """Figures of the contacts of one support that carry `loads`; the columns below are as wide as these."""
    sections = np.maximum(grips.axial * grips.lengths, 1e-12)
    bears = column_loads(grips.moments, sections, grips.lengths, SWAYING, actions.stiffness, actions.strength)
    # About the weaker axis: a rectangle of the same section and second moment is √(12 I / A) thick.
    half = np.sqrt(12 * grips.moments / sections) / 2
    bent = loads.sides * grips.lengths * half / np.maximum(grips.moments, 1e-12) / actions.strength
    stacked = np.stack([loads.used, loads.pushes / np.maximum(bears, 1e-12), bent], axis=1)
    return GripFigures(
        grips.places, grips.elements, frozen(np.maximum(loads.pulls, loads.pushes)), frozen(stacked.max(axis=1)),
        frozen(stacked.argmax(axis=1).astype(np.uint8)),
        frozen(SWAYING * grips.lengths / np.sqrt(np.maximum(grips.moments, 1e-12) / sections)), frozen(loads.levels),
        grips.areas, frozen(deflections(grips, loads, actions.stiffness)), frozen(np.zeros(len(grips))), actions.source,
    )  # fmt: skip


def deflections(grips: Grips, loads: GripLoads, stiffness: float) -> Floats:
    """(n,) mm: how far each contact gives way under the most that it carries, along its column and across it."""
    along = np.maximum(loads.pulls, loads.pushes) / np.maximum(stiffness * grips.axial, 1e-12)
    across = loads.sides / np.maximum(stiffness * grips.sideways, 1e-12)
    result: Floats = np.hypot(along, across)
    return result

"""The side load of a process, and the bond to the plate against it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lean_trellis.core.shop.material import Constant

WELDED_SHARE, CURED_SHARE, LAID_SHARE = 0.5, 0.3, 0.1
"""Assumed, unless a material has its own `plate_bond`: the share of the material's strength with which what stands on
the plate holds there: welded on, cured on with long exposures, or laid down."""


@dataclass(frozen=True)
class Push:
    """The process's side load: N at the top, and N per mm of wall; and the bond to the plate, MPa."""

    force_n: float = 0.0
    per_mm: float = 0.0
    bond_mpa: float = 1.0

    def on(self, length_mm: float) -> float:
        """N on a wall of a length."""
        return self.force_n + self.per_mm * length_mm


def side_push(constants: Mapping[str, Constant]) -> Push:
    """The side load of a process by its constants: a nozzle's on one place, a blade's on all it meets."""
    nozzle = constants["nozzle_push"].value if "nozzle_push" in constants else 0.0
    blade = constants["recoater_push"].value if "recoater_push" in constants else 0.0
    share = LAID_SHARE if nozzle > 0 else CURED_SHARE if "peel_pressure" in constants else WELDED_SHARE
    measured = constants.get("plate_bond")
    return Push(nozzle, blade, share * constants["strength"].value if measured is None else measured.value)

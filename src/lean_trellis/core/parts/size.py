"""Size: scale, and what makes up for shrinkage in print and afterwards, each stage with a rate per axis."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh

Triple = tuple[float, float, float]
MOST_SHRINKAGE = 0.5
_FACTORS = (1e-3, 1e4)


@dataclass(frozen=True)
class Stage:
    """One step in which the part becomes smaller: its name and the share it loses along each axis (0.02 = 2 %)."""

    name: str
    rates: Triple

    def __post_init__(self) -> None:
        for rate in self.rates:
            if not -MOST_SHRINKAGE <= rate <= MOST_SHRINKAGE:
                raise EditError(self.name or "shrinkage", f"{100 * rate:g} % is no shrinkage",
                                f"give {-100 * MOST_SHRINKAGE:g} to {100 * MOST_SHRINKAGE:g} %")  # fmt: skip

    @property
    def factors(self) -> Floats:
        """(3,): by what the part must be larger before this stage, 1 / (1 - rate)."""
        return 1 / (1 - np.array(self.rates))


@dataclass(frozen=True)
class Size:
    """Scale per axis of the part's own frame, and the stages in the order in which they happen."""

    scale: Triple = (1.0, 1.0, 1.0)
    stages: tuple[Stage, ...] = ()

    def __post_init__(self) -> None:
        for factor in self.scale:
            if not _FACTORS[0] <= factor <= _FACTORS[1]:
                raise EditError("scale", f"{100 * factor:g} % is no scale", "give 0.1 % to 1,000,000 %")

    @property
    def factors(self) -> Floats:
        """(3,): from the nominal mesh to the one that is built: scale times the product of 1 / (1 - rate)."""
        result: Floats = np.array(self.scale)
        for stage in self.stages:
            result = result * stage.factors
        return result

    @property
    def is_plain(self) -> bool:
        """Whether the mesh is built at its original size."""
        return bool((self.factors == 1).all())

    def after_stages(self) -> list[tuple[str, Floats]]:
        """For each stage its name and the (3,) factors, against nominal, of the part after it."""
        now, factors = self.factors, []
        for stage in self.stages:
            now = now / stage.factors
            factors.append((stage.name, now))
        return factors


@lru_cache(maxsize=64)
def sized(nominal: Mesh, size: Size) -> Mesh:
    """The mesh that is built; the same object for the same input, so that what follows from it is kept."""
    if size.is_plain:
        return nominal
    return Mesh(nominal.vertices * size.factors, nominal.faces)


def factor_for(measured_mm: float, wanted_mm: float) -> float:
    """By what the scale is to be changed so that a measure comes out as wanted. Raises `EditError`."""
    if not measured_mm > 0 or not wanted_mm > 0 or not np.isfinite(wanted_mm / measured_mm):
        raise EditError("measure", f"{wanted_mm:g} mm cannot be reached from {measured_mm:g} mm",
                        "type a length above 0")  # fmt: skip
    return wanted_mm / measured_mm

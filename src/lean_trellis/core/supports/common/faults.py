"""What a family finds wrong with one of its supports, reported without knowing of jobs, parts' names or checks."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Generic, Literal, TypeVar

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.structure import Structure, Unkept

P = TypeVar("P", bound=FamilyParameters, covariant=True)
S = TypeVar("S", bound=Structure, covariant=True)


@dataclass(frozen=True)
class Remedy:
    """What would help: another value of the support, its part at another height, or support points moved.

    Without any of these a person has to look at the support.
    """

    words: str
    value: tuple[str, Any] | None = None
    lift_to: float | None = None
    moves_missed: int | None = None


LOOK = Remedy("Open its support")


@dataclass(frozen=True)
class Fault:
    """One thing wrong: code, severity, message, cause; a place on the plate's frame; value against limit.

    `part` is the place among the view's parts of the one it is said of.
    """

    code: str
    severity: Literal["stop", "caution", "note"]
    message: str
    cause: str
    at_mm: tuple[float, float, float] | None = None
    value: float | None = None
    limit: float | None = None
    unit: str = ""
    remedies: tuple[Remedy, ...] = (LOOK,)
    part: int = 0


@dataclass(frozen=True, eq=False)
class Neighbour:
    """A part that a support belongs to or could run into, in its pose."""

    name: str
    obstacle: Obstacle
    build_offset: float

    @property
    def mesh(self) -> Mesh:
        """The mesh in its pose."""
        return self.obstacle.placed

    @cached_property
    def solid(self) -> Any:
        """As a solid of manifold3d; None where the mesh bounds none."""
        try:
            return to_manifold(self.mesh)
        except EditError:
            return None


@dataclass(frozen=True, eq=False)
class FamilyView(Generic[P, S]):
    """What faults of one support are found from: its values and structures, and what is round it.

    `parts` are the parts it is for, the own one first (`own` of them), then every other that it could meet. `others`
    are the structures of further supports near it.
    """

    parameters: P
    structure: S
    parts: tuple[Neighbour, ...]
    own: int
    critical_angle: float
    others: tuple[Structure, ...] = ()

    @property
    def name(self) -> str:
        """The own part's name."""
        return self.parts[0].name


def boxes_meet(one: Floats, other: Floats) -> bool:
    """Whether two boxes (2, 3) touch."""
    return bool((one[0] <= other[1]).all() and (other[0] <= one[1]).all())


def volume_in_part(mesh: Mesh, part: Neighbour) -> float | None:
    """What a solid and a part have in common, mm³; None where their boxes do not meet or one bounds no solid."""
    if not len(mesh.faces) or not len(part.mesh.faces) or not boxes_meet(mesh.bounds, part.mesh.bounds):
        return None
    if part.solid is None:
        return None
    try:
        return float((to_manifold(mesh) ^ part.solid).volume())
    except EditError:
        return None


def empty_support(structure: Structure) -> Iterator[Fault]:
    """A support with nothing to build, which would otherwise be silent."""
    if structure.is_empty:
        yield Fault(
            "support_empty", "caution", "a support has nothing to build",
            cause="its regions no longer exist or do not suit this family, or everything was deleted by hand",
        )  # fmt: skip


def manual_edits_lost(unkept: Unkept) -> Iterator[Fault]:
    """Work by hand that found no place on the part in its pose."""
    count = len(unkept.reasons)
    if count:
        yield Fault(
            "hand_work_lost", "caution",
            f"{count} manual edit{'s' * (count > 1)} could not be kept: {unkept.reasons[0]}",
            cause=unkept.reasons[0], at_mm=place_of(unkept.places[0]), value=float(count), limit=0.0,
        )  # fmt: skip


def place_of(row: Floats) -> tuple[float, float, float]:
    """A row (3,) as a place."""
    x, y, z = np.asarray(row, np.float64).tolist()
    return x, y, z

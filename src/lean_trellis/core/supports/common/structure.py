"""What every family's structures tell of themselves, whatever they are made of."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple, Protocol

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.footings import Footings


class Counted(NamedTuple):
    """How many of a thing, and what one and several of them are called."""

    number: int
    one: str
    several: str

    def __str__(self) -> str:
        return f"{self.number:,} {self.one if self.number == 1 else self.several}"


@dataclass(frozen=True, eq=False)
class Unkept:
    """Work by hand that could not be kept: (k, 3) `places` on the plate's frame, and why, in words."""

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Drawn:
    """What a view draws of structures: a mesh, and for each face its element and piece (m,).

    An element is what is selected and deleted at a time, a piece what comes off at a time. `frames` (k, 2, 3) are lines
    that stand for a heavy mesh while the view moves, `covers` what it covers as seen from below; None where the map
    draws lines alone.
    """

    mesh: Mesh
    elements: Longs
    pieces: Longs
    frames: Floats | None = None
    covers: Shape | None = None


class Structure(Protocol):
    """The structures of one support. Lengths mm, on the plate's frame.

    `mesh` is everything as it is built, closed solids side by side but for sheets; overlaps count twice in its volume.
    `holds` (n, 3) are places where it touches the part, close enough together to measure distances from;
    `served` the numbers of the regions that it touches.
    """

    @property
    def counted(self) -> Counted:
        """How many things it is made of."""

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to build."""

    @property
    def mesh(self) -> Mesh:
        """Everything as it is built."""

    @property
    def volume_mm3(self) -> float:
        """Sum over what it is made of."""

    @property
    def length_mm(self) -> float:
        """Total length: of struts along their middle lines, of posts upright, of walls and rafts in plan."""

    @property
    def contact_area_mm2(self) -> float:
        """Sum over where it meets the part."""

    @property
    def contacts(self) -> Floats:
        """(c, 3): one place for each contact."""

    @property
    def holds(self) -> Floats:
        """(n, 3): places where it touches the part."""

    @property
    def hold_radii(self) -> Floats:
        """(n,): how far round each of these places it holds as well, mm; 0 where they are close together."""

    @property
    def served(self) -> frozenset[int]:
        """The regions it touches."""

    @property
    def derived_values(self) -> dict[str, float]:
        """Values that followed from others, by their keys."""

    @property
    def lost_by_hand(self) -> tuple[str, ...]:
        """Why each manual edit that found no place was not kept."""

    def footings(self) -> Footings:
        """Where its pieces begin."""

    def touches(self) -> tuple[Floats, Floats]:
        """Places (k, 3) where it meets a part, and half its width there (k,)."""

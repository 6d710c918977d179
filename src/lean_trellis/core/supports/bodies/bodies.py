"""Structures that are solid bodies: rafts, blocks, cradles."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, frozen
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.supports.common.footings import Footings, lowest_places
from lean_trellis.core.supports.common.structure import Counted
from lean_trellis.core.supports.common.surface_points import grid_basis, grid_points

_HOLD_STEP_MM = 0.5
_LEAST_TOUCH_MM = 0.05


@dataclass(frozen=True, eq=False)
class Grip:
    """Where bodies meet a part: `contacts` (c, 3), their `areas` (c,) mm², `holds` (n, 3) close together, `served`."""

    contacts: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    holds: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    served: frozenset[int] = frozenset()


@dataclass(frozen=True, eq=False)
class Bodies:
    """Closed solids side by side, `bodies`, of which one is called `one` and several `several`."""

    bodies: tuple[Mesh, ...]
    one: str
    several: str
    grip: Grip = field(default_factory=Grip)

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to build."""
        return not self.bodies

    @property
    def counted(self) -> Counted:
        """The bodies."""
        return Counted(len(self.bodies), self.one, self.several)

    @cached_property
    def mesh(self) -> Mesh:
        """All bodies side by side."""
        return join(list(self.bodies))

    @cached_property
    def volume_mm3(self) -> float:
        """Sum over the bodies."""
        return sum(body.volume for body in self.bodies)

    @property
    def length_mm(self) -> float:
        """The longest side of each body's box."""
        return sum(float(np.ptp(body.bounds, axis=0).max()) for body in self.bodies)

    @property
    def contact_area_mm2(self) -> float:
        """Sum over the contacts."""
        return float(self.grip.areas.sum())

    @property
    def contacts(self) -> Floats:
        """(c, 3): one a contact."""
        return self.grip.contacts

    @property
    def holds(self) -> Floats:
        """(n, 3): places where they touch the part."""
        return self.grip.holds

    @property
    def hold_radii(self) -> Floats:
        """(n,): 0, as its places are close together."""
        return np.zeros(len(self.grip.holds))

    @property
    def served(self) -> frozenset[int]:
        """The regions they touch."""
        return self.grip.served

    @property
    def lost_by_hand(self) -> tuple[str, ...]:
        """Nothing of it is edited by hand."""
        return ()

    @property
    def derived_values(self) -> dict[str, float]:
        """None of its values follows from others as they are generated."""
        return {}

    def footings(self) -> Footings:
        """The lowest places of every shell."""
        return lowest_places(self.mesh)

    def touches(self) -> tuple[Floats, Floats]:
        """Places where they touch the part, and half of what lies between these."""
        return self.grip.holds, np.full(len(self.grip.holds), _LEAST_TOUCH_MM)

    @cached_property
    def element_of_face(self) -> Longs:
        """(m,): the body of each face."""
        return frozen(np.repeat(np.arange(len(self.bodies)), [len(body.faces) for body in self.bodies]))

    @property
    def piece_of_face(self) -> Longs:
        """(m,): every body is a piece."""
        return self.element_of_face


def grip_on_faces(overhangs: Overhangs, faces: Longs) -> Grip:
    """The grip of what bears whole faces of a part: places half a millimetre apart on them."""
    mesh = overhangs.mesh
    faces = faces[mesh.areas[faces] > 0]
    if not len(faces):
        return Grip()
    middles = mesh.centroids_of(faces)
    pitch = max(_HOLD_STEP_MM, float(np.sqrt(mesh.areas[faces].sum() / 50_000)))
    grid = grid_points(mesh, faces, grid_basis(pitch, "square"), mesh.middle[:2]).places
    regions = overhangs.region_of_face[faces]
    areas = mesh.areas[faces]
    middle = (middles * areas[:, None]).sum(axis=0) / areas.sum()
    corners = mesh.vertices[np.unique(mesh.faces[faces])]
    return Grip(
        middle[None], np.array([areas.sum()]), np.concatenate([grid, middles, corners]),
        frozenset(regions[regions >= 0].tolist()),
    )  # fmt: skip


def regions_near(overhangs: Overhangs, faces: Longs, places: Floats) -> frozenset[int]:
    """The regions of those of some faces that are nearest to places (n, 3)."""
    if not len(faces) or not len(places):
        return frozenset()
    regions = overhangs.region_of_face[faces[place_tree(overhangs.mesh.centroids_of(faces)).query(places)[1]]]
    return frozenset(regions[regions >= 0].tolist())

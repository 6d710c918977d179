"""What checks read: the job and all that was derived from it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows, threads_for
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.thin_places import LayerFaults
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.health import MeshHealth
from lean_trellis.core.mesh.hollows import AirCells, Cavity
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.islands import Island
from lean_trellis.core.overhang.pieces import Pieces
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.parts.tilt import MainAxis
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.strength.statics import PartLoads
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support

_LOOK_MM = 0.5


@dataclass(frozen=True, eq=False)
class PartState:
    """A part and what follows from its mesh and pose; `overhangs.mesh` is the mesh in its pose."""

    part: Part
    topology: Topology
    health: MeshHealth
    tree: RayTree
    overhangs: Overhangs
    pieces: Pieces
    islands: tuple[Island, ...]
    axis: MainAxis

    def faces_at(self, places: Floats) -> Longs:
        """(n,): the face at each of places (n, 3) on the part or within half a millimetre of it."""
        mesh, up = self.overhangs.mesh, np.array(self.overhangs.layer_normal)
        if not len(places):
            return np.zeros(0, np.int64)
        begins = self.part.pose.to_part(self.part.mesh, places - _LOOK_MM * up)
        hits = self.tree.first_hits(begins, np.broadcast_to(up, places.shape) @ self.part.pose.matrix)
        faces: Longs = np.where(hits.distance <= 2 * _LOOK_MM, hits.face, -1)
        lost = np.flatnonzero(faces < 0)
        if len(lost):
            faces[lost] = place_tree(mesh.centroids_of(np.arange(len(mesh.faces)))).query(places[lost])[1]
        return faces


@dataclass(frozen=True, eq=False)
class SupportState:
    """A support and its structures."""

    support: Support
    structure: Structure


@dataclass(frozen=True, eq=False)
class Contacts(Rows):
    """Places (n, 3) where supports touch the part, and how far round each they hold as well (n,), mm."""

    places: Floats
    radii: Floats

    def __len__(self) -> int:
        return len(self.radii)

    def away_from(self, at: Floats, known: int) -> tuple[Floats, Longs]:
        """(n, k) each: how far places (n, 3) are from the nearest `known` of them, and which these are.

        Infinite where there are none.
        """
        if not len(self):
            return np.full((len(at), 1), np.inf), np.zeros((len(at), 1), np.int64)
        known = min(known, len(self))
        away, which = place_tree(self.places).query(at, k=known, workers=threads_for(len(at)))
        away, which = away.reshape(len(at), known), which.reshape(len(at), known)
        return np.maximum(away - self.radii[which], 0.0), which


@dataclass(frozen=True, eq=False)
class PartStrength:
    """What the contacts of a part carry, and the figures of its supports' elements by the support's id."""

    loads: PartLoads
    figures: dict[str, Any]


@dataclass(frozen=True, eq=False)
class PartHollows:
    """The air in and round a part (None where it bounds no solid), and hollows that are closed off or nearly so."""

    cells: AirCells | None
    cavities: tuple[Cavity, ...]


@dataclass(frozen=True, eq=False)
class Foothold:
    """What a part or a support stands on: its number of pieces, and the lowest places (3,) of some of them.

    `unfounded` have nothing at all below; `loose` neither stand on what stands nor are held by it. `stands`: any piece
    is connected to the plate; `hangs_on_supports`: supports hold some.
    """

    pieces: int
    unfounded: tuple[Floats, ...]
    loose: tuple[Floats, ...]
    stands: bool
    hangs_on_supports: bool


@dataclass(frozen=True)
class Supply:
    """Grams that a build needs of its material and grams that are loaded, and how the need was found."""

    needed: float
    loaded: float
    how: str


@dataclass(frozen=True, eq=False)
class BuildState:
    """A shared build, or what of it matters for the parts that are looked at, `looked_at` (all where it is None).

    Checks report to `watch` between their steps, so that they can be cancelled.
    """

    job: Job
    parts: tuple[PartState, ...]
    supports: tuple[SupportState, ...]
    watch: Watch = UNWATCHED
    fillings: tuple[tuple[Stack, tuple[Mesh, ...]], ...] = ()
    looked_at: frozenset[str] | None = None
    strengths: Mapping[str, PartStrength] = field(default_factory=dict)
    hollows: Mapping[str, PartHollows] = field(default_factory=dict)
    layer_faults: Mapping[str, LayerFaults] = field(default_factory=dict)
    """These three of parts by their ids; only for checks that ask for them."""
    footholds: Mapping[str, Foothold] = field(default_factory=dict)
    supply: Supply | None = None
    """What the build needs of its material, and what is loaded; only for the check of that."""
    outdated: tuple[tuple[str, str, int], ...] = ()
    """Of trials that hold other shapes: their name, one such part and how many; only for the check of these."""

    @property
    def subjects(self) -> tuple[PartState, ...]:
        """The parts that are looked at."""
        return tuple(part for part in self.parts if self.is_looked_at(part.part.id))

    @property
    def own_supports(self) -> tuple[SupportState, ...]:
        """The supports of the parts that are looked at."""
        return tuple(carrier for carrier in self.supports if self.is_looked_at(carrier.support.part_id))

    def is_looked_at(self, part_id: str) -> bool:
        """Whether a part is one of those that are looked at."""
        return self.looked_at is None or part_id in self.looked_at

    def supports_of(self, part: Part) -> list[SupportState]:
        """The supports of one part."""
        return [state for state in self.supports if state.support.part_id == part.id]

    def contacts_of(self, part: Part) -> Contacts:
        """Every place where supports touch the part, plate's frame."""
        contacts = [Contacts(state.structure.holds, state.structure.hold_radii) for state in self.supports_of(part)]
        return Contacts.joined([Contacts(np.zeros((0, 3)), np.zeros(0)), *contacts])

    def name_of(self, part_id: str) -> str:
        """The part's name."""
        return self.job.part(part_id).name

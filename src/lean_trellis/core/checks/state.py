"""What checks read: the job and all that was derived from it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.health import MeshHealth
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.islands import Island
from lean_trellis.core.overhang.pieces import Pieces
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.parts.tilt import MainAxis
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support


@dataclass(frozen=True, eq=False)
class PartState:
    """A part and what follows from its mesh and pose; `overhangs.mesh` is the mesh as it stands."""

    part: Part
    topology: Topology
    health: MeshHealth
    tree: RayTree
    overhangs: Overhangs
    pieces: Pieces
    islands: tuple[Island, ...]
    axis: MainAxis


@dataclass(frozen=True, eq=False)
class SupportState:
    """A support and its structures."""

    support: Support
    structure: Structure


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

    @property
    def subjects(self) -> tuple[PartState, ...]:
        """The parts that are looked at."""
        return tuple(part for part in self.parts if self.is_looked_at(part.part.id))

    @property
    def own_supports(self) -> tuple[SupportState, ...]:
        """The supports of the parts that are looked at."""
        return tuple(held for held in self.supports if self.is_looked_at(held.support.part_id))

    def is_looked_at(self, part_id: str) -> bool:
        """Whether a part is one of those that are looked at."""
        return self.looked_at is None or part_id in self.looked_at

    def supports_of(self, part: Part) -> list[SupportState]:
        """The supports of one part."""
        return [state for state in self.supports if state.support.part_id == part.id]

    def contacts_of(self, part: Part) -> Floats:
        """(n, 3): every place where supports take hold of the part, plate's frame."""
        holds = [state.structure.holds for state in self.supports_of(part)]
        return np.concatenate(holds) if holds else np.zeros((0, 3))

    def name_of(self, part_id: str) -> str:
        """The part's name."""
        return self.job.part(part_id).name

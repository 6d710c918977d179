"""What checks read: the job and all that was derived from it."""

from __future__ import annotations

from collections.abc import Iterator
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
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.structure import Structure
from lean_trellis.core.supports.struts import Bars
from lean_trellis.core.supports.support import Support


@dataclass(frozen=True, eq=False)
class PartState:
    """A part and what follows from its mesh and pose; `overhangs.mesh` is the mesh as it stands."""

    part: Part
    topology: Topology
    health: MeshHealth
    tree: RayTree
    overhangs: Overhangs
    islands: tuple[Island, ...]


@dataclass(frozen=True, eq=False)
class SupportState:
    """A support and its structures."""

    support: Support
    structure: Structure


@dataclass(frozen=True, eq=False)
class BuildState:
    """The whole shared build. Checks report to `watch` between their steps, so that they can be cancelled."""

    job: Job
    parts: tuple[PartState, ...]
    supports: tuple[SupportState, ...]
    watch: Watch = UNWATCHED
    fillings: tuple[tuple[Stack, tuple[Mesh, ...]], ...] = ()

    def bars(self) -> Iterator[tuple[SupportState, Bars, BarParameters]]:
        """The supports of bars, with these and their values."""
        for held in self.supports:
            if isinstance(held.structure, Bars) and isinstance(held.support.parameters, BarParameters):
                yield held, held.structure, held.support.parameters

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

"""Results of a job by what they are; the graph behind it finds or makes them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.derive.checks import FINDINGS, HELD_SHARES, STATE
from lean_trellis.core.derive.graph import USUAL_BYTES, Graph
from lean_trellis.core.derive.layers import PART_WORK, SUPPORT_SECONDS
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader
from lean_trellis.core.derive.parts import (
    FILLINGS,
    HEALTH,
    ISLANDS,
    OBSTACLE,
    OVERHANGS,
    PLACED,
    SHADOW,
    TOPOLOGY,
    TREE,
)
from lean_trellis.core.derive.recipes import REGION_TRAITS, distances_down
from lean_trellis.core.derive.statics import FIGURES, STATICS
from lean_trellis.core.derive.supports import BUILT_VOLUME, REQUEST, STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.assembly import layer_seconds
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.mesh.health import MeshHealth
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.beneath import in_words, shares_beneath
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.islands import Island
from lean_trellis.core.overhang.spans import greatest_spans
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.strength.statics import PartLoads
from lean_trellis.core.supports.bars.struts import Bars
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support


@dataclass(frozen=True, eq=False)
class RegionFacts:
    """What is reported of a part's regions besides their figures, one entry a region.

    `spans_mm` (r,) the greatest span, `beneath` in words what lies below, `supported` (r,) the share of the area that a
    hold is near enough to.
    """

    spans_mm: Floats
    beneath: tuple[str, ...]
    supported: Floats


def _facts_needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    others = [other for other in job.parts if other.id != part.id]
    return (OVERHANGS, part), (HELD_SHARES, part), *((OBSTACLE, some) for some in (part, *others))


def _region_facts(reader: Reader[RegionFacts]) -> RegionFacts:
    overhangs = reader.one(OVERHANGS, 0.0, 0.2)
    own, *others = (distances_down(obstacle) for obstacle in reader.each(OBSTACLE))
    shares = shares_beneath(overhangs, own, others)
    reader.watch.at(0.2, "measuring the regions")
    spans = greatest_spans(overhangs)
    return RegionFacts(spans, tuple(in_words(share) for share in shares), reader.one(HELD_SHARES, 0.4, 1.0))


REGION_FACTS: Node[RegionFacts] = Node("region facts", "part", _region_facts, (), _facts_needs)


class Pipeline:
    """Derives what follows from jobs and keeps the latest results. Not for use from two threads at once."""

    def __init__(self, most_bytes: int = USUAL_BYTES, *, is_guarded: bool = False) -> None:
        self.graph = Graph(most_bytes, is_guarded=is_guarded)
        self._empty: Job | None = None

    def of_mesh(self, node: Node[Any], mesh: Mesh) -> Any:
        """A result about a mesh alone, which needs no job."""
        if self._empty is None:
            self._empty = _no_job()
        return self.graph.get(node, mesh, self._empty)

    def topology(self, mesh: Mesh) -> Topology:
        """Edges and shells of a mesh."""
        topology: Topology = self.of_mesh(TOPOLOGY, mesh)
        return topology

    def health(self, mesh: Mesh) -> MeshHealth:
        """The health figures of a mesh."""
        health: MeshHealth = self.of_mesh(HEALTH, mesh)
        return health

    def tree(self, mesh: Mesh) -> RayTree:
        """The ray tree of a mesh, built once."""
        tree: RayTree = self.of_mesh(TREE, mesh)
        return tree

    def placed(self, part: Part) -> Mesh:
        """The part's mesh in its pose."""
        if self._empty is None:
            self._empty = _no_job()
        return self.graph.get(PLACED, part, self._empty)

    def overhangs(self, part: Part, job: Job, watch: Watch = UNWATCHED) -> Overhangs:
        """The regions of a part in its pose."""
        return self.graph.get(OVERHANGS, part, job, watch)

    def traits(self, part: Part, job: Job, watch: Watch = UNWATCHED) -> tuple[RegionTraits, ...]:
        """What rules of recipes ask about the regions of a part in its pose."""
        return self.graph.get(REGION_TRAITS, part, job, watch)

    def islands(self, part: Part, job: Job, watch: Watch = UNWATCHED) -> tuple[Island, ...]:
        """The islands of a part in its pose."""
        return self.graph.get(ISLANDS, part, job, watch)

    def fillings(self, stack: Stack, job: Job) -> tuple[Mesh, ...]:
        """The solids in a stack's gaps, from the bottom up. Raises `EditError` where a mesh bounds no solid."""
        return self.graph.get(FILLINGS, stack, job)

    def shadow(self, part: Part) -> Shape:
        """What a part covers as seen from above."""
        if self._empty is None:
            self._empty = _no_job()
        return self.graph.get(SHADOW, part, self._empty)

    def structure(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Structure:
        """The structures of a support, of whatever family.

        Raises `ParameterError` where its values contradict the material or the part.
        """
        return self.graph.get(STRUCTURE, support, job, watch)

    def built_volume(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> float:
        """What a merged export of a support holds, mm³: overlaps count once."""
        return self.graph.get(BUILT_VOLUME, support, job, watch)

    def seconds(
        self,
        part_ids: Sequence[str],
        job: Job,
        watch: Watch = UNWATCHED,
        *,
        with_parts: Collection[str] = (),
        within: Collection[str] | None = None,
    ) -> float:
        """What building the supports of some parts takes, `with_parts` those parts too, with all layers of the build.

        Only supports `within` some ids count, where they are given. Ways between bodies and waits of short layers are
        left out: an estimate has them.
        """
        plan, machine = LayerPlan(job.layer_height, job.first_layer), job.machine
        top = max((float((part.bounds() @ np.array(machine.layer_normal)).max()) for part in job.parts), default=0.0)
        seconds = layer_seconds(top, plan, machine, job.constants)
        if machine.process == "vat":  # a layer takes as long whatever is in it
            return seconds
        own = [one for part_id in part_ids for one in job.supports_of(part_id) if within is None or one.id in within]
        melted = sum(self.graph.get(SUPPORT_SECONDS, support, job, watch) for support in own)
        works = [self.graph.get(PART_WORK, job.part(part_id), job, watch) for part_id in with_parts]
        return seconds + machine.rates.time_factor * (melted + sum(float(work.seconds.sum()) for work in works))

    def bars(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Bars:
        """The structures of a support of bars."""
        made = self.structure(support, job, watch)
        assert isinstance(made, Bars), f"{support.set_name} is no set of bars"
        return made

    def request(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Request[Any]:
        """All that the structures of a support follow from."""
        return self.graph.get(REQUEST, support, job, watch)

    def state(self, job: Job, watch: Watch = UNWATCHED) -> BuildState:
        """Everything that checks and export read, of the whole build."""
        return self.graph.get(STATE, None, job, watch)

    def region_facts(self, part_id: str, job: Job, watch: Watch = UNWATCHED) -> RegionFacts:
        """Spans of a part's regions, what lies beneath them, and how much of each is supported."""
        return self.graph.get(REGION_FACTS, job.part(part_id), job, watch)

    def figures(self, part_id: str, job: Job, watch: Watch = UNWATCHED) -> dict[str, Any]:
        """Figures of the elements of a part's supports, by the support's id."""
        return self.graph.get(FIGURES, job.part(part_id), job, watch)

    def statics(self, part_id: str, job: Job, watch: Watch = UNWATCHED) -> PartLoads:
        """What the contacts of a part's supports carry while it is built."""
        return self.graph.get(STATICS, job.part(part_id), job, watch)

    def findings(self, job: Job, watch: Watch = UNWATCHED) -> tuple[Finding, ...]:
        """All findings on a job."""
        return self.graph.get(FINDINGS, None, job, watch)


def _no_job() -> Job:
    from lean_trellis.core.job.job import new_job
    from lean_trellis.core.shop import shipped_library

    library = shipped_library()
    machine = next(iter(library.machines.values()))
    return new_job(machine, library.materials_for(machine)[0])

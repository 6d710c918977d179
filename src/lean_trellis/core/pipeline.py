"""What follows from what: derived results, each a pure function of named inputs, kept by those inputs."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from typing import TypeVar

import numpy as np
from shapely import union_all

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.holding import held_shares
from lean_trellis.core.checks.registry import run_checks
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.derived_keys import (
    bar_supports,
    figures_key,
    fillings_key,
    findings_key,
    holds_key,
    islands_key,
    obstacle_parts,
    overhangs_key,
    standing_on,
    structure_key,
)
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits import Edit, add_support
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.health import MeshHealth, examine
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.overhang.beneath import Distances, in_words, shares_beneath
from lean_trellis.core.overhang.detect import Overhangs, detect
from lean_trellis.core.overhang.islands import Island, find_islands
from lean_trellis.core.overhang.spans import greatest_spans
from lean_trellis.core.parts.filling import separator_under, spacer_between
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.progress import Part as Stretch
from lean_trellis.core.sets.parameter_set import ParameterSet, find_set
from lean_trellis.core.sets.recipe import Recipe
from lean_trellis.core.supports.bar_loads import figures_of_bars
from lean_trellis.core.supports.bar_parameters import require_self_holding
from lean_trellis.core.supports.bars import BarRequest, find_holds, generate_bars
from lean_trellis.core.supports.block import generate_block
from lean_trellis.core.supports.body_parameters import BlockParameters, CradleParameters, RaftParameters
from lean_trellis.core.supports.cradle import generate_cradle
from lean_trellis.core.supports.families import require_buildable
from lean_trellis.core.supports.figures import BarFigures
from lean_trellis.core.supports.flank import generate_flank, side_push
from lean_trellis.core.supports.flank_parameters import FlankParameters
from lean_trellis.core.supports.floors import Shape
from lean_trellis.core.supports.lattice import generate_lattice
from lean_trellis.core.supports.obstacle import Ground, Obstacle
from lean_trellis.core.supports.outlines import shadow
from lean_trellis.core.supports.panel_parameters import LatticeParameters, PanelParameters, WallParameters
from lean_trellis.core.supports.raft import Raft, generate_raft, shadow_of
from lean_trellis.core.supports.request import P, Request, line_width
from lean_trellis.core.supports.structure import Structure
from lean_trellis.core.supports.struts import Bars, no_bars
from lean_trellis.core.supports.support import Support
from lean_trellis.core.supports.wall import generate_wall
from lean_trellis.core.targets import pick_region, resolve_target

_Result = TypeVar("_Result")
MOST_KEPT = 400


@dataclass(frozen=True, eq=False)
class RegionFacts:
    """What is told of a part's regions besides their figures, one entry a region.

    `spans_mm` (r,) the greatest span, `beneath` in words what lies below, `held` (r,) the share of the area that a hold
    is near enough to.
    """

    spans_mm: Floats
    beneath: tuple[str, ...]
    held: Floats


class Pipeline:
    """Derives what follows from jobs and keeps the latest results. Not for use from two threads at once."""

    def __init__(self, most_kept: int = MOST_KEPT) -> None:
        self._kept: OrderedDict[Hashable, object] = OrderedDict()
        self._most = most_kept

    def _derived(self, key: Hashable, make: Callable[[], _Result]) -> _Result:
        if key in self._kept:
            self._kept.move_to_end(key)
            return self._kept[key]  # type: ignore[return-value]
        result = make()
        self._kept[key] = result
        while len(self._kept) > self._most:
            self._kept.popitem(last=False)
        return result

    def topology(self, mesh: Mesh) -> Topology:
        """Edges and shells of a mesh."""
        return self._derived(("topology", mesh.key), lambda: build_topology(mesh))

    def health(self, mesh: Mesh) -> MeshHealth:
        """The health figures of a mesh."""
        return self._derived(("health", mesh.key), lambda: examine(self.topology(mesh)))

    def tree(self, mesh: Mesh) -> RayTree:
        """The ray tree of a mesh, built once."""
        return self._derived(("tree", mesh.key), lambda: RayTree(mesh))

    def placed(self, part: Part) -> Mesh:
        """The part's mesh as it stands."""
        return self._derived(("placed", part.mesh.key, part.pose), lambda: part.placed)

    def overhangs(self, part: Part, job: Job, watch: Watch = UNWATCHED) -> Overhangs:
        """The regions of a part as it stands."""

        def make() -> Overhangs:
            watch.at(0, f"looking at {part.name} from below")
            return detect(
                self.topology(part.mesh),
                self.placed(part),
                critical_angle=job.critical_angle(part),
                watch_angle=job.watch_angle(part),
                layer_normal=job.machine.layer_normal,
                hand=None if part.marks.hand is None else part.marks.hand.values,
                bridging=job.bridging,
                taken_back=part.pose.to_plate(part.mesh, np.array(part.marks.taken_back) * part.size.factors)
                if part.marks.taken_back
                else None,
                watch=watch,
            )

        return self._derived(("overhangs", overhangs_key(part, job)), make)

    def islands(self, part: Part, job: Job) -> tuple[Island, ...]:
        """The islands of a part as it stands."""
        return self._derived(
            ("islands", islands_key(part, job)),
            lambda: find_islands(
                self.topology(part.mesh),
                self.placed(part),
                job.layer_height,
                layer_normal=job.machine.layer_normal,
            ),
        )

    def fillings(self, stack: Stack, job: Job) -> tuple[Mesh, ...]:
        """The solids in a stack's gaps, from the bottom up. Raises `EditError` where a mesh bounds no solid."""

        def make() -> tuple[Mesh, ...]:
            placed = [self.placed(job.part(part_id)) for part_id in stack.parts]
            match stack.filling:
                case Separator() as separator:
                    return tuple(separator_under(upper, separator, job.layer_height) for upper in placed[1:])
                case Spacer() as spacer:
                    return tuple(spacer_between(lower, upper, spacer) for lower, upper in pairwise(placed))
            return ()

        return self._derived(("fillings", fillings_key(stack, job)), make)

    def structure(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Structure:
        """The structures of a support, of whatever family.

        Raises `ParameterError` where its values contradict the material.
        """
        if support.family == "bars":
            return self.bars(support, job, watch)
        return self._derived(("structure", structure_key(support, job)), lambda: self._generated(support, job, watch))

    def _generated(self, support: Support, job: Job, watch: Watch) -> Structure:
        parameters = support.parameters
        part = job.part(support.part_id)
        low, high = part.bounds()[:, 2]
        require_buildable(parameters, job.critical_angle(part), float(high - low))
        match parameters:
            case LatticeParameters():
                return generate_lattice(self._request(support, parameters, job, Stretch(watch, 0, 0.4)), watch)
            case WallParameters():
                return generate_wall(self._request(support, parameters, job, Stretch(watch, 0, 0.4)), watch)
            case FlankParameters():
                push = side_push(job.constants)
                return generate_flank(self._request(support, parameters, job, Stretch(watch, 0, 0.4)), push, watch)
            case BlockParameters():
                request = self._request(support, parameters, job, Stretch(watch, 0, 0.4))
                return generate_block(request, support.body, watch)
            case CradleParameters():
                return generate_cradle(self._request(support, parameters, job, Stretch(watch, 0, 0.4)), watch)
            case RaftParameters():
                return self._raft(support, parameters, job, watch)
        raise EditError(support.set_name, "is of a family that is not known", "choose another set")

    def _raft(self, support: Support, parameters: RaftParameters, job: Job, watch: Watch) -> Raft:
        shadows = [self.shadow(job.part(part_id)) for part_id in support.parts]
        others = standing_on(support, job)
        for number, other in enumerate(others):
            stretch = Stretch(watch, 0.8 * number / len(others), 0.8 * (number + 1) / len(others))
            made = self.structure(other, job, stretch)
            key = ("support shadow", structure_key(other, job))
            shadows.append(self._derived(key, partial(shadow_of, made)))
        watch.at(0.8, "drawing the raft")
        overhangs = [self.overhangs(job.part(part_id), job) for part_id in support.parts]
        return generate_raft(parameters, shadows, overhangs, job.layer_height)

    def shadow(self, part: Part) -> Shape:
        """What a part covers as seen from above."""
        return self._derived(("shadow", part.mesh.key, part.pose), lambda: shadow(self.placed(part)))

    def bars(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Bars:
        """The bars of a support. Raises `ParameterError` where its values contradict the material."""

        def make() -> Bars:
            request = self.bar_request(support, job, Stretch(watch, 0, 0.3))
            if not request.chosen and support.hand.is_empty:
                return no_bars(request.parameters.sides)
            require_self_holding(request.parameters, request.overhangs.critical_angle)
            watch.at(0.3, "placing hold points")
            known = self._derived(("holds", holds_key(support, job)), lambda: find_holds(request))
            return generate_bars(request, Stretch(watch, 0.3, 1), known=known)

        return self._derived(("bars", structure_key(support, job)), make)

    def bar_request(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> BarRequest:
        """All that the bars of a support follow from, worked out as far as that."""
        return self._request(support, support.bar_parameters, job, watch)

    def _request(self, support: Support, parameters: P, job: Job, watch: Watch) -> Request[P]:
        part = job.part(support.part_id)
        overhangs = self.overhangs(part, job, watch)
        return Request(
            self.topology(part.mesh),
            overhangs,
            resolve_target(support.target, part, overhangs),
            parameters,
            job.layer_height,
            tuple(self._obstacle(other) for other in obstacle_parts(part, job)),
            Ground(job.machine),
            None if part.marks.protected is None else part.marks.protected.values,
            support.hand,
            line_width(job.constants),
            self._around(support, job),
        )

    def _around(self, support: Support, job: Job) -> Shape | None:
        """What walls of a support make room for."""
        if not isinstance(support.parameters, PanelParameters) or support.parameters.trim == "none":
            return None
        bars = [self.bars(other, job) for other in bar_supports(support.part_id, job)]
        return union_all([shadow_of(some) for some in bars])

    def _obstacle(self, part: Part) -> Obstacle:
        protected = None if part.marks.protected is None else part.marks.protected.values
        return Obstacle(self.tree(part.mesh), part.pose, self.placed(part), protected)

    def state(self, job: Job, watch: Watch = UNWATCHED) -> BuildState:
        """Everything that checks and export read."""
        parts = []
        share = 1 / max(1, len(job.parts) + len(job.supports))
        for number, part in enumerate(job.parts):
            overhangs = self.overhangs(part, job, Stretch(watch, number * share, (number + 1) * share))
            parts.append(
                PartState(
                    part,
                    self.topology(part.mesh),
                    self.health(part.mesh),
                    self.tree(part.mesh),
                    overhangs,
                    self.islands(part, job),
                )
            )
        supports = []
        for number, support in enumerate(job.supports, start=len(job.parts)):
            made = self.structure(support, job, Stretch(watch, number * share, (number + 1) * share))
            supports.append(SupportState(support, made))
        fillings = tuple((stack, self.fillings(stack, job)) for stack in job.stacks if stack.filling is not None)
        return BuildState(job, tuple(parts), tuple(supports), fillings=fillings)

    def region_facts(self, part_id: str, job: Job, watch: Watch = UNWATCHED) -> RegionFacts:
        """Spans of a part's regions, what lies beneath them, and how much of each is held."""

        def make() -> RegionFacts:
            part = job.part(part_id)
            overhangs = self.overhangs(part, job)
            others = [self._distances_down(other) for other in job.parts if other.id != part_id]
            shares = shares_beneath(overhangs, self._distances_down(part), others)
            watch.at(0.2, f"measuring the regions of {part.name}")
            spans = greatest_spans(overhangs)
            state = self.state(job, Stretch(watch, 0.4, 0.8))
            mine = next(entry for entry in state.parts if entry.part.id == part_id)
            return RegionFacts(spans, tuple(in_words(share) for share in shares), held_shares(state, mine))

        return self._derived(("facts", part_id, findings_key(job)), make)

    def _distances_down(self, part: Part) -> Distances:
        """How far a part is straight below places on the plate's frame."""
        down = np.array([[0.0, 0.0, -1.0]]) @ part.pose.matrix

        def distances(places: Floats) -> Floats:
            return self.tree(part.mesh).first_hits(part.pose.to_part(part.mesh, places), down).distance

        return distances

    def figures(self, part_id: str, job: Job, watch: Watch = UNWATCHED) -> dict[str, BarFigures]:
        """Figures of the bars of a part's supports, by the support's id. Loads are borne by all of them together."""

        def make() -> dict[str, BarFigures]:
            part, supports = job.part(part_id), bar_supports(part_id, job)
            overhangs = self.overhangs(part, job, Stretch(watch, 0, 0.2))
            bars = [self.bars(support, job, Stretch(watch, 0.2, 0.5)) for support in supports]
            process = job.machine.process
            found = figures_of_bars(bars, overhangs, process, job.constants, Stretch(watch, 0.5, 1))
            return {support.id: figures for support, figures in zip(supports, found, strict=True)}

        return self._derived(("figures", figures_key(part_id, job)), make)

    def findings(self, job: Job, watch: Watch = UNWATCHED) -> tuple[Finding, ...]:
        """All findings on a job."""
        return self._derived(
            ("findings", findings_key(job)),
            lambda: run_checks(replace(self.state(job, Stretch(watch, 0, 0.7)), watch=watch), Stretch(watch, 0.7, 1)),
        )


def apply_recipe(job: Job, part_id: str, recipe: Recipe, sets: dict[str, ParameterSet], pipeline: Pipeline) -> Edit:
    """Support a part by a recipe's rules: one support a rule, for the regions that fall to it."""
    part = job.part(part_id)
    regions = pipeline.overhangs(part, job).to_be_held
    for place, taken in sorted(recipe.assigned(regions).items()):
        picks = tuple(pick_region(region, part) for region in taken)
        job = add_support(job, part_id, find_set(sets, recipe.rules[place].set), picks).job
    return Edit(f"Support {part.name} by {recipe.title}", job)

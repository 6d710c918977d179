"""What follows from what: derived results, each a pure function of named inputs, kept by those inputs."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TypeVar

import numpy as np
from pydantic import BaseModel
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.holding import held_shares
from lean_trellis.core.checks.registry import run_checks
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.job.edits import Edit, add_support
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.health import MeshHealth, examine
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.overhang.beneath import Distances, in_words, shares_beneath
from lean_trellis.core.overhang.detect import Overhangs, detect
from lean_trellis.core.overhang.islands import Island, find_islands
from lean_trellis.core.overhang.region import Region
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
from lean_trellis.core.supports.bars import BarRequest, find_holds, generate_bars, hold_values
from lean_trellis.core.supports.figures import BarFigures
from lean_trellis.core.supports.obstacle import Ground, Obstacle
from lean_trellis.core.supports.struts import Bars, no_bars
from lean_trellis.core.supports.support import RegionPick, Support

_Result = TypeVar("_Result")
MOST_KEPT = 400
_SAME_PLACE_MM = 2.0
_MOST_TEXTS = 32


def overhangs_key(part: Part, job: Job) -> Hashable:
    """What the regions of a part follow from."""
    return (
        part.mesh.key,
        part.pose,
        job.critical_angle(part),
        job.watch_angle(part),
        job.machine.layer_normal,
        part.marks.hand,
        part.marks.taken_back,
        job.bridging,
    )


def islands_key(part: Part, job: Job) -> Hashable:
    """What the islands of a part follow from."""
    return (part.mesh.key, part.pose, job.layer_height, job.machine.layer_normal)


def bars_key(support: Support, job: Job) -> Hashable:
    """What the bars of a support follow from: the own part, and those that could stand in their way."""
    part = job.part(support.part_id)
    near = frozenset((other.mesh.key, other.pose, other.marks.protected) for other in obstacle_parts(part, job))
    ground = _text_of(job.machine)
    return (overhangs_key(part, job), support.target, support.parameters, support.hand, job.layer_height, near, ground)


def _holds_key(support: Support, job: Job) -> Hashable:
    """What the hold points of a support follow from: fewer of its values than its bars do."""
    part = job.part(support.part_id)
    values = hold_values(support.parameters, is_protected=part.marks.protected is not None)
    return (overhangs_key(part, job), part.marks.protected, support.target, support.hand, values)


def figures_key(part_id: str, job: Job) -> Hashable:
    """What the figures of a part's bars follow from."""
    supports = tuple((support.id, bars_key(support, job)) for support in job.supports_of(part_id))
    return (part_id, supports, _text_of(job.material), job.surface)


def fillings_key(stack: Stack, job: Job) -> Hashable:
    """What the solids in a stack's gaps follow from."""
    parts = tuple((job.part(part_id).mesh.key, job.part(part_id).pose) for part_id in stack.parts)
    return (parts, filling_key(stack), job.layer_height)


def filling_key(stack: Stack) -> Hashable:
    """What fills a stack's gaps, told apart."""
    match stack.filling:
        case Separator(material, inset, layers):
            return (material.id, inset, layers)
        case Spacer(_, mesh):
            return mesh.key
    return None


def findings_key(job: Job) -> Hashable:
    """What the findings follow from."""
    parts = tuple((part.id, part.name, overhangs_key(part, job), part.marks.protected) for part in job.parts)
    supports = tuple((support.id, support.part_id, bars_key(support, job)) for support in job.supports)
    stacks = tuple((stack.id, stack.parts, stack.gap_mm(job.layer_height), filling_key(stack)) for stack in job.stacks)
    return (parts, supports, stacks, _text_of(job.machine), _text_of(job.material), job.layer_height, job.surface,
            job.fitting)  # fmt: skip


_TEXTS: OrderedDict[int, tuple[BaseModel, str]] = OrderedDict()


def _text_of(thing: BaseModel) -> str:
    """A frozen machine or material as text, written once: keys are asked for with every change of the job."""
    known = _TEXTS.get(id(thing))
    if known is None or known[0] is not thing:
        known = _TEXTS[id(thing)] = (thing, thing.model_dump_json())
        while len(_TEXTS) > _MOST_TEXTS:
            _TEXTS.popitem(last=False)
    return known[1]


def obstacle_parts(part: Part, job: Job) -> tuple[Part, ...]:
    """The part and all others near it in plan: bars lean out by no more than the ladder of `supports.lean` goes."""
    box = part.bounds()
    reach = 30.0
    found = [part]
    for other in job.parts:
        if other.id == part.id:
            continue
        theirs = other.bounds()
        apart = (theirs[0, :2] > box[1, :2] + reach).any() or (theirs[1, :2] < box[0, :2] - reach).any()
        if not apart:
            found.append(other)
    return tuple(found)


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

    def bars(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> Bars:
        """The bars of a support. Raises `ParameterError` where its values contradict the material."""

        def make() -> Bars:
            request = self.bar_request(support, job, Stretch(watch, 0, 0.3))
            if not request.chosen and support.hand.is_empty:
                return no_bars(support.parameters.sides)
            require_self_holding(support.parameters, request.overhangs.critical_angle)
            watch.at(0.3, "placing hold points")
            known = self._derived(("holds", _holds_key(support, job)), lambda: find_holds(request))
            return generate_bars(request, Stretch(watch, 0.3, 1), known=known)

        return self._derived(("bars", bars_key(support, job)), make)

    def bar_request(self, support: Support, job: Job, watch: Watch = UNWATCHED) -> BarRequest:
        """All that the bars of a support follow from, worked out as far as that."""
        part = job.part(support.part_id)
        overhangs = self.overhangs(part, job, watch)
        obstacles = tuple(
            Obstacle(
                self.tree(other.mesh),
                other.pose,
                self.placed(other),
                None if other.marks.protected is None else other.marks.protected.values,
            )
            for other in obstacle_parts(part, job)
        )
        return BarRequest(
            self.topology(part.mesh),
            overhangs,
            resolve_target(support.target, part, overhangs),
            support.parameters,
            job.layer_height,
            obstacles,
            Ground(job.machine),
            None if part.marks.protected is None else part.marks.protected.values,
            support.hand,
        )

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
            bars = self.bars(support, job, Stretch(watch, number * share, (number + 1) * share))
            supports.append(SupportState(support, bars))
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
            part, supports = job.part(part_id), job.supports_of(part_id)
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


def resolve_target(target: tuple[RegionPick, ...] | None, part: Part, overhangs: Overhangs) -> tuple[int, ...]:
    """The regions that a target means on the part as it stands, as places in `overhangs.regions`.

    A picked region is the one whose anchor lies nearest to the remembered place, or that has a face there.
    """
    if target is None:
        return tuple(region.id for region in overhangs.to_be_held)
    chosen = set()
    for pick in target:
        place = part.pose.to_plate(part.mesh, np.array([pick.anchor_mm]))[0]
        region = _region_at(overhangs, pick.kind, place)
        if region is not None:
            chosen.add(region)
    return tuple(sorted(chosen))


def _region_at(overhangs: Overhangs, kind: str, place: np.ndarray) -> int | None:
    same = [region for region in overhangs.regions if region.kind == kind]
    if not same:
        return None
    distance, nearest = cKDTree([region.anchor_mm for region in same]).query(place)
    if distance <= 1e-6 or kind != "face":
        return same[int(nearest)].id if distance <= _SAME_PLACE_MM else None
    faces = np.flatnonzero(overhangs.region_of_face >= 0)
    if not len(faces):
        return None
    distance, nearest = cKDTree(overhangs.mesh.centroids_of(faces)).query(place)
    return int(overhangs.region_of_face[faces[int(nearest)]]) if distance <= _SAME_PLACE_MM else None


def pick_region(region: Region, part: Part) -> RegionPick:
    """Remember a region by its place in the part's own coordinates."""
    x, y, z = part.pose.to_part(part.mesh, np.array([region.anchor_mm]))[0].tolist()
    return RegionPick(region.kind, (x, y, z))


def apply_recipe(job: Job, part_id: str, recipe: Recipe, sets: dict[str, ParameterSet], pipeline: Pipeline) -> Edit:
    """Support a part by a recipe's rules: one support a rule, for the regions that fall to it."""
    part = job.part(part_id)
    regions = pipeline.overhangs(part, job).to_be_held
    for place, taken in sorted(recipe.assigned(regions).items()):
        picks = tuple(pick_region(region, part) for region in taken)
        job = add_support(job, part_id, find_set(sets, recipe.rules[place].set), picks).job
    return Edit(f"Support {part.name} by {recipe.title}", job)

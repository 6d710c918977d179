"""What would save most: changes that a technician would think of, each computed as a build and compared.

Left out is what would bring a stop that is not there now, and what saves nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.parts import OVERHANGS
from lean_trellis.core.errors import Cancelled, EditError, TrellisError
from lean_trellis.core.job.edits import (
    Edit,
    change_support,
    choose_mode,
    narrow_target,
    remove_supports,
    set_layer_height,
)
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.planning import search_poses
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.proposals import pose_request, take_pose
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.core.supports.common.support import Support
from lean_trellis.core.supports.common.targets import pick_region, resolve_target

_MOST_SUPPORTS = 6
"""So many supports are looked at: those that take most."""
_PARTED, _SINGLE, _SMALL = 2, 2, 0.1
"""Of how many supports single regions are left out, how many of each; what share of the largest is small."""
_POSES, _DIRECTIONS, _SAME_POSE_DEG = 2, 2_000, 2.0
_WIDER = 1.3
_LEAST_S, _LEAST_EUR = 1.0, 0.01


@dataclass(frozen=True)
class Saving:
    """A change with what it saves: seconds of the build, EUR, changes of material; `edit` makes it."""

    words: str
    seconds: float
    cost: float
    material_changes: int
    cautions_more: int
    """How many cautions come with it."""
    job: Job

    def edit(self, job: Job) -> Edit:
        """Take it: the state that was computed."""
        return Edit(self.words, self.job)


_Change = tuple[str, Callable[[Job], Edit]]


def savings(job: Job, graph: Graph, watch: Watch = UNWATCHED) -> tuple[Saving, ...]:
    """What saves most money first. Raises what the estimate of the job as it is raises, `Cancelled` when stopped."""
    now = graph.get(ESTIMATE, None, job, Stretch(watch, 0.0, 0.2))
    stops, cautions = _counted(job, graph, Stretch(watch, 0.2, 0.3))
    changes = list(_changes(job, now, graph, Stretch(watch, 0.3, 0.35)))
    each = []
    for number, (words, make) in enumerate(changes):
        step = Stretch(watch, 0.35 + 0.65 * number / len(changes), 0.35 + 0.65 * (number + 1) / len(changes))
        step.at(0.0, f"trying: {words}")
        try:
            then = make(job).job
            estimate = graph.get(ESTIMATE, None, then, step)
            seconds, cost = now.build_seconds - estimate.build_seconds, now.cost - estimate.cost
            if seconds < _LEAST_S and cost < _LEAST_EUR:
                continue
            stops_then, cautions_then = _counted(then, graph, step)
        except Cancelled:
            raise
        except TrellisError:
            continue
        if stops_then <= stops:
            fewer = now.material_changes - estimate.material_changes
            each.append(Saving(words, seconds, cost, fewer, cautions_then - cautions, then))
    return tuple(sorted(each, key=lambda saving: -saving.cost))


def _counted(job: Job, graph: Graph, watch: Watch) -> tuple[int, int]:
    """How many stops and how many cautions a job has."""
    severities = [finding.severity for finding in graph.get(FINDINGS, None, job, watch)]
    return severities.count("stop"), severities.count("caution")


def _changes(job: Job, now: Estimate, graph: Graph, watch: Watch) -> Iterator[_Change]:
    seconds = {share.id: (share.seconds, share.cost) for share in now.shares if share.kind == "support"}
    supports = sorted(job.supports, key=lambda one: seconds.get(one.id, (0.0, 0.0)), reverse=True)[:_MOST_SUPPORTS]
    for support in supports:
        yield from _of_support(job, support)
    for support in supports[:_PARTED]:
        yield from _of_regions(job, support, graph, watch)
    if supports:
        yield from _other_poses(job, supports[0].part_id, watch)
    higher = sorted(layer.height for layer in job.material.layers if layer.height > job.layer_height + 1e-9)
    for height in higher[:1]:
        yield f"layers of {height:g} mm", partial(set_layer_height, height=height)
    for mode in job.material.modes:
        if mode != job.mode and job.material.is_proven(mode, job.machine.id):
            yield f"the {mode} mode", partial(choose_mode, mode=mode)


def _of_support(job: Job, support: Support) -> Iterator[_Change]:
    part = job.part(support.part_id).name
    yield f"leaving out {support.set_name} under {part}", partial(remove_supports, support_ids=[support.id])
    spacing = support.parameters.model_dump().get("spacing")
    if isinstance(spacing, float):
        known = support.parameters.declared_as("spacing")
        wider = round(min(spacing * _WIDER, known.most or spacing * _WIDER), 2)
        if wider > spacing:
            words = f"{known.label.lower()} of {support.set_name} under {part} {wider:g} instead of {spacing:g} mm"
            yield words, partial(change_support, support_id=support.id, key="spacing", value=wider)


def _of_regions(job: Job, support: Support, graph: Graph, watch: Watch) -> Iterator[_Change]:
    """What it holds, region by region: all small ones together, and single ones by the room below them."""
    if not spec_of(support).serves_regions:
        return
    part = job.part(support.part_id)
    overhangs = graph.get(OVERHANGS, part, job, watch)
    served = [overhangs.regions[number] for number in resolve_target(support.target, part, overhangs)]
    if len(served) < 2:
        return
    room = {region.id: region.projected_area_mm2 * region.lowest_mm for region in served}
    largest = max(region.projected_area_mm2 for region in served)
    small = [region for region in served if region.projected_area_mm2 < _SMALL * largest]
    tried = [small] if len(small) > 1 else []
    tried += [[region] for region in sorted(served, key=lambda one: -room[one.id])[:_SINGLE]]
    for left in tried:
        gone = {region.id for region in left}
        kept = tuple(pick_region(region, part) for region in served if region.id not in gone)
        if not kept:
            continue
        x, y, z = left[0].centroid_mm
        what = f"{len(left)} small regions" if len(left) > 1 else f"the {left[0].kind} at {x:.0f}, {y:.0f}, {z:.0f} mm"
        words = f"leaving out {support.set_name} under {what} of {part.name}"
        yield words, partial(narrow_target, support_id=support.id, kept=kept, what=what)


def _other_poses(job: Job, part_id: str, watch: Watch) -> Iterator[_Change]:
    """The best poses found for the part whose supports take most, where these follow a turn by themselves."""
    supports = job.supports_of(part_id)
    is_free = not job.part(part_id).is_locked and job.stack_of(part_id) is None
    if not is_free or any(one.target is not None or not one.hand.is_empty or one.others for one in supports):
        return
    request = replace(pose_request(job, part_id), directions=_DIRECTIONS)
    try:
        poses = search_poses(request, watch)
    except EditError:
        return
    for number in poses.best[:_POSES].tolist():
        up = poses.ups[number]
        leans = float(np.degrees(np.arccos(np.clip((job.part(part_id).pose.matrix @ up)[2], -1.0, 1.0))))
        if leans > _SAME_POSE_DEG:
            words = f"turning {job.part(part_id).name} by {leans:.0f}° to pose {number + 1} of those found"
            yield words, partial(take_pose, part_id=part_id, up=up)

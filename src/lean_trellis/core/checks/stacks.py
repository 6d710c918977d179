"""`temperatures_disagree`, `stack_gap`: can what is stacked be built and be parted again?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.changes import changes_of
from lean_trellis.core.parts.stacking import Separator, Stack

MOST_APART_C = 15.0
NEVER_APART_C = 30.0
_SOURCE = "assumed: within this range first layers stick and separators come off"


def check_stacks(state: BuildState) -> Iterator[Finding]:
    """Do base and separator want other plate temperatures, is a gap no whole number of layers, or none?"""
    job = state.job
    for stack in job.stacks:
        if not state.is_looked_at(stack.parts[0]):
            continue
        lowest = job.part(stack.parts[0])
        if isinstance(stack.filling, Separator):
            yield from _temperatures(job, stack, stack.filling)
        gap = stack.gap_mm(job.layer_height)
        layers = gap / job.layer_height
        top = float(lowest.bounds()[1, 2])
        at = (lowest.pose.x, lowest.pose.y, top)
        if gap <= 0:
            yield _gap(lowest.name, lowest.id, "the stacked parts touch and will fuse", 0.0,
                       job.layer_height, at, "stop")  # fmt: skip
        elif abs(layers - round(layers)) > 1e-3:
            words = f"the gap of {gap:.3f} mm is {layers:.2f} layers: it will be built as {round(layers)}"
            yield _gap(lowest.name, lowest.id, words, gap, round(layers) * job.layer_height, at, "caution")


def _temperatures(job: Job, stack: Stack, separator: Separator) -> Iterator[Finding]:
    own = job.constants["plate_temperature"].value
    surface = job.surface or next(iter(job.machine.surfaces), "")
    separates = separator.material.constants_for(job.machine.id, job.layer_height, surface, job.mode)
    other = separates["plate_temperature"].value
    if abs(own - other) <= MOST_APART_C:
        return
    lowest = job.part(stack.parts[0])
    yield Finding(
        "temperatures_disagree", "stop" if abs(own - other) > NEVER_APART_C else "caution", lowest.name,
        f"{job.material.name} needs the plate at {own:g} °C, {separator.material.name} as separator {other:g} °C",
        cause="the plate has one temperature: one of the two comes off or sags",
        at_mm=(lowest.pose.x, lowest.pose.y, float(lowest.bounds()[1, 2])), value=abs(own - other),
        limit=MOST_APART_C, unit="°C", source=_SOURCE, part_id=lowest.id,
        cures=(Cure("Change the separator's material", about="parts"),),
    )  # fmt: skip


def _gap(
    name: str, part_id: str, words: str, value: float, limit: float, at: tuple[float, float, float], severity: str
) -> Finding:
    return Finding(
        "stack_gap", "stop" if severity == "stop" else "caution", name, words,
        cause="the gap is built in whole layers and must be at least one", at_mm=at, value=value, limit=limit,
        unit="mm", part_id=part_id, cures=(Cure("Set the gap in layers", about="parts"),),
    )  # fmt: skip


def material_changes(job: Job) -> int:
    """How often the material changes through the build: at each layer that holds two, and from layer to layer.

    Base and separator are counted as two materials; within a layer with both one change is made, the order alternating.
    """
    height = job.layer_height
    spans: list[tuple[float, float]] = []
    for stack in job.stacks:
        if isinstance(stack.filling, Separator):
            for part_id in stack.parts[1:]:
                low = job.part(part_id).pose.build_offset
                spans.append((low - stack.filling.layers * height, low))
    if not spans:
        return 0
    solid = [tuple(part.bounds()[:, 2].tolist()) for part in job.parts]
    middles = (np.arange(round(max(high for _, high in solid) / height)) + 0.5) * height
    own = [np.any([(low < middles) & (middles < high) for low, high in heights], axis=0) for heights in (solid, spans)]
    return changes_of(*own).count

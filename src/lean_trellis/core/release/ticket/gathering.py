"""A ticket's contents from a job and what follows from it."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.waiving import open_stops, standing_waiver
from lean_trellis.core.derive.layers import DANGER, ESTIMATE, LAYER_PROFILE, LAYERED_BUILD, PART_LAYERS
from lean_trellis.core.derive.parts import SHADOW
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.supports import SUPPORT_SHADOW
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.build import LayeredBuild
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.release.owners import owner_shares
from lean_trellis.core.release.ticket.contents import (
    TicketContents,
    TicketDifference,
    TicketDrawing,
    TicketFile,
    TicketFinding,
    TicketOwner,
    TicketPart,
    TicketSupport,
)
from lean_trellis.core.release.ticket.drawings import (
    SUPPORT,
    TINTS,
    DrawnPart,
    danger_layer,
    elevation,
    plan,
    silhouette,
)
from lean_trellis.core.supports.common.support import Support

_MOST_DANGER_LAYERS = 2
_SPARE_MM = 10.0


@dataclass(frozen=True)
class TicketWish:
    """What a ticket takes besides the job: its findings, the day on which waivers are read, who releases, files."""

    findings: tuple[Finding, ...]
    today: date
    released_by: str = ""
    files: tuple[TicketFile, ...] = ()
    picture: str = ""


def ticket_contents(job: Job, pipeline: Pipeline, wish: TicketWish, watch: Watch = UNWATCHED) -> TicketContents:
    """All that the ticket of a job says."""
    graph = pipeline.graph
    estimate = graph.get(ESTIMATE, None, job, Stretch(watch, 0.0, 0.4))
    build = graph.get(LAYERED_BUILD, None, job, Stretch(watch, 0.4, 0.5))
    numbers = {part.id: number for number, part in enumerate(job.parts, start=1)}
    stops = open_stops(wish.findings, job, wish.today)
    plan_heights = LayerPlan(job.layer_height, job.first_layer).tops_of(estimate.assembly.numbers[-1:])
    volumes = estimate.volumes_mm3
    watch.at(0.5, "drawing the ticket")
    return TicketContents(
        job=job.name, due=job.due, machine=job.machine.name, machine_id=job.machine.id, process=job.machine.process,
        material=job.material.name, material_id=job.material.id, lot=job.lot, layer_height=job.layer_height,
        first_layer=job.first_layer, mode=job.mode, surface=job.surface, fitting=job.fitting, layers=estimate.layers,
        build_seconds=estimate.build_seconds,
        warm_seconds=60.0 * (job.machine.rates.warm_up + job.machine.rates.cooling),
        part_volume_mm3=volumes["parts"], support_volume_mm3=volumes["supports"] + volumes["separators"],
        grams=estimate.material_grams, loaded_grams=job.loaded_grams, cost=estimate.cost,
        material_changes=estimate.material_changes, height_mm=float(plan_heights[0]) if len(plan_heights) else 0.0,
        parts=tuple(_part(part, job, pipeline, number, Stretch(watch, 0.5, 0.8))
                    for number, part in enumerate(job.parts, start=1)),
        owners=_owners(job, estimate, stops, numbers),
        findings=tuple(_finding(finding, job, numbers, wish.today) for finding in wish.findings),
        drawings=_drawings(job, pipeline, build, Stretch(watch, 0.8, 1.0)), after=job.material.after,
        files=wish.files, released_by=wish.released_by, picture=wish.picture,
    )  # fmt: skip


def _part(part: Part, job: Job, pipeline: Pipeline, number: int, watch: Watch) -> TicketPart:
    from scipy.spatial.transform import Rotation

    low, high = part.bounds()
    supports = tuple(_support(one, job, pipeline, watch) for one in job.supports_of(part.id))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a turn by a quarter has several names; any of them will do
        turned = Rotation.from_matrix(part.pose.matrix).as_euler("xyz", degrees=True)
    nominal = part.nominal_mesh
    stages = part.size.after_stages()
    end = (nominal.bounds[1] - nominal.bounds[0]) * (stages[-1][1] if stages else part.size.factors)
    return TicketPart(
        number=number, name=part.name, owner=part.owner, order=part.order, lot=part.lot, size_mm=_three(high - low),
        end_size_mm=_three(end), volume_mm3=float(part.mesh.volume),
        place_mm=(round(part.pose.x, 3), round(part.pose.y, 3)), turned_deg=_three(turned),
        build_offset_mm=part.pose.build_offset, supports=supports,
    )  # fmt: skip


def _three(values: Floats) -> tuple[float, float, float]:
    x, y, z = (np.round(values, 2) + 0.0).tolist()
    return x, y, z


def _support(support: Support, job: Job, pipeline: Pipeline, watch: Watch) -> TicketSupport:
    made, used = pipeline.structure(support, job, watch), job.set_of(support)
    figures = pipeline.figures(support.part_id, job, watch).get(support.id)
    hand, counted = support.hand, made.counted
    element = counted.one if counted.number == 1 else counted.several
    return TicketSupport(
        set_id=support.set_name, set_name=support.set_name if used is None else used.title,
        version=support.set_version,
        family=support.family, count=made.counted.number, element=element,
        volume_mm3=pipeline.built_volume(support, job, watch),
        utilisation=0.0 if figures is None else float(figures.used.max(initial=0.0)),
        by_hand=len(hand.bars) + len(hand.removed) + len(hand.ties) + len(hand.gone) + len(hand.extended),
        differences=_differences(support, job),
    )  # fmt: skip


def _differences(support: Support, job: Job) -> tuple[TicketDifference, ...]:
    used = job.set_of(support)
    if used is None or type(used.parameters) is not type(support.parameters):
        return ()
    there, here = used.parameters.model_dump(), support.parameters.model_dump()
    return tuple(
        TicketDifference(label=support.parameters.declared_as(key).label, here=_said(here[key]), there=_said(value))
        for key, value in there.items()
        if here[key] != value
    )


def _said(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else str(value)


def _finding(finding: Finding, job: Job, numbers: dict[str, int], today: date) -> TicketFinding:
    waiver = standing_waiver(finding, job, today)
    until = f", until {waiver.expires}" if waiver is not None and waiver.expires else ""
    return TicketFinding(
        severity=finding.severity, code=finding.code, title=finding.title, part=finding.part,
        number=numbers.get(finding.part_id, 0), message=finding.message,
        place="" if finding.at_mm is None else "x {:.1f}  y {:.1f}  z {:.1f}".format(*finding.at_mm),
        waiver="" if waiver is None else f"{waiver.who}: {waiver.reason}{until}",
    )  # fmt: skip


def _owners(job: Job, estimate: Estimate, stops: Sequence[Finding], numbers: dict[str, int]) -> tuple[TicketOwner, ...]:
    by_name = {part.name: numbers[part.id] for part in job.parts}
    return tuple(
        TicketOwner(
            owner=one.owner, orders=one.orders, numbers=tuple(by_name[name] for name in one.parts),
            volume_mm3=one.volume_mm3, time_share=one.time_share, cost=one.cost, threatens=one.threatens,
        )
        for one in owner_shares(job, estimate, stops)
    )  # fmt: skip


def _drawings(job: Job, pipeline: Pipeline, build: LayeredBuild, watch: Watch) -> tuple[TicketDrawing, ...]:
    """Plan from above and below, from the front and the right, the layers in which most is used of the strength."""
    if not job.parts:
        return ()
    machine, graph = job.machine, pipeline.graph
    tints = {owner: TINTS[n % len(TINTS)] for n, owner in enumerate(dict.fromkeys(part.owner for part in job.parts))}
    drawn = []
    for number, part in enumerate(job.parts, start=1):
        own = job.supports_of(part.id)
        shapes = tuple(graph.get(SUPPORT_SHADOW, support, job, watch) for support in own)
        made = [pipeline.structure(support, job, watch) for support in own]
        contacts = np.concatenate([np.zeros((0, 3)), *(one.contacts for one in made)])
        layers = graph.get(PART_LAYERS, part, job, watch)
        is_level = not machine.is_belt
        drawn.append(
            DrawnPart(number, tints[part.owner], graph.get(SHADOW, part, job, watch), shapes, contacts,
                  silhouette(layers, 0) if is_level else _boxed(part, 0),
                  silhouette(layers, 1) if is_level else _boxed(part, 1))
        )  # fmt: skip
    bounds = np.array([part.bounds() for part in job.parts])
    length = float(bounds[:, 1, 1].max() + _SPARE_MM) if machine.is_belt else machine.plate.depth
    top = float(bounds[:, 1, 2].max())
    return (
        plan(machine, drawn, length, from_below=False), plan(machine, drawn, length, from_below=True),
        elevation(machine, drawn, length, top, from_side=False), elevation(machine, drawn, length, top, from_side=True),
        *_dangers(job, pipeline, build, tints, length, watch),
    )  # fmt: skip


def _boxed(part: Part, axis: int) -> tuple[tuple[tuple[float, float], ...], ...]:
    """The box of a part from one side: of tilted layers no silhouette follows."""
    low, high = np.round(part.bounds(), 2).tolist()
    return (((low[axis], low[2]), (high[axis], low[2]), (high[axis], high[2]), (low[axis], high[2])),)


def _dangers(
    job: Job, pipeline: Pipeline, build: LayeredBuild, tints: dict[str, str], length: float, watch: Watch
) -> list[TicketDrawing]:
    """The layer of most use of each of the parts that use most, the worst one first."""
    if job.machine.is_belt:
        return []
    danger = pipeline.graph.get(DANGER, None, job, watch)
    tops = pipeline.graph.get(LAYER_PROFILE, None, job, watch).tops
    worst: list[tuple[float, int, int]] = []
    for place in range(len(danger.ids)):
        mine = np.where(danger.parts == place, danger.used, 0.0)
        if len(mine) and mine.max() > 0:
            worst.append((float(mine.max()), int(mine.argmax()), place))
    worst.sort(key=lambda one: (-one[0], one[2]))
    owners = [part.owner for part in job.parts]
    drawings = []
    for used, layer, place in worst[:_MOST_DANGER_LAYERS]:
        number = int(build.assembly.numbers[layer]) if layer < len(build.assembly.numbers) else layer
        rings = []
        for index, body in enumerate(build.bodies):
            fill = tints[owners[index]] if body.kind == "part" else SUPPORT
            rings.append((tuple(body.outlines(number)), fill))
        part = job.parts[place]
        title = f"Layer {layer + 1}, {tops[layer]:.2f} mm: part {place + 1} at {used:.0%} of its strength"
        drawings.append(danger_layer(job.machine, length, title, rings, (place + 1, (part.pose.x, part.pose.y))))
    return drawings

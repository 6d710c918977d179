"""Nodes of layers: what each layer cuts of a part and of a support. Only what changed is cut again."""

from __future__ import annotations

from collections.abc import Hashable
from typing import TypeAlias

import numpy as np

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import CONSTANTS, Need, Node, Reader
from lean_trellis.core.derive.parts import FILLINGS, PLACED, TOPOLOGY
from lean_trellis.core.derive.statics import CARRIERS, GROWTH
from lean_trellis.core.derive.supports import BUILT_VOLUME, STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers import BodyLayers, LayerPlan, layered
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.build import LayeredBody, LayeredBuild
from lean_trellis.core.layers.estimate import BodyKind, Built, Estimate, estimated
from lean_trellis.core.layers.laid import paths_of, work_on
from lean_trellis.core.layers.laying import PART, SUPPORT, LaidAs
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.layers.profile import Profile, profile_of
from lean_trellis.core.layers.thickening import thickened
from lean_trellis.core.layers.thin_places import LayerFaults, layer_faults
from lean_trellis.core.layers.work import Work
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Separator, Stack
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.shop.material import LEAST_WALL_MM, value_or
from lean_trellis.core.strength.growth_use import Danger, danger_of
from lean_trellis.core.supports.common.request import line_width
from lean_trellis.core.supports.common.support import Support

Between: TypeAlias = tuple[float, float] | None
"""The heights between which layers are cut; all of them without."""


def _plan(job: Job) -> LayerPlan:
    """Where the layers of a job lie; supports may be built at some of them only."""
    return LayerPlan(job.layer_height, job.first_layer)


def _cut_part(
    topology: Topology, placed: Mesh, job: Job, least: float | None, watch: Watch, between: Between = None
) -> BodyLayers:
    """A part in layers, `least` mm thick everywhere on request."""
    layers = layered(topology, placed.vertices, _plan(job), job.machine.layer_normal, between=between,
                     watch=Stretch(watch, 0.0, 0.5))  # fmt: skip
    return layers if least is None else thickened(layers, least, Stretch(watch, 0.5, 1.0))


def _part_layers(reader: Reader[BodyLayers]) -> BodyLayers:
    """Raises `EditError` where there are more layers than anybody builds."""
    return _cut_part(reader.one(TOPOLOGY), reader.one(PLACED), reader.job, reader.token, reader.watch)


def _least_of(part: Part, job: Job) -> float | None:
    """The least width at which a part is built, where that was asked for; melting powder is as wide as it is."""
    if not part.thickens or job.machine.process == "powder_bed":
        return None
    return value_or(job.constants, "least_wall", LEAST_WALL_MM)


def _on_the_part(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return (TOPOLOGY, part.mesh), (PLACED, part)


PART_LAYERS: Node[BodyLayers] = Node(
    "part layers",
    "part",
    _part_layers,
    ("part.mesh", "part.pose", "job.layer_height", "job.first_layer", "job.machine"),
    _on_the_part,
    lambda part, job, near: _least_of(part, job),
    is_local=True,
)


def _cut_support(mesh: Mesh, job: Job, watch: Watch, between: Between = None, every: int = 1) -> BodyLayers:
    """A support in the layers in which supports are built, or each n-th of them."""
    plan = LayerPlan(job.layer_height, job.first_layer, job.support_every)
    return layered(build_topology(mesh), mesh.vertices, plan, job.machine.layer_normal,
                   line_mm=line_width(job.constants), between=between, every=every, watch=watch)  # fmt: skip


def _support_layers(reader: Reader[BodyLayers]) -> BodyLayers:
    """Raises `EditError` where there are more layers than anybody builds."""
    return _cut_support(reader.one(STRUCTURE, 0.0, 0.5).mesh, reader.job, reader.stretch(0.5, 1.0))


SUPPORT_LAYERS: Node[BodyLayers] = Node(
    "support layers",
    "support",
    _support_layers,
    (*CONSTANTS, "job.first_layer", "job.support_every"),
    lambda support, job, near: ((STRUCTURE, support),),
)


_MOST_LOOKED_AT = 1200


def _faults(reader: Reader[LayerFaults]) -> LayerFaults:
    """In layers as high as the least width, since what is thin is no less high; no more of them than need be."""
    job, placed = reader.job, reader.one(PLACED)
    least = value_or(job.constants, "least_wall", LEAST_WALL_MM)
    along = placed.vertices @ np.array(job.machine.layer_normal)
    height = max(job.layer_height, least, float(np.ptp(along)) / _MOST_LOOKED_AT if len(along) else 0.0)
    layers = layered(reader.one(TOPOLOGY), placed.vertices, LayerPlan(height), job.machine.layer_normal,
                     watch=reader.stretch(0.0, 0.5))  # fmt: skip
    stands = bool(len(along)) and (job.machine.is_belt or float(along.min()) < height / 2)
    return layer_faults(layers, least, stands_on_plate=stands, watch=reader.stretch(0.5, 1.0))


_WORK = (*CONSTANTS, "job.first_layer")


def _worked(body: BodyLayers, job: Job, laid_as: LaidAs, watch: Watch) -> Work:
    """What its layers take. The numbers are the same for supports that are built at every n-th layer."""
    numbers = _plan(job).numbers_of(body.heights)
    return work_on(body, numbers, job.machine, job.constants, laid_as, watch)


def _part_laid_as(part: Part, job: Job) -> LaidAs:
    """A part has values of its own where it is extruded."""
    if not part.path_values or job.machine.process != "extrusion":
        return PART
    origin = part.layer_origin(job.machine.layer_normal)
    return LaidAs(own=tuple(values.moved(origin) for values in part.path_values))


def _support_laid_as(support: Support) -> LaidAs:
    return LaidAs(is_support=True, share=support.parameters.fill_share)


LAYER_FAULTS: Node[LayerFaults] = Node(
    "faults of layers", "part", _faults, ("part.mesh", "part.pose", *_WORK), _on_the_part, is_local=True
)
PART_WORK: Node[Work] = Node(
    "part work",
    "part",
    lambda reader: _worked(reader.one(PART_LAYERS, 0.0, 0.4), reader.job, reader.token, reader.stretch(0.4, 1.0)),
    _WORK,
    lambda part, job, near: ((PART_LAYERS, part),),
    lambda part, job, near: _part_laid_as(part, job),
    is_local=True,
)


SUPPORT_WORK: Node[Work] = Node(
    "support work",
    "support",
    lambda reader: _worked(reader.one(SUPPORT_LAYERS, 0.0, 0.4), reader.job, reader.token, reader.stretch(0.4, 1.0)),
    _WORK,
    lambda support, job, near: ((SUPPORT_LAYERS, support),),
    lambda support, job, near: _support_laid_as(support),
)

_SAMPLED = 160
"""In about so many layers the time of a support is looked at, where melting it is to be known soon."""


def _sampled_seconds(reader: Reader[float]) -> float:
    """Of each n-th layer, for all: bars and walls change little from one to the next. Extruded ones look at others."""
    job, mesh = reader.job, reader.one(STRUCTURE, 0.0, 0.2).mesh
    if not len(mesh.vertices):
        return 0.0
    along = mesh.vertices @ np.array(job.machine.layer_normal)
    count = float(np.ptp(along)) / (job.layer_height * job.support_every)
    every = max(1, int(count / _SAMPLED)) if job.machine.process == "powder_bed" else 1
    body = _cut_support(mesh, job, reader.stretch(0.2, 0.5), every=every)
    work = _worked(body, job, reader.token, reader.stretch(0.5, 1.0))
    return float(work.seconds.sum()) * every


SUPPORT_SECONDS: Node[float] = Node(
    "support seconds",
    "support",
    _sampled_seconds,
    (*_WORK, "job.support_every"),
    lambda support, job, near: ((STRUCTURE, support),),
    lambda support, job, near: _support_laid_as(support),
)


def _filling_layers(reader: Reader[tuple[BodyLayers, ...]]) -> tuple[BodyLayers, ...]:
    job = reader.job
    plan = _plan(job)
    return tuple(
        layered(build_topology(mesh), mesh.vertices, plan, job.machine.layer_normal)
        for mesh in reader.one(FILLINGS, 0.0, 0.5)
    )


FILLING_LAYERS: Node[tuple[BodyLayers, ...]] = Node(
    "filling layers",
    "stack",
    _filling_layers,
    ("job.machine", "job.layer_height", "job.first_layer"),
    lambda stack, job, near: ((FILLINGS, stack),),
)


FILLING_WORK: Node[tuple[Work, ...]] = Node(
    "filling work",
    "stack",
    lambda reader: tuple(
        _worked(layers, reader.job, SUPPORT, reader.stretch(0.5, 1.0))
        for layers in reader.one(FILLING_LAYERS, 0.0, 0.5)
    ),
    _WORK,
    lambda stack, job, near: ((FILLING_LAYERS, stack),),
)


def _span(layers: BodyLayers, plan: LayerPlan) -> tuple[int, int]:
    """The numbers of the lowest and the highest layer."""
    if not len(layers.heights):
        return 0, -1
    low, high = plan.numbers_of(layers.heights[[0, -1]]).tolist()
    return low, high


def _solid(layers: BodyLayers, volume: float, plan: LayerPlan) -> float:
    return layers.volume_mm3(plan.thickness_of(plan.numbers_of(layers.heights)), float(volume))


def _estimate_needs(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    of_part = ((node, part) for part in job.parts for node in (PLACED, PART_LAYERS, PART_WORK))
    nodes = (BUILT_VOLUME, SUPPORT_LAYERS, SUPPORT_WORK, CARRIERS)
    of_support = ((node, support) for support in job.supports for node in nodes)
    filled = [stack for stack in job.stacks if stack.filling]
    of_stack = ((node, stack) for stack in filled for node in (FILLINGS, FILLING_LAYERS, FILLING_WORK))
    return (*of_part, *of_support, *of_stack)


def _estimate_token(subject: None, job: Job, near: Neighbours) -> Hashable:
    owners = {part.id: part.owner for part in job.parts}
    parts = tuple((part.id, part.name, part.owner) for part in job.parts)
    supports = tuple((one.id, one.set_name, owners[one.part_id]) for one in job.supports)
    return parts, supports, tuple((stack.id, owners[stack.parts[0]]) for stack in job.stacks if stack.filling)


def _layers_of(kind: BodyKind, named: tuple[str, str, str], work: Work, volume: float, span: tuple[int, int],
           every: int = 1, contacts: int = 0) -> Built:  # fmt: skip
    number, name, owner = named
    return Built(kind, number, name, owner, work, volume, span, every, contacts)


def _estimate(reader: Reader[Estimate]) -> Estimate:
    """Raises `EditError` where there are more layers than anybody builds."""
    job = reader.job
    plan = _plan(job)
    parts, supports, stacks = reader.token
    bodies = [
        _layers_of("part", named, work, _solid(layers, placed.volume, plan), _span(layers, plan))
        for named, placed, layers, work in zip(
            parts, reader.each(PLACED), reader.each(PART_LAYERS, 0.0, 0.2), reader.each(PART_WORK, 0.2, 0.5),
            strict=True,
        )
    ]  # fmt: skip
    bodies += [
        _layers_of("support", named, work, volume, _span(layers, plan), job.support_every, len(carriers.grips))
        for named, volume, layers, work, carriers in zip(
            supports, reader.each(BUILT_VOLUME, 0.5, 0.7), reader.each(SUPPORT_LAYERS, 0.7, 0.8),
            reader.each(SUPPORT_WORK, 0.8, 1.0), reader.each(CARRIERS), strict=True,
        )
    ]  # fmt: skip
    fillings = reader.subjects(FILLINGS)
    for (number, owner), stack, meshes, layers, works in zip(
        stacks, fillings, reader.each(FILLINGS), reader.each(FILLING_LAYERS), reader.each(FILLING_WORK), strict=True
    ):
        own = stack.filling.material if isinstance(stack.filling, Separator) else None
        bodies += [
            Built("separator", number, "separator", owner, work, float(mesh.volume), _span(cut, plan), material=own)
            for mesh, cut, work in zip(meshes, layers, works, strict=True)
        ]
    return estimated(bodies, plan, job.machine, job.constants)


ESTIMATE: Node[Estimate] = Node(
    "estimate", "job", _estimate, (*_WORK, "job.stacks", "job.support_every"), _estimate_needs, _estimate_token
)


def _bodies_needs(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    of_part = ((PART_LAYERS, part) for part in job.parts)
    of_support = ((SUPPORT_LAYERS, support) for support in job.supports)
    of_stack = ((FILLING_LAYERS, stack) for stack in job.stacks if stack.filling)
    return (*of_part, *of_support, *of_stack)


Named: TypeAlias = tuple[str, str, LaidAs]
"""A body's kind and name, and as what it is laid."""


def _named_part(part: Part, job: Job) -> Named:
    return "part", part.name, _part_laid_as(part, job)


def _named_support(support: Support, part: str) -> Named:
    return "support", f"{part} {support.set_name}", _support_laid_as(support)


def _bodies_token(subject: None, job: Job, near: Neighbours) -> Hashable:
    names = {part.id: part.name for part in job.parts}
    parts = tuple(_named_part(part, job) for part in job.parts)
    return parts, tuple(_named_support(one, names[one.part_id]) for one in job.supports)


def _layered_body(named: Named, layers: BodyLayers, plan: LayerPlan) -> LayeredBody:
    kind, name, laid_as = named
    return LayeredBody(kind, name, layers, plan.numbers_of(layers.heights), laid_as=laid_as)


def _layered_fillings(stack: Stack, cuts: tuple[BodyLayers, ...], plan: LayerPlan) -> list[LayeredBody]:
    is_other = isinstance(stack.filling, Separator)
    return [
        LayeredBody("separator", "separator", layers, plan.numbers_of(layers.heights), is_other, SUPPORT)
        for layers in cuts
    ]


def _bodies(reader: Reader[tuple[LayeredBody, ...]]) -> tuple[LayeredBody, ...]:
    """The bodies in the order of the estimate. Raises `EditError` where there are more layers than anybody builds."""
    plan = _plan(reader.job)
    parts, supports = reader.token
    cut = [*reader.each(PART_LAYERS, 0.0, 0.6), *reader.each(SUPPORT_LAYERS, 0.6, 1.0)]
    bodies = [_layered_body(named, layers, plan) for named, layers in zip((*parts, *supports), cut, strict=True)]
    for stack, cuts in zip(reader.subjects(FILLING_LAYERS), reader.each(FILLING_LAYERS), strict=True):
        bodies += _layered_fillings(stack, cuts, plan)
    return tuple(bodies)


LAYERED_BODIES: Node[tuple[LayeredBody, ...]] = Node(
    "layered bodies", "job", _bodies, ("job.layer_height", "job.first_layer", "job.stacks"), _bodies_needs,
    _bodies_token, is_kept=False,
)  # fmt: skip


_KINDS: frozenset[BodyKind] = frozenset({"part", "support", "separator"})


def bodies_between(
    graph: Graph, job: Job, numbers: range, watch: Watch = UNWATCHED, kinds: frozenset[BodyKind] = _KINDS
) -> tuple[LayeredBody, ...]:
    """Parts and supports in some layers: taken from what is cut already, else only these layers are cut.

    Separators are cut whole: they are but a few layers.
    """
    plan, bodies = _plan(job), []
    heights = plan.middle_of(np.array([numbers[0], numbers[-1]]))
    between = float(heights[0]) - 1e-6, float(heights[1]) + 1e-6
    names = {part.id: part.name for part in job.parts}
    for part in job.parts if "part" in kinds else ():
        layers = graph.known(PART_LAYERS, part, job)
        if layers is None:
            topology, placed = graph.get(TOPOLOGY, part.mesh, job, watch), graph.get(PLACED, part, job, watch)
            layers = _cut_part(topology, placed, job, _least_of(part, job), watch, between)
        bodies.append(_layered_body(_named_part(part, job), layers, plan))
    for support in job.supports if "support" in kinds else ():
        layers = graph.known(SUPPORT_LAYERS, support, job)
        if layers is None:
            layers = _cut_support(graph.get(STRUCTURE, support, job, watch).mesh, job, watch, between)
        bodies.append(_layered_body(_named_support(support, names[support.part_id]), layers, plan))
    for stack in (one for one in job.stacks if one.filling and "separator" in kinds):
        bodies += _layered_fillings(stack, graph.get(FILLING_LAYERS, stack, job, watch), plan)
    return tuple(bodies)


def paths_in_layer(
    graph: Graph, job: Job, number: int, kinds: frozenset[BodyKind], watch: Watch = UNWATCHED
) -> tuple[tuple[str, Paths], ...]:
    """What the machine follows in one layer of bodies of some kinds: of each its kind and its paths.

    Only the layers that these paths depend on are cut and laid, and no other kind of body. An outline that was selected
    is followed through all layers of its part. Empty in a vat, where a layer is exposed at once.
    """
    machine = job.machine
    if machine.process == "vat":
        return ()
    margin = Beads.of(job.constants, PART).shells if machine.process == "extrusion" else 0
    numbers = range(number - margin, number + margin + 1)
    followed = [part for part in job.parts if "part" in kinds and _follows_outlines(_part_laid_as(part, job))]
    for part in followed:
        graph.get(PART_LAYERS, part, job, watch)
    shown = []
    for body in bodies_between(graph, job, numbers, watch, kinds):
        near = body if _follows_outlines(body.laid_as) else body.between(numbers)
        place = near.place_of(number)
        if place is not None:
            paths = paths_of(near.layers, near.numbers, machine, job.constants, near.laid_as, watch=watch)
            shown.append((body.kind, paths.of_level(place)))
    return tuple(shown)


def _follows_outlines(laid_as: LaidAs) -> bool:
    return any(values.at is not None for values in laid_as.own)


LAYER_PROFILE: Node[Profile] = Node(
    "layer profile",
    "job",
    lambda reader: profile_of(reader.one(LAYERED_BODIES, 0.0, 0.9), _plan(reader.job)),
    ("job.layer_height", "job.first_layer"),
    lambda subject, job, near: ((LAYERED_BODIES, None),),
)


def _build(reader: Reader[LayeredBuild]) -> LayeredBuild:
    """Raises `EditError` where there are more layers than anybody builds."""
    job = reader.job
    return LayeredBuild(
        job.name, job.machine, job.material.id, job.constants, _plan(job),
        job.support_every, reader.one(LAYERED_BODIES), reader.one(ESTIMATE, 0.0, 1.0).assembly,
    )  # fmt: skip


LAYERED_BUILD: Node[LayeredBuild] = Node(
    "layered build", "job", _build, (*_WORK, "job.name", "job.support_every"),
    lambda subject, job, near: ((ESTIMATE, None), (LAYERED_BODIES, None)),
)  # fmt: skip


def _danger(reader: Reader[Danger]) -> Danger:
    profile = reader.one(LAYER_PROFILE, 0.0, 0.3)
    return danger_of(profile.tops, reader.each(GROWTH, 0.3, 1.0), reader.token)


DANGER: Node[Danger] = Node(
    "danger by height", "job", _danger, (),
    lambda subject, job, near: ((LAYER_PROFILE, None), *((GROWTH, part) for part in job.parts)),
    lambda subject, job, near: tuple(part.id for part in job.parts),
)  # fmt: skip

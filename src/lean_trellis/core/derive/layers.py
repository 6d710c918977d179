"""Nodes of layers: what each layer cuts of a part and of a support. Only what changed is cut again."""

from __future__ import annotations

from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader
from lean_trellis.core.derive.parts import PLACED, TOPOLOGY
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers import BodyLayers, LayerPlan, layered
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports.common.request import line_width


def _part_layers(reader: Reader[BodyLayers]) -> BodyLayers:
    """Raises `EditError` where there are more layers than anybody builds."""
    job = reader.job
    return layered(
        reader.one(TOPOLOGY),
        reader.one(PLACED).vertices,
        LayerPlan(job.layer_height, job.first_layer),
        job.machine.layer_normal,
        watch=reader.watch,
    )


def _on_the_part(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return (TOPOLOGY, part.mesh), (PLACED, part)


PART_LAYERS: Node[BodyLayers] = Node(
    "part layers",
    "part",
    _part_layers,
    ("part.mesh", "part.pose", "job.layer_height", "job.first_layer", "job.machine"),
    _on_the_part,
    is_local=True,
)


def _support_layers(reader: Reader[BodyLayers]) -> BodyLayers:
    """Raises `EditError` where there are more layers than anybody builds."""
    job, mesh = reader.job, reader.one(STRUCTURE, 0.0, 0.5).mesh
    return layered(
        build_topology(mesh),
        mesh.vertices,
        LayerPlan(job.layer_height, job.first_layer, job.support_every),
        job.machine.layer_normal,
        line_mm=line_width(job.constants),
        watch=reader.stretch(0.5, 1.0),
    )


SUPPORT_LAYERS: Node[BodyLayers] = Node(
    "support layers",
    "support",
    _support_layers,
    ("job.material", "job.machine", "job.layer_height", "job.surface", "job.first_layer", "job.support_every"),
    lambda support, job, near: ((STRUCTURE, support),),
)

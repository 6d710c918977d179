"""Nodes of meshes, parts and stacks."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from lean_trellis.core.checks.trapped import LEAST_MM3
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import CONSTANTS, Need, Node, Reader
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.health import MeshHealth, examine
from lean_trellis.core.mesh.hollows import AirCells, Cavity, air_cells, find_hollows
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.overhang.detect import Overhangs, detect
from lean_trellis.core.overhang.islands import Island, find_islands
from lean_trellis.core.overhang.pieces import Pieces, find_pieces
from lean_trellis.core.parts.filling import separator_under, spacer_between
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.parts.tilt import MainAxis, main_axis
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.outlines import shadow

_DETECTION = ("job.machine", "job.material.detection", "job.material.process")


def _topology(reader: Reader[Topology]) -> Topology:
    return build_topology(reader.subject)


def _health(reader: Reader[MeshHealth]) -> MeshHealth:
    return examine(reader.one(TOPOLOGY))


def _tree(reader: Reader[RayTree]) -> RayTree:
    return RayTree(reader.subject)


TOPOLOGY: Node[Topology] = Node("topology", "mesh", _topology, ("mesh.",), is_local=True)
HEALTH: Node[MeshHealth] = Node(
    "health", "mesh", _health, ("mesh.",), lambda mesh, job, near: ((TOPOLOGY, mesh),), is_local=True
)
TREE: Node[RayTree] = Node("tree", "mesh", _tree, ("mesh.",), is_local=True)


def _main_axis(reader: Reader[MainAxis]) -> MainAxis:
    return main_axis(reader.subject)


MAIN_AXIS: Node[MainAxis] = Node("main axis", "mesh", _main_axis, ("mesh.",), is_local=True)


def _placed(reader: Reader[Mesh]) -> Mesh:
    part: Part = reader.subject
    return part.placed


def _on_the_part(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return ((TOPOLOGY, part.mesh), (PLACED, part))


PLACED: Node[Mesh] = Node("placed", "part", _placed, ("part.mesh", "part.pose"), is_local=True)


def _overhangs(reader: Reader[Overhangs]) -> Overhangs:
    part, job = reader.subject, reader.job
    reader.watch.at(0, "finding overhangs")
    back = part.marks.taken_back
    factors = part.size.factors
    return detect(
        reader.one(TOPOLOGY),
        reader.one(PLACED),
        critical_angle=job.critical_angle(part),
        watch_angle=job.watch_angle(part),
        layer_normal=job.machine.layer_normal,
        hand=None if part.marks.hand is None else part.marks.hand.values,
        bridging=job.bridging_of(part),
        taken_back=part.pose.to_plate(part.mesh, np.array(back) * factors) if back else None,
        watch=reader.watch,
    )


OVERHANGS: Node[Overhangs] = Node(
    "overhangs",
    "part",
    _overhangs,
    ("part.mesh", "part.pose", "part.size", "part.critical_angle", "part.watch_angle", "part.detection",
     "part.marks.hand", "part.marks.taken_back", *_DETECTION),
    _on_the_part, is_local=True,
)  # fmt: skip


def _pieces(reader: Reader[Pieces]) -> Pieces:
    reader.watch.at(0.2, "sweeping for pieces")
    return find_pieces(reader.one(TOPOLOGY), reader.one(PLACED), reader.job.machine.layer_normal)


PIECES: Node[Pieces] = Node(
    "pieces", "part", _pieces, ("part.mesh", "part.pose", "job.machine"), _on_the_part, is_local=True
)


def _islands(reader: Reader[tuple[Island, ...]]) -> tuple[Island, ...]:
    reader.watch.at(0.2, "finding islands")
    normal = reader.job.machine.layer_normal
    topology, placed, pieces = reader.one(TOPOLOGY), reader.one(PLACED), reader.one(PIECES)
    return find_islands(topology, placed, reader.job.layer_height, layer_normal=normal, pieces=pieces)


ISLANDS: Node[tuple[Island, ...]] = Node(
    "islands",
    "part",
    _islands,
    ("part.mesh", "part.pose", "job.layer_height", "job.machine"),
    lambda part, job, near: (*_on_the_part(part, job, near), (PIECES, part)),
    is_local=True,
)  # fmt: skip


AIR_CELLS: Node[AirCells | None] = Node(
    "air round a part",
    "part",
    lambda reader: air_cells(reader.one(PLACED), reader.watch, reader.one(TOPOLOGY)),
    ("part.mesh", "part.pose"),
    _on_the_part,
    is_local=True,
)  # fmt: skip


def _hollows(reader: Reader[tuple[Cavity, ...]]) -> tuple[Cavity, ...]:
    cells = reader.one(AIR_CELLS, 0.0, 0.5)
    if cells is None:
        return ()
    least = constant_of(reader.job.constants, "least_way").value
    return find_hollows(cells, least, LEAST_MM3, reader.stretch(0.5, 1.0))


HOLLOWS: Node[tuple[Cavity, ...]] = Node(
    "hollows",
    "part",
    _hollows,
    CONSTANTS,
    lambda part, job, near: ((AIR_CELLS, part),),
)  # fmt: skip


def _shadow(reader: Reader[Shape]) -> Shape:
    return shadow(reader.one(PLACED))


def _obstacle(reader: Reader[Obstacle]) -> Obstacle:
    marks = reader.subject.marks.protected
    return Obstacle(reader.one(TREE), reader.subject.pose, reader.one(PLACED), None if marks is None else marks.values)


SHADOW: Node[Shape] = Node(
    "shadow", "part", _shadow, ("part.mesh", "part.pose"), lambda part, job, near: ((PLACED, part),), is_local=True
)
OBSTACLE: Node[Obstacle] = Node(
    "obstacle",
    "part",
    _obstacle,
    ("part.mesh", "part.pose", "part.marks.protected"),
    lambda part, job, near: ((TREE, part.mesh), (PLACED, part)),
    is_kept=False,
    is_local=True,
)  # fmt: skip


def _fillings(reader: Reader[tuple[Mesh, ...]]) -> tuple[Mesh, ...]:
    """The solids in a stack's gaps, from the bottom up. Raises `EditError` where a mesh bounds no solid."""
    placed = reader.each(PLACED)
    match reader.subject.filling:
        case Separator() as separator:
            return tuple(separator_under(upper, separator, reader.job.layer_height) for upper in placed[1:])
        case Spacer() as spacer:
            return tuple(spacer_between(lower, upper, spacer) for lower, upper in pairwise(placed))
    return ()


def _parts_of_stack(stack: Stack, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return tuple((PLACED, near.part(part_id)) for part_id in stack.parts)


FILLINGS: Node[tuple[Mesh, ...]] = Node(
    "fillings", "stack", _fillings, ("stack.filling", "job.layer_height"), _parts_of_stack
)

"""Nodes of supports: their structures, what these cover, the figures of their elements."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any

from lean_trellis.core.derive.content import content_of
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import CONSTANTS, Need, Node, Reader
from lean_trellis.core.derive.parts import OBSTACLE, OVERHANGS, SHADOW, TOPOLOGY
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.obstacle import Ground
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.request import Carried, Request, line_width
from lean_trellis.core.supports.common.spec import ExportWish, spec_for, spec_of
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support
from lean_trellis.core.supports.common.targets import chosen_regions

_SUPPORT = ("support.parameters", "support.target", "support.hand", "support.body")


def _request(reader: Reader[Any], parameters: FamilyParameters, number: int = 0) -> Request[Any]:
    """All that the structures of a support with some parameters follow from."""
    support, job = reader.subject, reader.job
    overhangs = reader.each(OVERHANGS, 0.0, 0.3)
    obstacles = tuple(reader.each(OBSTACLE))
    own, constants = obstacles[0], job.constants
    shadows = reader.each(SHADOW)
    return Request(
        reader.one(TOPOLOGY),
        overhangs[0],
        chosen_regions(support.target, own.pose, own.tree.mesh, overhangs[0]),
        parameters,
        job.layer_height,
        obstacles,
        Ground(job.machine),
        own.protected,
        support.hand,
        line_width(constants),
        constants,
        support.body,
        tuple(reader.each(SUPPORT_SHADOW, 0.3, 0.5)),
        tuple(reader.each(STRUCTURE, 0.5, 0.6)),
        number,
        tuple(Carried(*pair) for pair in zip(overhangs, shadows, strict=True)) if shadows else (),
    )


def _first_needs(support: Support, job: Job, near: Neighbours) -> tuple[Need, ...]:
    part = near.part(support.part_id)
    return (TOPOLOGY, part.mesh), (OVERHANGS, part), (OBSTACLE, part)


def _first_token(support: Support, job: Job, near: Neighbours) -> Hashable:
    step = spec_of(support).first_step
    is_protected = near.part(support.part_id).marks.protected is not None
    assert step is not None, "only families with a first step need it"
    return step.reduced(support.parameters, is_protected)


def _first_step(reader: Reader[Any]) -> Any:
    step = spec_for(reader.token).first_step
    assert step is not None, "only families with a first step need it"
    return step.make(_request(reader, reader.token))


FIRST_STEP: Node[Any] = Node(
    "first step",
    "support",
    _first_step,
    ("support.target", "support.hand", "support.body", *CONSTANTS),
    _first_needs,
    _first_token,
)


def _structure_needs(support: Support, job: Job, near: Neighbours) -> tuple[Need, ...]:
    spec, part = spec_of(support), near.part(support.part_id)
    needs: list[Need] = [(TOPOLOGY, part.mesh)]
    carried = [near.part(part_id) for part_id in support.parts]
    needs += [(OVERHANGS, some) for some in (carried if spec.is_ground else [part])]
    needs += [(OBSTACLE, some) for some in near.of_support(support)]
    needs += [(SHADOW, some) for some in carried if spec.is_ground]
    needs += [(SUPPORT_SHADOW, other) for other in spec.follows(support, job.supports)]
    needs += [(STRUCTURE, other) for other in spec.keeps_clear_of(support, job.supports)]
    if spec.first_step is not None:
        needs.append((FIRST_STEP, support))
    return tuple(needs)


def _structure(reader: Reader[Structure]) -> Structure:
    """Raises `ParameterError` where the values contradict the material or the part."""
    request = _request(reader, reader.subject.parameters, reader.token[1])
    spec = spec_for(request.parameters)
    if request.chosen or not spec.serves_regions or not request.hand.is_empty:
        low, high = request.overhangs.mesh.bounds[:, 2]
        spec.require(request.parameters, request.overhangs.critical_angle, float(high - low))
    known = reader.each(FIRST_STEP, 0.3, 0.4)
    made: Structure = spec.generate(request, known[0] if known else None, reader.stretch(0.4, 1.0))
    return made


def _family_token(support: Support, job: Job, near: Neighbours) -> tuple[type[FamilyParameters], int]:
    """Its family and form, and the number of its part where it shows that."""
    is_numbered = support.parameters.is_numbered
    number = 1 + [part.id for part in job.parts].index(support.part_id) if is_numbered else 0
    return type(support.parameters), number


STRUCTURE: Node[Structure] = Node(
    "structure", "support", _structure, (*_SUPPORT, *CONSTANTS), _structure_needs, _family_token, content=content_of
)


def _built_volume(reader: Reader[float]) -> float:
    """What a merged export of it holds, mm³: overlaps count once; sheets are as wide as their scan line."""
    made = reader.one(STRUCTURE, 0.0, 0.2)
    bodies = spec_for(reader.subject.parameters).export(made, "", ExportWish(united=False))
    if any(body.is_sheet for body in bodies):
        return made.volume_mm3
    return float(united([body.mesh for body in bodies], reader.stretch(0.2, 1.0)).volume)


BUILT_VOLUME: Node[float] = Node(
    "built volume",
    "support",
    _built_volume,
    ("support.parameters",),
    lambda support, job, near: ((STRUCTURE, support),),
)


def _support_shadow(reader: Reader[Shape]) -> Shape:
    structure = reader.one(STRUCTURE)
    return spec_for(reader.subject.parameters).shadow(structure)


SUPPORT_SHADOW: Node[Shape] = Node(
    "support shadow",
    "support",
    _support_shadow,
    ("support.parameters",),
    lambda support, job, near: ((STRUCTURE, support),),
)


def _request_of(reader: Reader[Request[Any]]) -> Request[Any]:
    return _request(reader, reader.subject.parameters, reader.token[1])


REQUEST: Node[Request[Any]] = Node(
    "request", "support", _request_of, (*_SUPPORT, *CONSTANTS), _structure_needs, _family_token, is_kept=False
)

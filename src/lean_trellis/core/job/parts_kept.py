"""Parts and parameter sets as files keep them, and back."""

from __future__ import annotations

from typing import Literal, cast

from lean_trellis.core.job.marks_kept import marks_kept, marks_of
from lean_trellis.core.job.schema import (
    DetectionKept,
    OriginKept,
    PartKept,
    PathValuesKept,
    PoseKept,
    SetKept,
    SizeKept,
    StageKept,
)
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import OwnDetection, Part
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.size import Size, Stage, sized
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.supports.common.spec import parameters_of


def part_kept(part: Part) -> PartKept:
    """A part as it is written; of its mesh the key."""
    return PartKept(
        id=part.id,
        name=part.name,
        mesh=part.nominal_mesh.key,
        pose=PoseKept(**vars(part.pose)),
        owner=part.owner,
        order=part.order,
        origin=OriginKept(**vars(part.origin)),
        size=SizeKept(scale=part.size.scale, stages=[StageKept(**vars(stage)) for stage in part.size.stages]),
        critical_angle=part.critical_angle,
        watch_angle=part.watch_angle,
        group=part.group,
        is_hidden=part.is_hidden,
        is_locked=part.is_locked,
        marks=marks_kept(part.marks),
        path_values=[PathValuesKept(**vars(values)) for values in part.path_values],
        detection=DetectionKept(**vars(part.detection)),
        thickens=part.thickens,
        lot=part.lot,
        load=part.load,
    )


def part_of(kept: PartKept, nominal: Mesh) -> Part:
    """The part that was written. Raises `EditError` where its marks are not those of its mesh."""
    size = Size(kept.size.scale, tuple(Stage(stage.name, stage.rates) for stage in kept.size.stages))
    return Part(
        id=kept.id,
        name=kept.name,
        mesh=sized(nominal, size),
        nominal=None if size.is_plain else nominal,
        size=size,
        pose=Pose(**dict(kept.pose)),
        owner=kept.owner,
        order=kept.order,
        origin=Origin(**dict(kept.origin)),
        critical_angle=kept.critical_angle,
        watch_angle=kept.watch_angle,
        group=kept.group,
        is_hidden=kept.is_hidden,
        is_locked=kept.is_locked,
        marks=marks_of(kept.marks, len(nominal.faces), kept.name),
        path_values=tuple(PathValues(**dict(values)) for values in kept.path_values),
        detection=OwnDetection(**dict(kept.detection)),
        thickens=kept.thickens,
        lot=kept.lot,
        load=kept.load,
    )


def set_kept(used: ParameterSet) -> SetKept:
    """A set as it is written."""
    return SetKept(
        id=used.name, title=used.title, version=used.version, owner=used.owner, process=used.process, note=used.note,
        family=used.family, form=used.parameters.form, parameters=used.parameters.model_dump(),
    )  # fmt: skip


def set_of(kept: SetKept) -> ParameterSet:
    """The set that was written. Raises `ParameterError` where its values are out of range."""
    process = cast("Process | Literal['any']", kept.process)
    parameters = parameters_of(kept.family, kept.form, kept.parameters)
    return ParameterSet(kept.id, kept.title, kept.version, kept.owner, process, kept.note, parameters)

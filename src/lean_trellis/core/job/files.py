"""Job files: a zip of `job.json` and each mesh once, as binary PLY named by its content's hash."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import (
    AccessError,
    FormatError,
    NewerFileError,
    ParameterError,
    UnknownNameError,
)
from lean_trellis.core.formats import ply
from lean_trellis.core.formats.archives import require_harmless
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import Matrix, Pose
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.library import Library
from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.parameters import validated
from lean_trellis.core.supports.support import RegionPick, Support

FORMAT = "lean-trellis-job"
VERSION = 1
SUFFIX = ".trellis"


class _Kept(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class _PoseKept(_Kept):
    rotation: Matrix
    x: float
    y: float
    build_offset: float = Field(ge=0)


class _PartKept(_Kept):
    id: str
    name: str
    mesh: str = Field(pattern="^[0-9a-f]{32}$")
    pose: _PoseKept
    owner: str = ""
    order: str = ""
    source: str = ""
    critical_angle: float | None = Field(None, ge=0, le=90)
    watch_angle: float | None = Field(None, ge=0, le=90)


class _PickKept(_Kept):
    kind: Literal["face", "edge", "point"]
    anchor_mm: tuple[float, float, float]


class _SupportKept(_Kept):
    id: str
    part_id: str
    family: Literal["bars"]
    set_name: str
    set_version: int
    parameters: dict[str, Any]
    target: list[_PickKept] | None = None


class JobFile(_Kept):
    """The schema of `job.json`."""

    format: Literal["lean-trellis-job"]
    version: int
    name: str
    machine: str
    material: str
    layer_height: float = Field(gt=0, le=5)
    parts: list[_PartKept]
    supports: list[_SupportKept]


def save_job(job: Job, path: Path, watch: Watch = UNWATCHED) -> None:
    """Write a job whole: written beside, flushed, moved in place. Raises `AccessError`."""
    with (
        written_whole(path) as file,
        zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive,
    ):
        archive.writestr("job.json", json.dumps(_as_kept(job).model_dump(), indent=1, ensure_ascii=False))
        meshes = {part.mesh.key: part.mesh for part in job.parts}
        for number, (key, mesh) in enumerate(meshes.items()):
            watch.at(number / len(meshes), f"saving {path.name}")
            archive.writestr(f"meshes/{key}.ply", ply.ply_bytes(mesh))


def _as_kept(job: Job) -> JobFile:
    return JobFile(
        format=FORMAT,
        version=VERSION,
        name=job.name,
        machine=job.machine.id,
        material=job.material.id,
        layer_height=job.layer_height,
        parts=[
            _PartKept(
                id=part.id,
                name=part.name,
                mesh=part.mesh.key,
                pose=_PoseKept(**vars(part.pose)),
                owner=part.owner,
                order=part.order,
                source=part.source,
                critical_angle=part.critical_angle,
                watch_angle=part.watch_angle,
            )
            for part in job.parts
        ],
        supports=[
            _SupportKept(
                id=support.id,
                part_id=support.part_id,
                family=support.family,
                set_name=support.set_name,
                set_version=support.set_version,
                parameters=support.parameters.model_dump(),
                target=None if support.target is None else [_PickKept(**vars(pick)) for pick in support.target],
            )
            for support in job.supports
        ],
    )


def open_job(path: Path, library: Library, watch: Watch = UNWATCHED) -> Job:
    """Read a job. Raises `AccessError`, `FormatError` or `NewerFileError` with what to try."""
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as archive:
            require_harmless(path, archive)
            kept = _checked(path, json.loads(archive.read("job.json")))
            meshes = _read_meshes(path, archive, {part.mesh for part in kept.parts}, watch)
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except (zipfile.BadZipFile, KeyError, ValueError, NotImplementedError, RuntimeError, EOFError):
        raise FormatError(path, "is no job file, or a damaged one", "open another copy of it") from None
    return _as_job(path, kept, meshes, library)


def _checked(path: Path, content: Any) -> JobFile:
    if not isinstance(content, dict) or content.get("format") != FORMAT:
        raise FormatError(path, "is no job file", f"open a file ending in {SUFFIX}")
    version = content.get("version")
    if isinstance(version, int) and version > VERSION:
        raise NewerFileError(
            path, f"was saved by a newer version (file version {version}, this one reads up to {VERSION})",
            "update the program, or save the job there in an older form",
        )  # fmt: skip
    try:
        return JobFile.model_validate(content)
    except ValidationError as problem:
        fault = problem.errors()[0]
        where = ".".join(str(step) for step in fault["loc"])
        raise FormatError(path, f"holds a wrong value at {where} ({fault['msg']})", "open another copy") from None


def _read_meshes(path: Path, archive: zipfile.ZipFile, keys: set[str], watch: Watch) -> dict[str, Mesh]:
    meshes = {}
    for number, key in enumerate(sorted(keys)):
        watch.at(number / len(keys), f"reading {path.name}")
        raw = archive.read(f"meshes/{key}.ply")
        mesh, _ = ply.read_stream(io.BytesIO(raw), path, len(raw))
        if mesh.key != key:
            raise FormatError(path, "holds a mesh that was changed or damaged", "open another copy of it")
        meshes[key] = mesh
    return meshes


def _as_job(path: Path, kept: JobFile, meshes: dict[str, Mesh], library: Library) -> Job:
    try:
        machine, material = library.machine(kept.machine), library.material(kept.material)
        supports = tuple(_support(support) for support in kept.supports)
    except (UnknownNameError, ParameterError) as problem:
        raise FormatError(path, f"{problem.subject!r}: {problem.what}", problem.cure) from None
    parts = tuple(
        Part(
            id=part.id,
            name=part.name,
            mesh=meshes[part.mesh],
            pose=Pose(part.pose.rotation, part.pose.x, part.pose.y, part.pose.build_offset),
            owner=part.owner,
            order=part.order,
            source=part.source,
            critical_angle=part.critical_angle,
            watch_angle=part.watch_angle,
        )
        for part in kept.parts
    )
    known = {part.id for part in parts}
    if any(support.part_id not in known for support in supports):
        raise FormatError(path, "holds a support for a part that is not there", "open another copy of it")
    return Job(kept.name, machine, material, kept.layer_height, parts, supports)


def _support(kept: _SupportKept) -> Support:
    parameters = validated(BarParameters, kept.parameters)
    assert isinstance(parameters, BarParameters)
    target = None if kept.target is None else tuple(RegionPick(pick.kind, pick.anchor_mm) for pick in kept.target)
    return Support(kept.id, kept.part_id, parameters, kept.set_name, kept.set_version, target, kept.family)

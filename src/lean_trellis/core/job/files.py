"""Job files: a zip of `job.json` and each mesh once, as binary PLY named by its content's hash."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import (
    AccessError,
    EditError,
    FormatError,
    NewerFileError,
    ParameterError,
    UnknownNameError,
)
from lean_trellis.core.formats import ply
from lean_trellis.core.formats.archives import DAMAGED_ZIP, member, require_harmless
from lean_trellis.core.heavy import heavy
from lean_trellis.core.job.job import Job, Trial
from lean_trellis.core.job.migrations import migrated
from lean_trellis.core.job.parts_kept import part_kept, part_of, set_kept, set_of
from lean_trellis.core.job.released import BoardLink, Released
from lean_trellis.core.job.schema import (
    FORMAT,
    VERSION,
    JobFile,
    LinkKept,
    ReleasedKept,
    SpacerKept,
    TrialKept,
    WaiverKept,
)
from lean_trellis.core.job.stacks_kept import stack_kept, stack_of
from lean_trellis.core.job.supports_kept import support_kept, support_of
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.stacking import Separator, Spacer
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material

SUFFIX = ".trellis"
JOB_MEMBER = "job.json"


@heavy
def save_job(job: Job, path: Path, watch: Watch = UNWATCHED) -> None:
    """Write a job whole: written beside, flushed, moved in place. Raises `AccessError`."""
    with (
        written_whole(path) as file,
        zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive,
    ):
        archive.writestr(member(archive, JOB_MEMBER), job_text(job))
        meshes = meshes_of(job)
        for number, (key, mesh) in enumerate(meshes.items()):
            watch.at(number / len(meshes), f"saving {path.name}")
            archive.writestr(member(archive, mesh_member(key)), ply.ply_bytes(mesh))


def job_text(job: Job) -> str:
    """The `job.json` of a job."""
    return json.dumps(_as_kept(job).model_dump(), indent=1, ensure_ascii=False)


def mesh_member(key: str) -> str:
    """Where a job file keeps the mesh of a key."""
    return f"meshes/{key}.ply"


def meshes_of(job: Job) -> dict[str, Mesh]:
    """Every mesh that a job keeps, by its key."""
    spacers = [stack.filling.mesh for stack in job.stacks if isinstance(stack.filling, Spacer)]
    bodies = [support.body for support in job.supports if support.body is not None]
    own = {mesh.key: mesh for mesh in [part.nominal_mesh for part in job.parts] + spacers + bodies}
    return own | {key: mesh for trial in job.trials for key, mesh in meshes_of(trial.job).items()}


def _as_kept(job: Job) -> JobFile:
    return JobFile(
        format=FORMAT,
        version=VERSION,
        name=job.name,
        machine=job.machine.id,
        material=job.material.id,
        layer_height=job.layer_height,
        parts=[part_kept(part) for part in job.parts],
        supports=[support_kept(support) for support in job.supports],
        stacks=[stack_kept(stack) for stack in job.stacks],
        lot=job.lot,
        surface=job.surface,
        fitting=job.fitting,
        machine_values=job.machine.model_dump(mode="json"),
        material_values=job.material.model_dump(mode="json"),
        further_materials=_further_materials(job),
        sets=[set_kept(one) for one in job.sets],
        released=None if job.released is None else ReleasedKept(**vars(job.released)),
        first_layer=job.first_layer,
        support_every=job.support_every,
        mode=job.mode,
        loaded_grams=job.loaded_grams,
        due=job.due,
        waivers=[WaiverKept(**vars(waiver)) for waiver in job.waivers],
        link=None if job.link is None else LinkKept(**{**vars(job.link), "parts": list(job.link.parts)}),
        trials=[TrialKept(name=trial.name, job=_as_kept(trial.job)) for trial in job.trials],
    )


def _further_materials(job: Job) -> dict[str, dict[str, Any]]:
    """The materials of separators, where they are not the job's own."""
    separators = [stack.filling for stack in job.stacks if isinstance(stack.filling, Separator)]
    others = [one.material for one in separators if one.material.id != job.material.id]
    return {one.id: one.model_dump(mode="json") for one in others}


@heavy
def open_job(path: Path, library: Library, watch: Watch = UNWATCHED) -> Job:
    """Read a job. Raises `AccessError`, `FormatError` or `NewerFileError` with what to try."""
    path = Path(path)
    try:
        with zipfile.ZipFile(path) as archive:
            require_harmless(path, archive)
            return read_job(path, archive.read, library, watch)
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except DAMAGED_ZIP:
        raise _damaged(path) from None


def read_job(path: Path, read: Callable[[str], bytes], library: Library, watch: Watch = UNWATCHED) -> Job:
    """The job whose members `read` gives by name, as `save_job` writes them; `path` is named in messages.

    Raises `FormatError` or `NewerFileError`.
    """
    try:
        content = json.loads(read(JOB_MEMBER))
    except (KeyError, ValueError, RecursionError):
        raise _damaged(path) from None
    kept = _checked(path, content)
    try:
        meshes = _read_meshes(path, read, _mesh_keys(kept), watch)
    except KeyError:
        raise FormatError(path, "lacks the mesh of a part", "open another copy of it") from None
    return _as_job(path, kept, meshes, library)


def _damaged(path: Path) -> FormatError:
    return FormatError(path, "is no job file, or a damaged one", "open another copy of it")


def _checked(path: Path, content: Any) -> JobFile:
    if not isinstance(content, dict) or content.get("format") != FORMAT:
        raise FormatError(path, "is no job file", f"open a file ending in {SUFFIX}")
    version = content.get("version")
    if isinstance(version, int) and version > VERSION:
        raise NewerFileError(
            path, f"was saved by a newer version (file version {version}, this one reads up to {VERSION})",
            "update the program, or save the job there in an older form",
        )  # fmt: skip
    if not isinstance(version, int) or version < 1:
        raise FormatError(path, "names no version", "open another copy of it")
    try:
        return JobFile.model_validate(migrated(content, version, VERSION))
    except ValidationError as problem:
        fault = problem.errors()[0]
        where = ".".join(str(step) for step in fault["loc"])
        raise FormatError(path, f"holds a wrong value at {where} ({fault['msg']})", "open another copy") from None


def _mesh_keys(kept: JobFile) -> set[str]:
    spacers = {stack.filling.mesh for stack in kept.stacks if isinstance(stack.filling, SpacerKept)}
    bodies = {support.body for support in kept.supports if support.body is not None}
    of_trials = {key for trial in kept.trials for key in _mesh_keys(trial.job)}
    return {part.mesh for part in kept.parts} | spacers | bodies | of_trials


def _read_meshes(path: Path, read: Callable[[str], bytes], keys: set[str], watch: Watch) -> dict[str, Mesh]:
    meshes = {}
    for number, key in enumerate(sorted(keys)):
        watch.at(number / len(keys), f"reading {path.name}")
        raw = read(mesh_member(key))
        mesh, _ = ply.read_stream(io.BytesIO(raw), path, len(raw))
        if mesh.key != key:
            raise FormatError(path, "holds a mesh that was changed or damaged", "open another copy of it")
        meshes[key] = mesh
    return meshes


def _as_job(path: Path, kept: JobFile, meshes: dict[str, Mesh], library: Library) -> Job:
    try:
        machine = (
            library.machine(kept.machine)
            if kept.machine_values is None
            else Machine.model_validate(kept.machine_values)
        )
        material = _material(kept.material, {kept.material: kept.material_values}, library)
        materials = {kept.material: kept.material_values, **kept.further_materials}
        parts = tuple(part_of(part, meshes[part.mesh]) for part in kept.parts)
        supports = tuple(support_of(support, meshes) for support in kept.supports)
        stacks = tuple(
            stack_of(stack, meshes, lambda name: _material(name, materials, library)) for stack in kept.stacks
        )
        sets = tuple(set_of(one) for one in kept.sets)
    except ValidationError as problem:
        raise FormatError(path, f"holds a machine or material that is none ({problem.errors()[0]['msg']})",
                          "open another copy of it") from None  # fmt: skip
    except (UnknownNameError, ParameterError, EditError) as problem:
        raise FormatError(path, f"{problem.subject!r}: {problem.what}", problem.cure) from None
    known = {part.id for part in parts}
    if not {part for support in supports for part in support.parts} <= known:
        raise FormatError(path, "holds a support for a part that is not there", "open another copy of it")
    if not {part for stack in stacks for part in stack.parts} <= known:
        raise FormatError(path, "holds a stack of a part that is not there", "open another copy of it")
    if any(trial.job.trials for trial in kept.trials):
        raise FormatError(path, "holds trials within a trial", "open another copy of it")
    trials = tuple(Trial(trial.name, _as_job(path, trial.job, meshes, library)) for trial in kept.trials)
    return Job(kept.name, machine, material, kept.layer_height, parts, supports, stacks, kept.lot, kept.surface,
               kept.fitting, sets, _released(kept.released), kept.first_layer, kept.support_every, trials, kept.mode,
               kept.loaded_grams, kept.due, tuple(Waiver(**dict(waiver)) for waiver in kept.waivers),
               _link(kept.link))  # fmt: skip


def _released(kept: ReleasedKept | None) -> Released | None:
    return None if kept is None else Released(**dict(kept))


def _link(kept: LinkKept | None) -> BoardLink | None:
    return None if kept is None else BoardLink(kept.build_id, tuple(kept.parts), kept.settings)


def _material(name: str, values: Mapping[str, dict[str, Any] | None], library: Library) -> Material:
    """A material as the job holds it; the library's where the job is older and holds none."""
    own = values.get(name)
    return library.material(name) if own is None else Material.model_validate(own)

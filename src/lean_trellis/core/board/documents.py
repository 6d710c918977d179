"""What a row of the board holds: a part with its supports, sets and waivers as text; a build's settings; meshes by key.

Parts have ids of their own there, so that rows of several programs never meet under one.
"""

from __future__ import annotations

import hashlib
import json
import re
import secrets
from collections.abc import Mapping
from dataclasses import replace

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.errors import FormatError
from lean_trellis.core.job.files import job_text, meshes_of
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.parts_kept import part_kept, part_of, set_kept, set_of
from lean_trellis.core.job.schema import PartKept, SetKept, SupportKept, WaiverKept
from lean_trellis.core.job.supports_kept import support_kept, support_of
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.support import Support

_OWN_ID = re.compile(r"p-[0-9a-f]{16}")
_SETTINGS_LEAVE = ("parts", "supports", "trials", "sets", "waivers", "link", "released", "stacks")


class PartDocument(BaseModel):
    """A part with all that belongs to it alone."""

    model_config = ConfigDict(extra="forbid")

    version: int = Field(1, ge=1, le=1)
    part: PartKept
    supports: list[SupportKept] = []
    sets: list[SetKept] = []
    waivers: list[WaiverKept] = []


def with_own_ids(job: Job) -> Job:
    """The same job in which every part, and every support, has an id that no other job gives."""
    names = {part.id: part.id if _OWN_ID.fullmatch(part.id) else f"p-{secrets.token_hex(8)}" for part in job.parts}
    if all(old == new for old, new in names.items()):
        return job
    held = {one.id: one.id if names[one.part_id] == one.part_id else f"s-{secrets.token_hex(8)}"
            for one in job.supports}  # fmt: skip

    def renamed(one: Support) -> Support:
        others = tuple(names[other] for other in one.others)
        return replace(one, id=held[one.id], part_id=names[one.part_id], others=others)

    return replace(
        job,
        parts=tuple(replace(part, id=names[part.id]) for part in job.parts),
        supports=tuple(renamed(one) for one in job.supports),
        stacks=tuple(replace(stack, parts=tuple(names[one] for one in stack.parts)) for stack in job.stacks),
        waivers=tuple(replace(one, part_id=names.get(one.part_id, one.part_id)) for one in job.waivers),
        trials=(),
    )  # fmt: skip


def part_document(job: Job, part_id: str) -> str:
    """A part as text; the same text for the same part."""
    supports = job.supports_of(part_id)
    used = {(one.set_name, one.set_version) for one in supports}
    return PartDocument(
        version=1, part=part_kept(job.part(part_id)), supports=[support_kept(one) for one in supports],
        sets=[set_kept(one) for one in job.sets if (one.name, one.version) in used],
        waivers=[WaiverKept(**vars(one)) for one in job.waivers if one.part_id == part_id],
    ).model_dump_json()  # fmt: skip


def settings_document(job: Job) -> str:
    """What a build is made with, parts and what belongs to them left out; as a job file has it."""
    content = json.loads(job_text(replace(job, parts=(), supports=(), trials=(), waivers=(), link=None, released=None,
                                          sets=(), stacks=())))  # fmt: skip
    return json.dumps(content, ensure_ascii=False)


def digest_of(document: str) -> str:
    """A short name of a text's content."""
    return hashlib.sha256(document.encode()).hexdigest()[:32]


def read_document(text: str, where: str) -> PartDocument:
    """The part of a row. Raises `FormatError` where it is none, or a newer program's."""
    try:
        return PartDocument.model_validate_json(text)
    except ValidationError as problem:
        fault = problem.errors()[0]
        place = ".".join(str(step) for step in fault["loc"])
        words = f"holds a part that this version cannot read ({place}: {fault['msg']})"
        raise FormatError(where, words, "update the program") from None


def mesh_keys(document: PartDocument) -> set[str]:
    """The meshes that a part needs."""
    return {document.part.mesh, *(one.body for one in document.supports if one.body is not None)}


def meshes_of_part(job: Job, part_id: str) -> dict[str, Mesh]:
    """The meshes of one part and its supports, by their keys."""
    return meshes_of(replace(job, parts=(job.part(part_id),), supports=job.supports_of(part_id), stacks=(), trials=()))


def with_part_of(job: Job, document: PartDocument, meshes: Mapping[str, Mesh]) -> Job:
    """The job with a part as a row has it: in place of the one of that id, or after the others."""
    part = part_of(document.part, meshes[document.part.mesh])
    supports = tuple(support_of(one, meshes) for one in document.supports)
    there = any(one.id == part.id for one in job.parts)
    parts = tuple(part if one.id == part.id else one for one in job.parts) if there else (*job.parts, part)
    known = {(one.name, one.version) for one in job.sets}
    sets = tuple(one for kept in document.sets if (one := set_of(kept)) and (one.name, one.version) not in known)
    return replace(
        job, parts=parts, supports=_in_place(job.supports, supports, part.id), sets=(*job.sets, *sets),
        waivers=(*(one for one in job.waivers if one.part_id != part.id),
                 *(Waiver(**dict(one)) for one in document.waivers)),
    )  # fmt: skip


def _in_place(supports: tuple[Support, ...], new: tuple[Support, ...], part_id: str) -> tuple[Support, ...]:
    """Supports with those of one part replaced, at the place of its first one."""
    first = next((n for n, one in enumerate(supports) if one.part_id == part_id), len(supports))
    before = [one for one in supports[:first] if one.part_id != part_id]
    after = [one for one in supports[first:] if one.part_id != part_id]
    return (*before, *new, *after)

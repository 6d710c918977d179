"""What a row of the board holds: a part with all that is its own as text; a build's settings; meshes by key.

A stack goes with its lowest part. Parts have ids of their own there: rows of several programs never meet under one.
"""

from __future__ import annotations

import hashlib
import json
import re
import secrets
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import partial

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.errors import FormatError
from lean_trellis.core.job.files import job_text, meshes_of
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.parts_kept import part_kept, part_of, set_kept, set_of
from lean_trellis.core.job.schema import PartKept, SetKept, SpacerKept, StackKept, SupportKept, WaiverKept
from lean_trellis.core.job.stacks_kept import stack_kept, stack_of
from lean_trellis.core.job.supports_kept import support_kept, support_of
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.stacking import Separator, Stack
from lean_trellis.core.shop.material import Material
from lean_trellis.core.supports.common.support import Support

_OWN_ID = re.compile(r"[pks]-[0-9a-f]{16}")
_SETTINGS_LEAVE = ("parts", "supports", "trials", "sets", "waivers", "link", "released", "stacks")


class PartDocument(BaseModel):
    """A part with all that belongs to it alone."""

    model_config = ConfigDict(extra="forbid")

    version: int = Field(1, ge=1, le=1)
    part: PartKept
    supports: list[SupportKept] = []
    sets: list[SetKept] = []
    waivers: list[WaiverKept] = []
    stack: StackKept | None = None
    """Of the lowest part of a stack: the stack."""
    separator: Material | None = None
    """The material that the stack's separators are of."""


def with_own_ids(job: Job) -> Job:
    """The same job, and its trials, in which every part, support and stack has an id that no other job gives."""
    return _renamed(job, {})


def _renamed(job: Job, names: dict[str, str]) -> Job:
    """Under ids of its own; `names` are those already given, so that a part is the same one in every trial."""

    def own(letter: str, name: str) -> str:
        fixed = name if _OWN_ID.fullmatch(name) else f"{letter}-{secrets.token_hex(8)}"
        return names.setdefault(name, fixed)

    parts = tuple(replace(part, id=own("p", part.id)) for part in job.parts)
    supports = tuple(
        replace(one, id=own("s", one.id), part_id=own("p", one.part_id),
                others=tuple(own("p", other) for other in one.others))
        for one in job.supports
    )  # fmt: skip
    return replace(
        job, parts=parts, supports=supports,
        stacks=tuple(replace(stack, id=own("k", stack.id), parts=tuple(own("p", one) for one in stack.parts))
                     for stack in job.stacks),
        waivers=tuple(replace(one, part_id=names.get(one.part_id, one.part_id)) for one in job.waivers),
        trials=tuple(replace(trial, job=_renamed(trial.job, names)) for trial in job.trials),
    )  # fmt: skip


def _stack_on(job: Job, part_id: str) -> Stack | None:
    """The stack that stands on a part."""
    return next((stack for stack in job.stacks if stack.parts[0] == part_id), None)


def part_document(job: Job, part_id: str) -> str:
    """A part as text; the same text for the same part."""
    supports, stack = job.supports_of(part_id), _stack_on(job, part_id)
    separator = None if stack is None or not isinstance(stack.filling, Separator) else stack.filling.material
    used = {(one.set_name, one.set_version) for one in supports}
    return PartDocument(
        version=1, part=part_kept(job.part(part_id)), supports=[support_kept(one) for one in supports],
        sets=[set_kept(one) for one in job.sets if (one.name, one.version) in used],
        waivers=[WaiverKept(**vars(one)) for one in job.waivers if one.part_id == part_id],
        stack=None if stack is None else stack_kept(stack),
        separator=separator,
    ).model_dump_json(exclude={"stack", "separator"} if stack is None else None)  # fmt: skip


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
    filling = None if document.stack is None else document.stack.filling
    spacers = {filling.mesh} if isinstance(filling, SpacerKept) else set()
    return {document.part.mesh, *(one.body for one in document.supports if one.body is not None), *spacers}


def meshes_of_part(job: Job, part_id: str) -> dict[str, Mesh]:
    """The meshes of one part, its supports and the stack on it, by their keys."""
    stack = _stack_on(job, part_id)
    return meshes_of(replace(job, parts=(job.part(part_id),), supports=job.supports_of(part_id),
                             stacks=() if stack is None else (stack,), trials=()))  # fmt: skip


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


def _separator(document: PartDocument, name: str) -> Material:
    """The material of a stack's separators, as its row has it. Raises `FormatError` where it has none."""
    if document.separator is None:
        words = f"stands on the board in a stack with separators of {name}, without that material"
        raise FormatError(document.part.name, words, "put the stack on the board anew")
    return document.separator


def with_stacks_of(job: Job, documents: Iterable[PartDocument], meshes: Mapping[str, Mesh]) -> Job:
    """The job with the stacks that stand on parts as their rows have them, once all parts are there.

    A stack of a part that is not there, or that is in another stack, is left out.
    """
    documents = list(documents)
    lowest = {document.part.id for document in documents}
    stacks = [stack for stack in job.stacks if stack.parts[0] not in lowest]
    for document in documents:
        if document.stack is None:
            continue
        new = stack_of(document.stack, meshes, partial(_separator, document))
        stacked = {part_id for stack in stacks for part_id in stack.parts}
        if {part.id for part in job.parts}.issuperset(new.parts) and stacked.isdisjoint(new.parts):
            stacks.append(new)
    return replace(job, stacks=tuple(stacks))


def _in_place(supports: tuple[Support, ...], new: tuple[Support, ...], part_id: str) -> tuple[Support, ...]:
    """Supports with those of one part replaced, at the place of its first one."""
    first = next((n for n, one in enumerate(supports) if one.part_id == part_id), len(supports))
    before = [one for one in supports[:first] if one.part_id != part_id]
    after = [one for one in supports[first:] if one.part_id != part_id]
    return (*before, *new, *after)

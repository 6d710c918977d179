"""A job and its build on the board brought together: changed parts are sent, others' are fetched.

Only edits of the same part conflict. Nobody's work is overwritten: where a part, or the settings, were changed on both
sides, neither is touched, and both are shown; whoever decides says which stays.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from sqlalchemy import Connection, RowMapping, insert, select, update

from lean_trellis.core.board.board import Board, find_build, next_place, row_of, stamp
from lean_trellis.core.board.documents import (
    PartDocument,
    digest_of,
    mesh_keys,
    meshes_of_part,
    part_document,
    read_document,
    settings_document,
    with_own_ids,
    with_part_of,
    with_stacks_of,
)
from lean_trellis.core.board.rows import BoardBuild, BoardPart
from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.job.edits.parts import remove_parts
from lean_trellis.core.job.files import read_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.released import BoardLink
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.store.tables import BUILD_PARTS, BUILDS

SETTINGS = "settings"
"""The name under which the settings of a build are decided upon, beside the ids of parts."""
Choice = Literal["mine", "theirs"]


@dataclass(frozen=True)
class Conflict:
    """Something that was changed on both sides: a part by its id, or the settings. `who` changed it on the board."""

    id: str
    name: str
    mine: str
    theirs: str
    who: str


@dataclass(frozen=True)
class Synced:
    """The job as it is now, what was sent and fetched (names), and what has to be decided."""

    job: Job
    sent: tuple[str, ...] = ()
    fetched: tuple[str, ...] = ()
    removed: tuple[str, ...] = ()
    conflicts: tuple[Conflict, ...] = ()


@dataclass
class _Round:
    """One bringing together: what of each side is what, collected before anything is fetched."""

    job: Job
    documents: dict[str, str]
    base: dict[str, tuple[int, str]]
    choices: Mapping[str, Choice]
    agreed: dict[str, tuple[int, str]]
    sent: list[str]
    fetch: dict[str, tuple[int, str]]
    drop: list[str]
    conflicts: list[Conflict]


def put_on_board(job: Job, board: Board, name: str = "", watch: Watch = UNWATCHED) -> Synced:
    """Put a job on the board as a new build. Raises `EditError` where it belongs to one already."""
    _require_unreleased(job)
    if job.link is not None:
        raise EditError(job.name, "belongs to a build of the board already", "bring it up to date instead")
    job = with_own_ids(replace(job, name=name or job.name))
    build_id = f"b-{secrets.token_hex(8)}"
    settings = settings_document(job)
    with board.writing() as connection:
        connection.execute(insert(BUILDS).values(
            id=build_id, name=job.name, state="open", machine=job.machine.id, material=job.material.id, due=job.due,
            revision=1, settings=settings, released="", actual_seconds=None, **stamp(),
        ))  # fmt: skip
    return synced(replace(job, link=BoardLink(build_id, (), (1, digest_of(settings)))), board, watch=watch)


def open_from_board(board: Board, build_id: str, library: Library, watch: Watch = UNWATCHED) -> Job:
    """The job of a build, linked with it."""
    build = board.build(build_id)
    if not build.settings:
        raise EditError(build.name, "is no build but a list of parts", "take parts of it into a build")
    content = json.loads(build.settings)
    empty = read_job(Path(build.name), lambda _: json.dumps(content).encode(), library)
    link = BoardLink(build.id, (), (build.revision, digest_of(build.settings)))
    return synced(replace(empty, name=build.name, link=link), board, watch=watch).job


def synced(job: Job, board: Board, *, choices: Mapping[str, Choice] | None = None, watch: Watch = UNWATCHED) -> Synced:
    """Bring a job and its build together. `choices` decide on conflicts by id, or `settings`.

    Raises `EditError` where the job is no longer on the board or has been released, `StoreError` without a library.
    """
    if job.link is None:
        raise EditError(job.name, "is not on the board", "put it there first")
    _require_unreleased(job)
    job = with_own_ids(job)
    assert job.link is not None
    documents = {part.id: part_document(job, part.id) for part in job.parts}
    base = {part_id: (revision, digest) for part_id, revision, digest in job.link.parts}
    changed = [one for one, text in documents.items() if base.get(one, (0, ""))[1] != digest_of(text)]
    watch.at(0.1, "sending what changed")
    board.put_meshes({key: mesh for part_id in changed for key, mesh in meshes_of_part(job, part_id).items()})
    turn = _Round(job, documents, base, choices or {}, {}, [], {}, [], [])
    with board.writing(job.link.build_id) as connection:
        try:
            build = find_build(connection, job.link.build_id)
        except UnknownNameError:
            raise EditError(job.name, "is no longer on the board", "put it there anew") from None
        rows = {row["id"]: row for row in connection.execute(
            select(BUILD_PARTS).where(BUILD_PARTS.c.build == build.id).order_by(BUILD_PARTS.c.place)
        ).mappings()}  # fmt: skip
        settings, job_settings = _settle_settings(connection, turn, build)
        for part in job.parts:
            _settle_part(connection, turn, build, part.id, part.name, rows.get(part.id))
        for part_id, row in rows.items():
            if part_id not in documents:
                _settle_other(connection, turn, build, part_id, row)
    watch.at(0.5, "fetching what others changed")
    made = _with_fetched(job_settings, turn, board, build.name)
    agreed = tuple((part_id, *turn.agreed[part_id]) for part_id in sorted(turn.agreed))
    made = replace(made, link=BoardLink(build.id, agreed, settings))
    names = {part_id: str(row["name"]) for part_id, row in rows.items()}
    names |= {part.id: part.name for part in (*job.parts, *made.parts)}
    return Synced(
        made, tuple(names[one] for one in turn.sent), tuple(names[one] for one in turn.fetch),
        tuple(names[one] for one in turn.drop), tuple(turn.conflicts),
    )  # fmt: skip


def _settle_settings(connection: Connection, turn: _Round, build: BoardBuild) -> tuple[tuple[int, str], Job]:
    """Which settings hold: revision and digest of what was agreed on, and the job with them."""
    job = turn.job
    assert job.link is not None
    mine, (revision, digest) = settings_document(job), job.link.settings
    is_mine, is_theirs = digest_of(mine) != digest, build.revision != revision
    choice = turn.choices.get(SETTINGS)
    if mine == build.settings:
        return (build.revision, digest_of(mine)), job
    if is_mine and is_theirs and choice is None:
        turn.conflicts.append(Conflict(SETTINGS, "settings of the build", mine, build.settings, build.who))
        return (revision, digest), job
    if is_theirs and choice != "mine":
        there = read_job(Path(build.name), lambda _: build.settings.encode(), Library())  # it holds its own
        kept = replace(there, parts=job.parts, supports=job.supports, stacks=job.stacks, sets=job.sets,
                       waivers=job.waivers, trials=job.trials, link=job.link)  # fmt: skip
        return (build.revision, digest_of(build.settings)), kept
    if not is_mine and choice is None:
        return (revision, digest), job
    values = {"revision": build.revision + 1, "settings": mine, "name": job.name, "machine": job.machine.id,
              "material": job.material.id, "due": job.due, **stamp()}  # fmt: skip
    connection.execute(update(BUILDS).where(BUILDS.c.id == build.id).values(values))
    return (build.revision + 1, digest_of(mine)), job


def _settle_part(
    connection: Connection, turn: _Round, build: BoardBuild, part_id: str, name: str, row: RowMapping | None
) -> None:
    """A part that the job has."""
    mine = turn.documents[part_id]
    base = turn.base.get(part_id)
    if row is None:
        _write(connection, turn, build, part_id, 1, is_new=True)
        return
    revision, theirs, is_gone = int(str(row["revision"])), str(row["document"]), bool(row["is_gone"])
    is_mine = base is None or base[1] != digest_of(mine)
    is_theirs = base is None or base[0] != revision
    choice = turn.choices.get(part_id)
    if not is_gone and mine == theirs:
        turn.agreed[part_id] = (revision, digest_of(mine))
    elif is_mine and is_theirs and choice is None:
        turn.conflicts.append(Conflict(part_id, name, mine, "" if is_gone else theirs, str(row["who"])))
        if base is not None:
            turn.agreed[part_id] = base
    elif is_theirs and choice != "mine":
        if is_gone:
            turn.drop.append(part_id)
        else:
            turn.fetch[part_id] = (revision, theirs)
    elif is_mine or choice == "mine":
        _write(connection, turn, build, part_id, revision + 1, is_new=False)
    else:
        assert base is not None
        turn.agreed[part_id] = base


def _settle_other(connection: Connection, turn: _Round, build: BoardBuild, part_id: str, row: RowMapping) -> None:
    """A part that the job does not have: new on the board, or removed here."""
    revision, is_gone, base = int(str(row["revision"])), bool(row["is_gone"]), turn.base.get(part_id)
    if is_gone:
        return
    if base is None:
        turn.fetch[part_id] = (revision, str(row["document"]))
        return
    choice = turn.choices.get(part_id)
    if base[0] != revision and choice is None:
        turn.conflicts.append(Conflict(part_id, str(row["name"]), "", str(row["document"]), str(row["who"])))
        turn.agreed[part_id] = base
    elif choice == "theirs":
        turn.fetch[part_id] = (revision, str(row["document"]))
    else:
        values = {"is_gone": True, "revision": revision + 1, **stamp()}
        connection.execute(update(BUILD_PARTS).where(row_of(build.id, part_id)).values(values))
        turn.sent.append(part_id)


def _write(
    connection: Connection, turn: _Round, build: BoardBuild, part_id: str, revision: int, *, is_new: bool
) -> None:
    part, text = turn.job.part(part_id), turn.documents[part_id]
    values = {
        "revision": revision, "is_gone": False, "name": part.name[:200], "owner": part.owner[:200],
        "order_number": part.order[:200], "document": text, **stamp(),
    }  # fmt: skip
    if is_new:
        connection.execute(insert(BUILD_PARTS).values(
            build=build.id, id=part_id, place=next_place(connection, build.id), outcome="", outcome_note="", photo=None,
            **values,
        ))  # fmt: skip
    else:
        connection.execute(update(BUILD_PARTS).where(row_of(build.id, part_id)).values(values))
    turn.agreed[part_id] = (revision, digest_of(text))
    turn.sent.append(part_id)


def _with_fetched(job: Job, turn: _Round, board: Board, where: str) -> Job:
    read = {part_id: read_document(text, where) for part_id, (_, text) in turn.fetch.items()}
    meshes = board.meshes(set[str]().union(*(mesh_keys(document) for document in read.values())))
    for document in read.values():
        job = with_part_of(job, document, meshes)
    gone = [part_id for part_id in turn.drop if any(part.id == part_id for part in job.parts)]
    job = remove_parts(job, gone).job if gone else job
    job = with_stacks_of(job, read.values(), meshes)
    for part_id, (revision, _) in turn.fetch.items():
        turn.agreed[part_id] = (revision, digest_of(part_document(job, part_id)))
    return job


def _require_unreleased(job: Job) -> None:
    if job.released is not None:
        raise EditError(job.name, "has been released and is in the build log", "make a new build of it")


def taken_parts(
    job: Job, board: Board, build: BoardBuild, parts: tuple[BoardPart, ...], watch: Watch = UNWATCHED
) -> Job:
    """The job with parts of another build, or of those that wait to be built again, as new parts of its own."""
    documents: list[PartDocument] = [read_document(board.document(build.id, one.id), build.name) for one in parts]
    watch.at(0.3, "fetching meshes")
    meshes: dict[str, Mesh] = board.meshes(set[str]().union(*(mesh_keys(one) for one in documents)))
    for document in documents:
        job = with_part_of(job, _renamed(document), meshes)
    return job


def _renamed(document: PartDocument) -> PartDocument:
    """The same part under ids that are new: it may come from a build that the job has parts of."""
    part_id = f"p-{secrets.token_hex(8)}"
    old = document.part.id
    supports = [one.model_copy(update={"id": f"s-{secrets.token_hex(8)}", "part_id": part_id,
                                       "others": [other for other in one.others if other == old]})
                for one in document.supports]  # fmt: skip
    return document.model_copy(update={
        "part": document.part.model_copy(update={"id": part_id}), "supports": supports,
        "waivers": [one.model_copy(update={"part_id": part_id}) for one in document.waivers],
        "stack": None, "separator": None,
    })  # fmt: skip


def rows_of(parts: tuple[BoardPart, ...], wanted: tuple[str, ...]) -> Iterator[BoardPart]:
    """Parts by id or name. Raises `UnknownNameError`."""
    for one in wanted:
        match = next((part for part in parts if one in (part.id, part.name)), None)
        if match is None:
            raise UnknownNameError.among("part", one, (part.name for part in parts))
        yield match

"""Commands on the build board of the shop library: `builds list/show/put/take/state/outcome/order/orders`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import typer

from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.core.board.board import Board
from lean_trellis.core.board.rows import OUTCOMES, BoardBuild
from lean_trellis.core.board.syncing import Choice, Synced, open_from_board, put_on_board, rows_of, synced
from lean_trellis.core.errors import AccessError, EditError
from lean_trellis.core.job.edits import require_day
from lean_trellis.core.job.files import SUFFIX, open_job, save_job
from lean_trellis.core.shop import full_library
from lean_trellis.core.shop.store.store import open_store


@contextmanager
def _board() -> Iterator[Board]:
    store = open_store()
    try:
        yield Board(store)
    finally:
        store.close()


def build_document(build: BoardBuild) -> dict[str, Any]:
    """A build as it is printed."""
    return {
        "id": build.id, "name": build.name, "state": build.state, "machine": build.machine, "material": build.material,
        "due": build.due, "who": build.who, "changed_at": build.changed_at, "actual_seconds": build.actual_seconds,
        "parts": [
            {"id": part.id, "name": part.name, "owner": part.owner, "order": part.order, "outcome": part.outcome,
             "outcome_note": part.outcome_note, "revision": part.revision, "who": part.who}
            for part in build.parts
        ],
    }  # fmt: skip


def list_builds(as_json: bool) -> None:
    """All builds."""
    with _board() as board:
        builds = board.builds()
    if as_json:
        say_json([build_document(build) for build in builds])
        return
    rows = [(one.name, one.state, one.machine, len(one.parts), ", ".join(_owners(one)), one.due, one.id)
            for one in builds]  # fmt: skip
    say_table("Builds" if rows else "No builds on the board: put a job there with 'builds put JOB'",
              ("build", "state", "machine", "parts", "owners", "due", "id"), rows)  # fmt: skip


def _owners(build: BoardBuild) -> list[str]:
    return sorted({part.owner for part in build.parts if part.owner})


def show_build(build_id: str, as_json: bool) -> None:
    """One build with its parts."""
    with _board() as board:
        build = board.build(build_id)
    if as_json:
        say_json(build_document(build))
        return
    rows = [(part.name, part.owner, part.order, OUTCOMES[part.outcome], part.outcome_note, part.who)
            for part in build.parts]  # fmt: skip
    say_table(f"{build.name}: {build.state}, {build.machine}, {build.material}",
              ("part", "owner", "order", "outcome", "note", "changed by"), rows)  # fmt: skip


def put_build(path: Path, name: str, mine: list[str], theirs: list[str], as_json: bool) -> None:
    """Put a job on the board, or bring it and its build together; exit 1 where something has to be decided."""
    job = open_job(path, full_library())
    choices: dict[str, Choice] = {**dict.fromkeys(mine, "mine"), **dict.fromkeys(theirs, "theirs")}
    with _board() as board, progress() as watch:
        if job.link is None:
            made = put_on_board(job, board, name, watch)
        else:
            made = synced(job, board, choices=choices, watch=watch)
        assert made.job.link is not None
        build = board.build(made.job.link.build_id)
    save_job(made.job, path)
    if as_json:
        say_json(_synced_document(made) | {"id": build.id, "name": build.name})
    else:
        _say(made, build)
    raise typer.Exit(1 if made.conflicts else 0)


def _synced_document(made: Synced) -> dict[str, Any]:
    return {
        "sent": list(made.sent), "fetched": list(made.fetched), "removed": list(made.removed),
        "conflicts": [{"id": one.id, "name": one.name, "who": one.who, "mine": one.mine, "theirs": one.theirs}
                      for one in made.conflicts],
    }  # fmt: skip


def _say(made: Synced, build: BoardBuild) -> None:
    rows = [*((name, "sent") for name in made.sent), *((name, "fetched") for name in made.fetched),
            *((name, "removed") for name in made.removed),
            *((one.name, f"changed here and by {one.who}: --mine {one.id} or --theirs {one.id}")
              for one in made.conflicts)]  # fmt: skip
    say_table(f"{build.name} ({build.id})" + ("" if rows else ": up to date"), ("part", ""), rows)


def take_build(build_id: str, out: Path, parts: list[str], as_json: bool) -> None:
    """A build of the board as a job file; with `parts` only these, as a job of their own."""
    if out.suffix != SUFFIX:
        raise EditError(out, "is no name for a job", f"let it end in {SUFFIX}")
    with _board() as board, progress() as watch:
        job = open_from_board(board, build_id, full_library(), watch)
    if parts:
        from lean_trellis.core.job.edits import taken_out

        job = taken_out(job, [part.id for part in job.parts if part.name in parts or part.id in parts], out.stem)
    save_job(job, out)
    names = [part.name for part in job.parts]
    if as_json:
        say_json({"job": str(out), "parts": names})
    else:
        say_table(f"{out}", ("part",), [(name,) for name in names])


def set_state(build_id: str, state: str, hours: float | None, as_json: bool) -> None:
    """How far a build is, and how long it took."""
    with _board() as board:
        board.set_state(build_id, state, actual_seconds=None if hours is None else 3600 * hours)
        build = board.build(build_id)
    if as_json:
        say_json(build_document(build))
    else:
        say_table(f"{build.name}: {build.state}", (), [])


def note_outcome(build_id: str, part: str, outcome: str, note: str, photo: Path | None, as_json: bool) -> None:
    """What came of a part."""
    picture = None
    if photo is not None:
        try:
            picture = photo.read_bytes()
        except OSError as problem:
            raise AccessError.of(photo, problem, "read") from problem
    with _board() as board:
        build = board.build(build_id)
        (row,) = rows_of(build.parts, (part,))
        board.note_outcome(build.id, row.id, outcome, note=note, photo=picture)
        build = board.build(build.id)
    if as_json:
        say_json(build_document(build))
    else:
        say_table(f"{row.name}: {OUTCOMES[outcome]}", (), [])


def note_order(number: str, part: str, owner: str, asked: int, due: str, as_json: bool) -> None:
    """An order of so many parts."""
    with _board() as board:
        board.order(number, part, owner, asked, require_day("due day", due))
    list_orders(as_json)


def list_orders(as_json: bool) -> None:
    """Every order with what became of it."""
    with _board() as board:
        orders = board.orders()
    documents = [{**vars(one), "to_do": one.to_do} for one in orders]
    if as_json:
        say_json(documents)
    else:
        columns = ("number", "part", "owner", "asked", "placed", "built", "to_do", "due")
        rows = [tuple(one[key] for key in columns) for one in documents]
        say_table("Orders" if rows else "No orders", ("order", *columns[1:6], "to do", "due"), rows)

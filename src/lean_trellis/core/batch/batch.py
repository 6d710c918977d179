"""A batch: which files, where their jobs go, what came of each; kept as a table while it runs, so that it can go on."""

from __future__ import annotations

import csv
import hashlib
import io
import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.batch.cluster import done_on
from lean_trellis.core.batch.piece import BatchPiece, Done, Order, do_piece
from lean_trellis.core.errors import AccessError, EditError, TrellisError
from lean_trellis.core.formats.registry import SUFFIXES
from lean_trellis.core.job.files import SUFFIX
from lean_trellis.core.processes import done_apart, processors
from lean_trellis.core.progress import UNWATCHED, Watch

TABLE, CSV = "batch.json", "batch.csv"
FIGURES = ("regions", "supports", "left_alone", "untaken", "not_supported", "strength_used", "stops", "volume_mm3")


@dataclass(frozen=True)
class Row:
    """What came of one file: its job and figures, or the reason why not; `mark`: what was done with which content."""

    file: str
    job: str
    ok: bool
    reason: str
    seconds: float
    figures: dict[str, float] = field(default_factory=dict)
    parts: list[dict[str, Any]] = field(default_factory=list)
    mark: str = ""


@dataclass(frozen=True)
class BatchWish:
    """A batch: files or folders of them, the folder for jobs, how many at once or on which cluster.

    With `resumes` files are passed over whose job is there, made by the same order of the same content.
    """

    order: Order
    sources: tuple[Path, ...]
    out: Path
    workers: int = 0
    scheduler: str = ""
    resumes: bool = False


Answers = Callable[[Sequence[tuple[int, BatchPiece]]], Iterable[tuple[int, Done]]]
"""Does numbered pieces and gives what came of each, in the order in which they end."""


def run_batch(
    wish: BatchWish,
    watch: Watch = UNWATCHED,
    shown: Callable[[Row], None] = lambda _: None,
    answers: Answers | None = None,
) -> tuple[Row, ...]:
    """Do a batch and give a row for each file, in the order of the files. `shown` gets each row as it comes.

    `answers` does the pieces, where it is neither this computer nor the scheduler of the wish.
    The table is written anew after each file. Raises `EditError` for a folder without files, `AccessError` where
    nothing can be written; `watch` may raise `Cancelled`: what is done by then stays.
    """
    files = files_of(wish.sources)
    try:
        wish.out.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise AccessError.of(wish.out, problem, "write") from problem
    jobs = _job_paths(files, wish.out)
    marks = [_mark(wish.order, path) for path in files]
    known = rows_there(wish.out) if wish.resumes else {}
    rows: dict[int, Row] = {}
    for number, (path, job) in enumerate(zip(files, jobs, strict=True)):
        before = known.get(str(path))
        if before is not None and before.ok and before.mark == marks[number] and job.exists():
            rows[number] = before
    todo = [(number, BatchPiece(wish.order, files[number])) for number in range(len(files)) if number not in rows]
    said = [(len(rows) / len(files), f"{len(rows)} of {len(files)} are done already" if rows else "starting")]
    watch.at(*said[0])
    answered = _answers_of(wish, lambda: watch.at(*said[0])) if answers is None else answers
    for number, done in answered(todo) if todo else ():
        rows[number] = _row(files[number], jobs[number], done, marks[number])
        shown(rows[number])
        in_order = tuple(rows[place] for place in sorted(rows))
        write_table(wish.out, in_order)
        said[0] = len(rows) / len(files), f"{len(rows)} of {len(files)}: {files[number].name}"
        watch.at(*said[0])
    if not todo:
        write_table(wish.out, tuple(rows[number] for number in sorted(rows)))
    return tuple(rows[number] for number in sorted(rows))


def _answers_of(wish: BatchWish, tick: Callable[[], None]) -> Answers:
    if wish.scheduler:
        return partial(_on_cluster, wish.scheduler)

    def here(pieces: Sequence[tuple[int, BatchPiece]]) -> Iterator[tuple[int, Done]]:
        workers = min(wish.workers or processors(), max(len(pieces), 1))
        return done_apart(_do, pieces, workers, lost=_lost, tick=tick)

    return here


def _do(_: None, piece: BatchPiece) -> Done:
    return do_piece(piece)


def _lost(piece: BatchPiece, how: str) -> Done:
    return Done(ok=False, reason=f"{piece.path}: its process ended {how}; mend or simplify the part")


def _on_cluster(scheduler: str, pieces: Sequence[tuple[int, BatchPiece]]) -> Iterator[tuple[int, Done]]:
    """Pieces with their content; those that cannot be read are answered here."""
    unread: list[tuple[int, Done]] = []

    def with_contents() -> Iterator[tuple[int, BatchPiece]]:
        for number, piece in pieces:
            try:
                yield number, piece.with_content()
            except TrellisError as problem:
                unread.append((number, Done(ok=False, reason=str(problem))))

    yield from done_on(scheduler, with_contents())
    yield from unread


def files_of(sources: Sequence[Path]) -> tuple[Path, ...]:
    """The files of a batch: those that are named, and of folders every mesh or job file in them, by name, each once.

    Raises `AccessError` for what is not there, `EditError` where no file is left.
    """
    files: dict[Path, None] = {}
    for source in sources:
        if source.is_dir():
            inside = sorted(
                path for path in source.iterdir() if path.suffix.lower().lstrip(".") in (*SUFFIXES, SUFFIX[1:])
            )
            files |= dict.fromkeys(path for path in inside if path.is_file())
        elif source.exists():
            files[source] = None
        else:
            raise AccessError.of(source, FileNotFoundError(2, "No such file or directory"), "read")
    if not files:
        raise EditError(sources[0] if sources else "batch", "holds no mesh and no job file", "name files, or a folder")
    return tuple(files)


def _job_paths(files: Sequence[Path], out: Path) -> list[Path]:
    """Where the job of each file goes: by the file's name, with its kind or a number where two are called alike."""
    taken: set[str] = set()
    paths = []
    for path in files:
        name, number = path.stem, 2
        while name.lower() in taken:
            name, number = f"{path.stem} ({number})", number + 1
        taken.add(name.lower())
        paths.append(out / f"{name}{SUFFIX}")
    return paths


def _mark(order: Order, path: Path) -> str:
    """Of an order and the content of a file: another order, or another file of the name, is another mark."""
    try:
        content = hashlib.sha256(path.read_bytes()).hexdigest()[:16]
    except OSError:
        return ""
    return f"{order.mark()}-{content}"


def _row(path: Path, job: Path, done: Done, mark: str) -> Row:
    row = Row(str(path), "", done.ok, done.reason, done.seconds, dict(done.figures), list(done.parts), mark)
    if not done.ok:
        return row
    try:
        with written_whole(job) as file:
            file.write(done.job)
    except TrellisError as problem:
        return replace(row, ok=False, reason=str(problem))
    return replace(row, job=str(job))


def write_table(out: Path, rows: Sequence[Row]) -> None:
    """Write the table of a batch as JSON and as CSV. Raises `AccessError`."""
    with written_whole(out / TABLE) as file:
        file.write((json.dumps([asdict(row) for row in rows], indent=1, ensure_ascii=False) + "\n").encode())
    with written_whole(out / CSV) as file:
        file.write(rows_as_csv(rows).encode())


def rows_as_csv(rows: Sequence[Row]) -> str:
    """The rows as CSV with a line of names."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("file", "job", "ok", "reason", "seconds", *FIGURES))
    for row in rows:
        figures = [f"{row.figures[key]:g}" if key in row.figures else "" for key in FIGURES]
        writer.writerow((row.file, row.job, "yes" if row.ok else "no", row.reason, f"{row.seconds:.2f}", *figures))
    return text.getvalue()


def rows_there(out: Path) -> dict[str, Row]:
    """The rows of the table of a folder, by file; none where there is none, or none that can be read."""
    try:
        content = json.loads((out / TABLE).read_text(encoding="utf-8"))
        return {row["file"]: Row(**row) for row in content}
    except (OSError, ValueError, TypeError, KeyError):
        return {}

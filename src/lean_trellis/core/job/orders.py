"""Owner and order of parts from a table that was pasted or read: CSV with a heading, or name, owner, order."""

from __future__ import annotations

import csv
import fnmatch
import io
from dataclasses import dataclass

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.edits.parts import describe_parts
from lean_trellis.core.job.job import Job

_COLUMNS = ("name", "owner", "order")


@dataclass(frozen=True)
class OrderRow:
    """One line of the table: which parts (a name, or a pattern with *), their owner and order; None leaves it."""

    name: str
    owner: str | None
    order: str | None


def read_orders(text: str) -> tuple[OrderRow, ...]:
    """The lines of a table, separated by comma, semicolon or tab. Raises `EditError` where it holds none."""
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise EditError("table", "is empty", "paste lines of name, owner, order")
    delimiter = max(";\t,", key=lines[0].count)
    rows = [[cell.strip() for cell in row] for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=delimiter)]
    heading = [cell.lower() for cell in rows[0]]
    if "name" in heading:
        columns, rows = heading, rows[1:]
    else:
        columns = list(_COLUMNS)
    if not {"owner", "order"} & set(columns[: max(map(len, rows), default=0)]):
        raise EditError("table", "has no column of owners or orders", "paste lines of name, owner, order")
    entries = []
    for row in rows:
        cells = dict(zip(columns, row, strict=False))
        if cells.get("name"):
            entries.append(OrderRow(cells["name"], cells.get("owner"), cells.get("order")))
    return tuple(entries)


@dataclass(frozen=True)
class Assigned:
    """The edit, and the names in the table that fit no part."""

    edit: Edit
    unknown: tuple[str, ...]


def assign_orders(job: Job, rows: tuple[OrderRow, ...]) -> Assigned:
    """Set owner and order of every part that a row names. Case does not count; "(2)" of a copy neither."""
    unknown, count = [], 0
    for row in rows:
        fitting = [part.id for part in job.parts if _fits(part.name, row.name)]
        if not fitting:
            unknown.append(row.name)
            continue
        job = describe_parts(job, fitting, owner=row.owner, order=row.order).job
        count += len(fitting)
    if not count:
        raise EditError("table", f"names no part of this job ({', '.join(unknown[:3])})", "compare with the list")
    return Assigned(Edit(f"Set owner and order of {count} part{'s' * (count > 1)}", job), tuple(unknown))


def _fits(name: str, pattern: str) -> bool:
    bare = name.rsplit(" (", 1)[0] if name.endswith(")") else name
    return any(fnmatch.fnmatch(word.lower(), pattern.lower()) for word in (name, bare))

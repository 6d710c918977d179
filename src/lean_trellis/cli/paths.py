"""The command that lists and sets values of paths for some layers or outlines of parts: `paths`."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from lean_trellis.cli.output import say_json, say_table
from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import set_path_values
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.shop import full_library


def paths(path: Path, part_name: str, wish: PathValues, *, clears: bool, as_json: bool) -> None:
    """List a job's own values of paths; with a part and values add these to it, or take all of its own away."""
    job = open_job(path, full_library())
    if part_name or clears or wish != PathValues():
        job = _changed(job, part_name, wish, clears=clears)
        save_job(job, path)
    rows = [(part, values) for part in job.parts for values in part.path_values]
    if as_json:
        documents: list[dict[str, Any]] = [{"part": part.name, **asdict(values)} for part, values in rows]
        say_json(documents)
        return
    say_table(
        "All parts are laid as their material says" if not rows else "Own values of paths",
        ("part", "from mm", "to mm", "at", "width mm", "loops", "fill"),
        [
            (part.name, _or(one.low), _or(one.high), "" if one.at is None else " ".join(f"{x:g}" for x in one.at),
             _or(one.path_width), _or(one.loops), _or(one.fill_share))
            for part, one in rows
        ],
    )  # fmt: skip


def _or(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def _changed(job: Job, part_name: str, wish: PathValues, *, clears: bool) -> Job:
    part = _part(job, part_name)
    if job.machine.process != "extrusion":
        raise EditError(job.machine.name, "lays no beads", "give own values of paths in builds of extrusion")
    if not clears and wish.is_empty:
        raise EditError(part.name, "gets no value", "give --path-width, --loops or --fill-share, or --clear")
    if clears and not wish.is_empty:
        raise EditError(part.name, "cannot lose its values and get some at once", "give --clear alone first")
    same = replace(wish, path_width=None, loops=None, fill_share=None)
    others = [one for one in part.path_values if replace(one, path_width=None, loops=None, fill_share=None) != same]
    return set_path_values(job, part.id, () if clears else (*others, wish)).job


def _part(job: Job, name: str) -> Part:
    if not name:
        raise EditError("paths", "names no part", "give --part NAME")
    match = next((part for part in job.parts if name in (part.id, part.name)), None)
    if match is None:
        raise UnknownNameError.among("part", name, (part.name for part in job.parts))
    return match

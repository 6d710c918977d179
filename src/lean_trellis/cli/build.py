"""Commands that make and judge builds: `prepare`, `check`, `export`."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Any, cast

import typer

from lean_trellis.cli.library import known_recipes, known_sets
from lean_trellis.cli.options import LayerWish, choose_shop, posed, require_angle, require_offset
from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.cli.parameters import parse_parameters, with_parameters
from lean_trellis.cli.reading import Read, read_files
from lean_trellis.core.checks import Finding, in_order, is_releasable, not_examined, standing_waiver
from lean_trellis.core.checks.set_changes import set_changes
from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.derive.layers import LAYERED_BUILD
from lean_trellis.core.derive.prepared import prepared_parts
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import Job, new_job
from lean_trellis.core.job.edits import (
    add_bodies,
    add_support,
    arrange_parts,
    set_angles,
)
from lean_trellis.core.job.edits.updates import newer_values, take_newer
from lean_trellis.core.job.files import SUFFIX, open_job, save_job
from lean_trellis.core.layers.machine_files import layers_path, write_layers
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.release.export import WRITERS, ExportFormat, ExportRequest, What, export_build
from lean_trellis.core.sets.parameter_set import ParameterSet, find_set
from lean_trellis.core.sets.recipe import Recipe, find_recipe
from lean_trellis.core.shop import full_library
from lean_trellis.core.shop.machine import Process


@dataclass(frozen=True)
class Wish:
    """How parts are to be supported: by sets, or by a recipe."""

    sets: tuple[ParameterSet, ...] = ()
    rules: Recipe | None = None

    @property
    def is_empty(self) -> bool:
        """Whether nothing is to be supported."""
        return not self.sets and self.rules is None

    @property
    def process(self) -> Process:
        """The process that it is meant for."""
        meant = [entry.process for entry in self.sets if entry.process != "any"]
        if self.rules is not None and self.rules.process != "any":
            meant.append(self.rules.process)
        return meant[0] if meant else "powder_bed"


def wish_of(sets: list[str] | None, recipe: str | None, parameters: list[str] | None) -> Wish:
    """What `--set`, `--recipe` and `--param` come to."""
    if sets and recipe:
        raise EditError("--recipe", "cannot be combined with --set", "give one of them")
    known = known_sets() if sets else {}
    chosen = [find_set(known, name) for name in sets or []]
    values = parse_parameters(parameters or [], chosen)
    rules = find_recipe(known_recipes(), recipe) if recipe else None
    return Wish(tuple(with_parameters(entry, values.get(entry.name, {})) for entry in chosen), rules)


def supported(job: Job, wish: Wish, pipeline: Pipeline, watch: Watch) -> Job:
    """The job with all its parts supported as wished, and the structures made."""
    known = known_sets() if wish.rules else {}
    for part in job.parts:
        for entry in wish.sets:
            job = add_support(job, part.id, entry).job
        if wish.rules:
            job = apply_recipe(job, part.id, wish.rules, known, pipeline.graph).edit.job
    for support in job.supports:
        pipeline.structure(support, job, Stretch(watch, 0.0, 0.9))
        pipeline.built_volume(support, job, Stretch(watch, 0.9, 1.0))
    return job


def prepare(
    files: list[Path],
    out: Path,
    sets: list[str] | None,
    recipe: str | None,
    parameters: list[str] | None,
    machine: str | None,
    material: str | None,
    critical_angle: float | None,
    watch_angle: float | None,
    units: str,
    rotate: tuple[float, float, float],
    build_offset: float | None,
    keep_position: bool,
    layers: LayerWish,
    as_json: bool,
) -> None:
    """Make a job of files, sets and recipes, and tell what came of it."""
    begin = time.perf_counter()
    if out.suffix != SUFFIX:
        raise EditError(out, "is no name for a job", f"let it end in {SUFFIX}")
    wish = wish_of(sets, recipe, parameters)
    shop = choose_shop(full_library(), machine, material, wish.process)
    job = layers.applied(new_job(*shop, out.stem))
    pipeline = Pipeline()
    with progress() as watch:
        read = read_files(files, units, Stretch(watch, 0, 0.3))
        job = _placed(job, read, rotate, require_offset(build_offset), keep_position)
        job = set_angles(job, [part.id for part in job.parts], require_angle("--critical-angle", critical_angle),
                         require_angle("--watch-angle", watch_angle)).job  # fmt: skip
        found_at = time.perf_counter()
        for part in job.parts:
            pipeline.overhangs(part, job, Stretch(watch, 0.3, 0.5))
        supported_at = time.perf_counter()
        job = supported(job, wish, pipeline, Stretch(watch, 0.5, 0.95))
        done_at = time.perf_counter()
        save_job(job, out, Stretch(watch, 0.95, 1))
    seconds = {
        "read": read.seconds,
        "overhangs": supported_at - found_at,
        "supports": done_at - supported_at,
        "total": time.perf_counter() - begin,
    }
    document = {"job": str(out), "parts": prepared_parts(job, pipeline), "seconds": seconds}
    say_json(document) if as_json else _say_prepared(document)


def _placed(job: Job, read: Read, rotate: tuple[float, float, float], offset: float | None, keep_position: bool) -> Job:
    for file, body in read.bodies:
        job = add_bodies(job, [body], file=str(file), keep_position=True).job
        part = job.parts[-1]
        lift = job.material.build_offset if offset is None else offset
        job = job.with_part(replace(part, pose=posed(rotate, lift, part.pose.x, part.pose.y)))
    return job if keep_position else arrange_parts(job).job


def _say_prepared(document: dict[str, Any]) -> None:
    rows = [
        (part["name"], part["regions"], entry["set"], entry["count"], entry["volume_mm3"], entry.get("no_way", ""))
        for part in document["parts"]
        for entry in part["supports"] or [{"set": "none", "count": 0, "volume_mm3": 0.0, "no_way": 0}]
    ]
    say_table(f"Prepared {document['job']}", ("part", "regions", "set", "count", "volume mm³", "no way"), rows)


def check(path: Path, as_json: bool) -> None:
    """Check everything in a shared build; exit 1 when it is not releasable."""
    job = open_job(path, full_library())
    with progress() as watch:
        findings = in_order((*Pipeline().findings(job, watch), *set_changes(job, known_sets())))
    today = date.today()
    releasable, unseen = is_releasable(findings, job, today), list(not_examined(job))
    if as_json:
        documents = [finding_document(finding, job, today) for finding in findings]
        say_json({"releasable": releasable, "findings": documents, "not_examined": unseen})
    else:
        rows = [(_word(finding, job, today), finding.code, finding.part, finding.message) for finding in findings]
        verdict = "Releasable" if releasable else "Not releasable"
        unseen_words = f" Not examined: {', '.join(unseen)}" if unseen else ""
        say_table(f"{verdict}.{unseen_words}", ("", "code", "part", "finding"), rows)
    raise typer.Exit(0 if releasable else 1)


def _word(finding: Finding, job: Job, today: date) -> str:
    return "waived" if standing_waiver(finding, job, today) is not None else finding.severity


def finding_document(finding: Finding, job: Job, today: date) -> dict[str, Any]:
    """A finding as it is printed, with the waiver that covers it or None."""
    waiver = standing_waiver(finding, job, today)
    return {
        "code": finding.code,
        "severity": finding.severity,
        "part": finding.part,
        "message": finding.message,
        "at_mm": None if finding.at_mm is None else list(finding.at_mm),
        "value": finding.value,
        "limit": finding.limit,
        "unit": finding.unit,
        "cause": finding.cause,
        "cures": [cure.words for cure in finding.cures],
        "source": finding.source,
        "waiver": None if waiver is None else {"who": waiver.who, "reason": waiver.reason, "expires": waiver.expires},
    }


def updates(path: Path, take: bool, out: Path | None, as_json: bool) -> None:
    """The newer values, and the job with them where they are to be used."""
    library = full_library()
    job = open_job(path, library)
    known = known_sets()
    newer = newer_values(job, library, known)
    if take:
        save_job(take_newer(job, library, known).job, out or path)
    documents = [{"of": one.of, "key": one.key, "here": one.here, "there": one.there} for one in newer]
    if as_json:
        say_json({"newer": documents, "taken": take})
    else:
        say_table("Taken" if take else "Newer in the library", ("of", "value", "here", "there"),
                  [(one.of, one.key, str(one.here), str(one.there)) for one in newer])  # fmt: skip


def export(
    path: Path,
    out: Path,
    file_format: str | None,
    what: str,
    separate: bool,
    each_bar: bool,
    beams: bool,
    as_text: bool,
    smooths: bool,
    as_json: bool,
) -> None:
    """The files of a job."""
    if file_format == "layers":
        files = _layers_written(path, out, as_text=as_text, smooths=smooths)
        _say_files(files, as_json)
        return
    chosen = file_format or out.suffix.lstrip(".").lower() or "stl"
    if chosen not in WRITERS:
        raise EditError("--format", f"{chosen!r} cannot be written", f"give one of {', '.join(WRITERS)}")
    if what not in ("parts", "supports", "all"):
        raise EditError("--what", f"{what!r} is not known", "give parts, supports or all")
    job = open_job(path, full_library())
    request = ExportRequest(out, cast(ExportFormat, chosen), cast(What, what), not separate, each_bar, beams)
    with progress() as watch:
        state = Pipeline().state(job, Stretch(watch, 0, 0.5))
        files = export_build(state, request, Stretch(watch, 0.5, 1))
    _say_files(files, as_json)


def _layers_written(path: Path, out: Path, *, as_text: bool, smooths: bool) -> tuple[Path, ...]:
    """The machine file of a job."""
    job = open_job(path, full_library())
    layers_path(out, job.machine.process)
    with progress() as watch:
        build = Pipeline().graph.get(LAYERED_BUILD, None, job, Stretch(watch, 0, 0.6))
        return write_layers(build, out, Stretch(watch, 0.6, 1), as_text=as_text, smooths=smooths)


def _say_files(files: tuple[Path, ...], as_json: bool) -> None:
    if as_json:
        say_json({"files": [str(file) for file in files]})
    else:
        say_table("Written", ("file",), [(str(file),) for file in files])

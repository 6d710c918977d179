"""The command that compares kept states of a job and keeps further ones: `trials`."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from lean_trellis.cli.build import Wish, supported
from lean_trellis.cli.options import LayerWish, require_offset
from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.trials import TRIAL_FIGURES, TrialFigures
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import (
    keep_trial,
    set_angles,
    set_build_offset,
)
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.shop import full_library


def trials(
    words: list[str],
    wish: Wish,
    build_offset: float | None,
    critical_angle: float | None,
    watch_angle: float | None,
    layers: LayerWish,
    as_json: bool,
) -> None:
    """`JOB` compares, `keep JOB NAME` keeps the state of a job, supported anew where sets or a recipe are given."""
    match words:
        case ["keep", path, name]:
            job, pipeline = open_job(Path(path), full_library()), Pipeline()
            with progress() as watch:
                state = _changed(layers.applied(job), build_offset, critical_angle, watch_angle)
                if not wish.is_empty:
                    state = supported(replace(state, supports=()), wish, pipeline, Stretch(watch, 0.0, 0.5))
                kept = keep_trial(job, name, state).job
                figures = _figures(pipeline, kept.trial(name.strip()).job, Stretch(watch, 0.5, 1.0))
                save_job(kept, Path(path))
            _say([(name.strip(), figures)], as_json)
        case [path] if path != "keep":
            job, pipeline = open_job(Path(path), full_library()), Pipeline()
            count = max(1, len(job.trials))
            with progress() as watch:
                rows = [
                    (trial.name, _figures(pipeline, trial.job, Stretch(watch, number / count, (number + 1) / count)))
                    for number, trial in enumerate(job.trials)
                ]
            _say(rows, as_json)
        case _:
            raise EditError("trials", f"{' '.join(words)!r} is not understood", "give JOB, or keep JOB NAME")


def _changed(job: Job, build_offset: float | None, critical_angle: float | None, watch_angle: float | None) -> Job:
    parts = [part.id for part in job.parts]
    offset = require_offset(build_offset)
    if offset is not None and parts:
        job = set_build_offset(job, parts, offset).job
    if parts and (critical_angle is not None or watch_angle is not None):
        job = set_angles(job, parts, critical_angle, watch_angle).job
    return job


def _figures(pipeline: Pipeline, state: Job, watch: Watch) -> TrialFigures:
    return pipeline.graph.get(TRIAL_FIGURES, None, state, watch)


def _say(rows: list[tuple[str, TrialFigures]], as_json: bool) -> None:
    if as_json:
        documents: list[dict[str, Any]] = [{"name": name, **asdict(figures)} for name, figures in rows]
        say_json(documents)
        return
    say_table(
        "No trials are kept; keep one with 'trials keep JOB NAME'" if not rows else "Trials",
        ("trial", "time", "grams", "EUR", "contacts mm²", "count", "most used", "stops", "cautions"),
        [
            (name, hours_in_words(one.build_seconds), one.material_grams, one.cost, one.contact_area_mm2, one.count,
             one.most_used, one.findings["stop"], one.findings["caution"])
            for name, one in rows
        ],
    )  # fmt: skip

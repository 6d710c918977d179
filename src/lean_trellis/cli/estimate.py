"""The command that says what a build takes: `estimate`."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job.files import open_job
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.shop import full_library


def estimate(path: Path, as_json: bool) -> None:
    """Time, material and cost of a job as it is."""
    job = open_job(path, full_library())
    with progress() as watch:
        figures = Pipeline().graph.get(ESTIMATE, None, job, watch)
    if as_json:
        say_json(estimate_document(figures))
    else:
        _say(figures)


def estimate_document(figures: Estimate) -> dict[str, Any]:
    """An estimate as it is printed. Money in EUR."""
    volumes = figures.volumes_mm3
    return {
        "layers": figures.layers,
        "build_seconds": figures.build_seconds,
        "part_volume_mm3": volumes["parts"],
        "support_volume_mm3": volumes["supports"] + volumes["separators"],
        "material_grams": figures.material_grams,
        "cost": figures.cost,
        "material_changes": figures.material_changes,
        "seconds_by": figures.seconds_by,
        "grams_by": dict(figures.grams_by),
        "costs": dict(figures.costs),
        "removal_seconds": figures.removal_seconds,
        "bodies": [
            {"kind": one.kind, "name": one.name, "owner": one.owner, "seconds": one.seconds,
             "volume_mm3": one.volume_mm3, "grams": one.grams, "material_cost": one.cost}
            for one in figures.shares
        ],
    }  # fmt: skip


def _say(figures: Estimate) -> None:
    say_table(
        f"{figures.layers:,} layers, {hours_in_words(figures.build_seconds)}, {figures.material_grams:,.0f} g, "
        f"{figures.cost:,.2f} EUR, {figures.material_changes} material changes",
        ("body", "", "owner", "own paths", "grams", "material EUR"),
        [(one.name, one.kind, one.owner, hours_in_words(one.seconds), one.grams, one.cost) for one in figures.shares],
    )
    say_table("Time", ("cause", "takes"), [(cause, hours_in_words(s)) for cause, s in figures.seconds_by.items()])
    say_table("Cost", ("cause", "EUR"), list(figures.costs.items()))

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
        found = Pipeline().graph.get(ESTIMATE, None, job, watch)
    if as_json:
        say_json(estimate_document(found))
    else:
        _say(found)


def estimate_document(found: Estimate) -> dict[str, Any]:
    """An estimate as it is printed. Money in EUR."""
    volumes = found.volumes_mm3
    return {
        "layers": found.layers,
        "build_seconds": found.build_seconds,
        "part_volume_mm3": volumes["parts"],
        "support_volume_mm3": volumes["supports"] + volumes["separators"],
        "material_grams": found.material_grams,
        "cost": found.cost,
        "material_changes": found.material_changes,
        "seconds_by": found.seconds_by,
        "grams_by": dict(found.grams_by),
        "costs": dict(found.costs),
        "removal_seconds": found.removal_seconds,
        "bodies": [
            {"kind": one.kind, "name": one.name, "owner": one.owner, "seconds": one.seconds,
             "volume_mm3": one.volume_mm3, "grams": one.grams, "material_cost": one.cost}
            for one in found.shares
        ],
    }  # fmt: skip


def _say(found: Estimate) -> None:
    say_table(
        f"{found.layers:,} layers, {hours_in_words(found.build_seconds)}, {found.material_grams:,.0f} g, "
        f"{found.cost:,.2f} EUR, {found.material_changes} material changes",
        ("body", "", "owner", "own paths", "grams", "material EUR"),
        [(one.name, one.kind, one.owner, hours_in_words(one.seconds), one.grams, one.cost) for one in found.shares],
    )
    say_table("Time", ("cause", "takes"), [(cause, hours_in_words(s)) for cause, s in found.seconds_by.items()])
    say_table("Cost", ("cause", "EUR"), list(found.costs.items()))

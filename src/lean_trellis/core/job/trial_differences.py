"""In which values states of a job differ: what a table of trials shows beneath its figures."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import fields
from typing import Any

import numpy as np

from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports.common.support import Support

Difference = tuple[str, tuple[str, ...]]
"""What differs, in words, and how it reads in each state; a dash where a state has no such thing."""
_NOTHING = "–"


def differences(states: Sequence[Job]) -> tuple[Difference, ...]:
    """Every value that is not the same in all states, in the order of the states. Empty for fewer than two."""
    each = [dict(_values(state)) for state in states]
    keys = dict.fromkeys(key for values in each for key in values)
    rows = []
    for key in keys:
        cells = tuple(values.get(key, _NOTHING) for values in each)
        if len(set(cells)) > 1:
            rows.append((key, cells))
    return tuple(rows)


def _values(job: Job) -> Iterator[tuple[str, str]]:
    yield "machine", job.machine.name
    yield "material", job.material.name
    yield "mode", job.mode
    yield "layer height", f"{job.layer_height:g} mm"
    yield "first layer", "as the others" if job.first_layer is None else f"{job.first_layer:g} mm"
    yield "supports at every", f"{job.support_every}. layer" if job.support_every > 1 else "layer"
    yield from ((f"{key.replace('_', ' ')}", f"{one.value:g} {one.unit}") for key, one in job.constants.items())
    for part in job.parts:
        yield from ((f"{part.name}: {key}", words) for key, words in _of_part(part, job))
        for number, support in enumerate(job.supports_of(part.id), start=1):
            which = f" {number}" if number > 1 else ""
            yield f"{part.name}: support{which}", support.set_name
            yield from ((f"{part.name}: {key}{which}", words) for key, words in _of_support(support))


def _of_part(part: Part, job: Job) -> Iterator[tuple[str, str]]:
    yield "build offset", f"{part.pose.build_offset:g} mm"
    yield "place", f"{part.pose.x:.2f}  {part.pose.y:.2f} mm"
    # A turn in words: where the part's own z and x point on the plate.
    axes = np.round(part.pose.matrix, 3) + 0.0
    yield "turn", f"z to {_way(axes[:, 2])}, x to {_way(axes[:, 0])}"
    yield "critical angle", f"{job.critical_angle(part):g}°"
    yield "mesh", part.mesh.key[:8]


def _way(axis: Any) -> str:
    return " ".join(f"{value:g}" for value in axis.tolist())


def _of_support(support: Support) -> Iterator[tuple[str, str]]:
    values: Mapping[str, Any] = support.parameters.model_dump()
    for known in support.parameters.declared():
        value = values[known.key]
        text = f"{value:g}" if isinstance(value, float) else str(value).replace("_", " ")
        yield known.label.lower(), f"{text} {known.unit}".strip()
    changes = sum(len(getattr(support.hand, entry.name)) for entry in fields(support.hand))
    yield "by hand", f"{changes} changes" if changes else "nothing"

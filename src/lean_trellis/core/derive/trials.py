"""A node of what a state of a job comes to: the row of figures by which trials are compared."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

from lean_trellis.core.derive.checks import FARTHEST_UNSUPPORTED, FINDINGS
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader
from lean_trellis.core.derive.statics import FIGURES, STATICS
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job.job import Job


@dataclass(frozen=True)
class TrialFigures:
    """Figures of a whole build: lengths mm, areas mm², volumes mm³, seconds, grams, EUR.

    `most_used` and `deflection_mm` are the most over all parts; `findings` counts stops, cautions and notes.
    """

    layers: int
    build_seconds: float
    part_volume_mm3: float
    support_volume_mm3: float
    material_grams: float
    cost: float
    material_changes: int
    contact_area_mm2: float
    count: int
    most_used: float
    deflection_mm: float
    tallest_mm: float
    findings: Mapping[str, int] = field(default_factory=dict)
    longest_unsupported_mm: float | None = 0.0
    """How far any place lies from what holds it; None where something has no support at all."""


def _needs(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    with_supports = [part for part in job.parts if job.supports_of(part.id)]
    of_part = ((node, part) for part in with_supports for node in (STATICS, FIGURES))
    farthest = ((FARTHEST_UNSUPPORTED, part) for part in job.parts)
    return (
        (ESTIMATE, None),
        (FINDINGS, None),
        *of_part,
        *farthest,
        *((STRUCTURE, support) for support in job.supports),
    )


def _figures(reader: Reader[TrialFigures]) -> TrialFigures:
    estimate, findings = reader.one(ESTIMATE, 0.0, 0.5), reader.one(FINDINGS, 0.5, 1.0)
    structures = reader.each(STRUCTURE)
    used = [figures.used for by_support in reader.each(FIGURES) for figures in by_support.values()]
    severities = Counter(finding.severity for finding in findings)
    heights = [made.mesh.bounds[1, 2] for made in structures if not made.is_empty]
    volumes = estimate.volumes_mm3
    farthest = max([0.0, *reader.each(FARTHEST_UNSUPPORTED)])
    return TrialFigures(
        estimate.layers, estimate.build_seconds, volumes["parts"], volumes["supports"] + volumes["separators"],
        estimate.material_grams, estimate.cost, estimate.material_changes,
        float(sum(made.contact_area_mm2 for made in structures)), sum(made.counted.number for made in structures),
        max([0.0, *(float(some.max(initial=0.0)) for some in used)]),
        max([0.0, *(float(loads.statics.deflection.value) for loads in reader.each(STATICS))]),
        float(max([0.0, *heights])), {name: severities[name] for name in ("stop", "caution", "note")},
        farthest if math.isfinite(farthest) else None,
    )  # fmt: skip


TRIAL_FIGURES: Node[TrialFigures] = Node("trial figures", "job", _figures, (), _needs)

"""What came of preparing a job, as figures of parts and supports: for the command line and batches."""

from __future__ import annotations

from typing import Any

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job.job import Job
from lean_trellis.core.strength.figures import USED_WORDS, GripFigures
from lean_trellis.core.strength.statics import PartLoads
from lean_trellis.core.supports.bars.facts.figures import USED_WORDS as BAR_WORDS
from lean_trellis.core.supports.bars.facts.figures import BarFigures
from lean_trellis.core.supports.common.spec import spec_of


def prepared_parts(job: Job, pipeline: Pipeline) -> list[dict[str, Any]]:
    """Per part: how many regions, and its supports with their figures."""
    parts = []
    for part in job.parts:
        figures, loads = pipeline.figures(part.id, job), pipeline.statics(part.id, job)
        supports = []
        for support in job.supports_of(part.id):
            made = pipeline.structure(support, job)
            entry = {
                "family": support.family,
                "set": support.set_name,
                "count": made.counted.number,
                "volume_mm3": pipeline.built_volume(support, job),
                "volume_sum_mm3": made.volume_mm3,
                "length_mm": made.length_mm,
                "contact_area_mm2": made.contact_area_mm2,
                "contacts": made.contacts.tolist(),
            }
            supports.append(entry | spec_of(support).figures(made) | _under_load(figures[support.id], loads))
        overhangs = pipeline.overhangs(part, job)
        parts.append(
            {
                "name": part.name,
                "regions": len(overhangs.regions),
                "critical_area_mm2": overhangs.critical_area_mm2,
                "supports": supports,
            }
        )
    return parts


def _under_load(figures: BarFigures | GripFigures, loads: PartLoads) -> dict[str, Any]:
    """What is reported of elements under load; deflection, warp and tipping are the part's, with all that holds it."""
    words = BAR_WORDS if isinstance(figures, BarFigures) else USED_WORDS
    statics = loads.statics
    return {
        "strength_used": float(figures.used.max(initial=0.0)),
        "slenderness": float(figures.slenderness.max(initial=0.0)),
        "most_load_n": float(figures.loads_n.max(initial=0.0)),
        "deflection_mm": statics.deflection.value,
        "plate_hold_used": max(statics.plate.value, float(figures.feet_used.max(initial=0.0))),
        "warp_used": statics.warp.value,
        "tipping_used": statics.tipping.value,
        "most_loaded": [
            {
                "at_mm": figures.places[number].tolist(),
                "used": float(figures.used[number]),
                "by": words[int(figures.used_by[number])],
                "load_n": float(figures.loads_n[number]),
                "gives_mm": float(figures.gives_mm[number]),
            }
            for number in figures.worst.tolist()
        ],
        "constants": loads.actions.source,
    }

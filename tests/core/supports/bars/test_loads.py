"""Figures of bars under load, by process."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import cylinder
from lean_trellis.core.sets import shipped_sets


@pytest.mark.parametrize(
    ("machine", "material", "set_name", "key"),
    [
        ("metal-260", "steel-316l", "bars-metal", "thermal lift"),
        ("vat-150", "resin-model", "bars-resin-regular", "peel pressure"),
        ("filament-320", "pla", "bars-extrusion", "nozzle push"),
    ],
)
def test_figures_of_each_process_name_their_sources(library, machine, material, set_name, key):
    job = new_job(library.machine(machine), library.material(material))
    mesh = cylinder(12, 6)
    job = edits.add_bodies(job, [Body("disc", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 15.0).job
    job = edits.add_support(job, "part-1", shipped_sets()[set_name]).job
    pipeline = Pipeline()
    figures = pipeline.figures("part-1", job)["support-1"]
    assert key in figures.source
    assert "assumed" in figures.source
    assert len(figures.used) == len(pipeline.bars(job.supports[0], job))
    assert (figures.used > 0).any()
    assert pipeline.figures("part-1", job)["support-1"] is figures, "kept"

"""Volumes of supports."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.export import ExportRequest, export_build
from lean_trellis.core.sets import shipped_sets


@pytest.mark.parametrize("name", ["bars-metal-braced", "lattice-metal", "wall-flank", "raft-follow", "cradle-posts"])
def test_the_volume_told_is_that_of_a_merged_export(metal, name, tmp_path):
    job = edits.add_bodies(new_job(*metal), [Body("a", box((24, 16, 5)), 12)]).job
    job = edits.set_angles(edits.add_support(job, "part-1", shipped_sets()[name]).job, ["part-1"], 45.0, 50.0).job
    pipeline, (support,) = Pipeline(), job.supports
    told, made = pipeline.built_volume(support, job), pipeline.structure(support, job)
    path = tmp_path / "supports.stl"
    export_build(pipeline.state(job), ExportRequest(path, what="supports"))
    (body,) = read_bodies(path)
    if name == "lattice-metal":
        width = float(made.built_thickness)
        assert told == pytest.approx(body.mesh.area * width, rel=0.01), "sheets: area times the width of a scan line"
    else:
        assert told == pytest.approx(body.mesh.volume, rel=1e-4)
    assert told <= made.volume_mm3 + 1e-6
    if name == "bars-metal-braced":
        assert told < 0.95 * made.volume_mm3, "its braces run into its bars"

"""`too_near`: just inside and just outside of what parts side by side need."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.checks.nearness import gap_between
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box


def beside(metal, gap: float, mesh: Mesh | None = None) -> Job:
    job = job_of(metal, box((20, 20, 5)), mesh or box((20, 20, 5)), offset=2.0)
    return edits.move_part(edits.move_part(job, "part-1", 60, 100).job, "part-2", 80 + gap, 100).job


@pytest.mark.parametrize(("gap", "is_told"), [(0.0, True), (0.4, True), (0.98, True), (1.01, False), (3.0, False)])
def test_parts_nearer_than_a_millimetre_are_a_caution_with_their_distance(metal, gap, is_told):
    job = beside(metal, gap)
    assert ("too_near" in codes(job)) is is_told
    if is_told:
        found = the_finding(job, "too_near")
        assert (found.severity, found.value, found.limit) == ("caution", pytest.approx(gap, abs=1e-6), 1.0)
        assert found.at_mm is not None
        assert found.at_mm[0] == pytest.approx(70 + gap / 2, abs=0.6)


def test_what_overlaps_is_told_as_that_and_nothing_more(metal):
    found = codes(beside(metal, -2.0))
    assert "parts_overlap" in found
    assert "too_near" not in found


def test_the_distance_is_between_surfaces_not_boxes(metal):
    """Two balls whose boxes are 0.5 mm apart corner to corner are far from each other."""
    job = job_of(metal, ball(10), ball(10), offset=2.0)
    job = edits.move_part(edits.move_part(job, "part-1", 60, 100).job, "part-2", 80.5, 120.5).job
    assert "too_near" not in codes(job)
    one, other = Pipeline().state(job).parts
    assert gap_between(one, other, 20.0)[0] == pytest.approx(np.hypot(20.5, 20.5) - 20, abs=0.02)


def test_of_an_open_mesh_it_is_the_distance_of_places_on_it(metal):
    cube = box((20, 20, 5))
    one, other = Pipeline().state(beside(metal, 0.5, Mesh(cube.vertices, cube.faces[:-1]))).parts
    gap, _ = gap_between(one, other, 1.0)
    assert gap == pytest.approx(0.5, abs=0.13)

"""What rules of recipes ask about regions: a table in the air, a shelf above the part's own floor."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.derive import Pipeline
from lean_trellis.core.job.edits import protect_faces, set_build_offset
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.uniting import united

TALL = 20.0


@pytest.fixture(scope="module")
def bracket():
    """A floor, a back wall on its edge, a shelf over the floor at 20 mm, another on the far side of the wall."""
    floor, wall = box((40, 20, 3)), box((4, 20, 40), corner=(-4, 0, 0))
    inner, outer = box((13, 20, 3), corner=(-1, 0, 23)), box((23, 20, 3), corner=(-26, 0, 33))
    return united([floor, wall, inner, outer])


def test_what_is_below_and_how_far_decides_between_inner_and_outer(metal, bracket):
    job = set_build_offset(job_of(metal, bracket), ["part-1"], 0.0).job
    inner, outer = sorted(Pipeline().traits(job.parts[0], job), key=lambda one: one.height_mm)
    assert (inner.is_inner, outer.is_inner) == (True, False)
    assert inner.height_mm == pytest.approx(TALL, abs=0.01)
    assert outer.height_mm == pytest.approx(33, abs=0.01)
    assert (inner.kind, inner.angle_deg) == ("face", 0.0)
    assert (inner.span_mm, outer.span_mm) == (pytest.approx(12, rel=0.02), pytest.approx(20, rel=0.02))
    assert not inner.is_island


def test_lifted_regions_are_higher_and_where_a_piece_begins_is_an_island(metal):
    job = set_build_offset(job_of(metal, ball(8)), ["part-1"], 5.0).job
    found = Pipeline().traits(job.parts[0], job)
    assert any(one.is_island for one in found)
    higher = set_build_offset(job, ["part-1"], 9.0).job
    for before, after in zip(found, Pipeline().traits(higher.parts[0], higher), strict=True):
        assert after.height_mm == pytest.approx(before.height_mm + 4)
    assert not any(one.is_protected for one in found)
    faces = Pipeline().overhangs(job.parts[0], job).regions[0].faces[:1]
    marked = protect_faces(job, "part-1", faces, 1).job
    assert Pipeline().traits(marked.parts[0], marked)[0].is_protected

"""Cures that would add a support which reaches nothing say so and change nothing."""

from __future__ import annotations

import pytest

from lean_trellis.core.checks.changes import SupportRegions
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def narrow(metal):
    """A block with a slot of 1 mm under its roof: no bar finds its way into it."""
    block = to_manifold(box((30, 30, 20), corner=(0, 0, 0))) - to_manifold(box((28, 40, 1), corner=(1, -5, 10)))
    mesh = from_manifold(block)
    job = edits.add_bodies(new_job(*metal), [Body("slotted", mesh, len(mesh.faces))]).job
    return edits.set_build_offset(job, ["part-1"], 0).job


def test_a_region_that_nothing_reaches_is_not_supported_by_nothing(narrow):
    pipeline = Pipeline()
    regions = pipeline.overhangs(narrow.part("part-1"), narrow).regions
    (ceiling,) = [region for region in regions if region.kind == "face"]
    with pytest.raises(EditError, match="no support reaches it"):
        SupportRegions("part-1", (ceiling.id,)).edit(narrow, pipeline)


def test_where_it_is_reached_the_set_in_use_is_added(metal):
    pipeline = Pipeline()
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 20, 4)), 12)]).job
    made = SupportRegions("part-1", (0,)).edit(job, pipeline).job
    assert [support.set_name for support in made.supports] == ["bars-metal"]
    braced = edits.add_support(job, "part-1", shipped_sets()["bars-metal-braced"]).job
    made = SupportRegions("part-1").edit(braced, pipeline).job
    assert [support.set_name for support in made.supports] == ["bars-metal-braced"] * 2

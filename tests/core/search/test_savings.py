"""What would save most, each change really computed."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.parts import OVERHANGS
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts.pose import rotation_xyz
from lean_trellis.core.progress import Watch
from lean_trellis.core.search.savings import savings
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


@pytest.fixture(scope="module")
def job(library):
    """A slab that needs its bars, and a block on the plate with a wall beside it that it does not need."""
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    job = edits.add_bodies(job, [Body("held", box((9, 9, 3)), 12), Body("tall", box((9, 9, 30)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 4.0).job
    job = edits.set_build_offset(job, ["part-2"], 0.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return edits.add_support(job, "part-2", shipped_sets()["wall-flank"]).job


@pytest.fixture(scope="module")
def found(job):
    return savings(job, Graph())


def test_what_is_named_saves_what_it_says(job, found):
    graph = Graph()
    now = graph.get(ESTIMATE, None, job)
    assert found
    for saving in found:
        then = graph.get(ESTIMATE, None, saving.edit(job).job)
        assert saving.cost == pytest.approx(now.cost - then.cost)
        assert saving.seconds == pytest.approx(now.build_seconds - then.build_seconds)
        assert saving.edit(job).title == saving.words
    costs = [saving.cost for saving in found]
    assert costs == sorted(costs, reverse=True)


def test_nothing_is_named_that_brings_a_stop(job, found):
    graph = Graph()

    def stops(state):
        return sum(finding.severity == "stop" for finding in graph.get(FINDINGS, None, state))

    assert all(stops(saving.job) <= stops(job) for saving in found)
    words = [saving.words for saving in found]
    assert not any("leaving out bars-metal under held" in one for one in words), "what it holds would fall"


def test_small_regions_are_left_out_together_where_nothing_needs_them_held(library):
    """A slab with a large overhang and ten nicks that are small enough to bridge."""
    solid = to_manifold(box((40, 12, 6), corner=(0, 0, 0)))
    solid = solid - to_manifold(box((14, 12, 3), corner=(0, 0, 0)))
    for place in range(5):
        solid = solid - to_manifold(box((1.6, 1.2, 2), corner=(20 + 3.4 * place, 0, 2)))
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("lettered", from_manifold(solid), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    graph = Graph()
    overhangs = graph.get(OVERHANGS, job.part("part-1"), job)
    small = [region for region in overhangs.regions if region.projected_area_mm2 < 3]
    every = tuple(pick_region(region, job.part("part-1")) for region in overhangs.regions)
    job = edits.add_support(job, "part-1", shipped_sets()["bars-extrusion"], every).job
    found = {saving.words: saving for saving in savings(job, graph)}
    words = f"leaving out bars-extrusion under {len(small)} small regions of lettered"
    assert words in found
    assert found[words].seconds > 0
    kept = found[words].job.supports[0].target
    assert len(kept) == len(overhangs.regions) - len(small) >= 1


def test_another_pose_is_tried_where_supports_follow_it(library):
    """A plate on edge, leaning: flat on the plate it needs nothing."""
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("plate", box((30, 20, 3)), 12)]).job
    job = edits.pose_part(job, "part-1", rotation_xyz(50.0, 0.0, 0.0), "lean").job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-extrusion"]).job
    turned = [saving for saving in savings(job, Graph()) if saving.words.startswith("turning plate by")]
    assert turned
    assert turned[0].cost > 0
    held = edits.add_bars(job, job.supports[0].id, np.zeros((1, 3))).job
    assert not any(saving.words.startswith("turning") for saving in savings(held, Graph())), "work by hand would go"


def test_layers_that_are_higher_are_tried_and_a_stopped_search_ends(job, found):
    assert any(saving.words == "layers of 0.06 mm" for saving in found)

    class Stopped(Watch):
        def at(self, share: float, words: str = "") -> None:
            if words.startswith("trying"):
                raise Cancelled

    with pytest.raises(Cancelled):
        savings(job, Graph(), Stopped())

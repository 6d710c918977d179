"""What would save most, each change really computed."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.progress import Watch
from lean_trellis.core.search.savings import savings
from lean_trellis.core.sets import shipped_sets


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


def test_layers_that_are_higher_are_tried_and_a_stopped_search_ends(job, found):
    assert any(saving.words == "layers of 0.06 mm" for saving in found)

    class Stopped(Watch):
        def at(self, share: float, words: str = "") -> None:
            if words.startswith("trying"):
                raise Cancelled

    with pytest.raises(Cancelled):
        savings(job, Graph(), Stopped())

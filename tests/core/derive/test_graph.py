"""The graph: the cache gives what a fresh computation gives, whatever was changed; nothing undeclared is read."""

from __future__ import annotations

from dataclasses import replace

import pytest
from graph_cases import Known, Walk, core_nodes, everything, small_jobs
from leaves import Leaf, changed, leaves

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.node import Node
from lean_trellis.core.job import new_job


def cases() -> list[tuple[str, Leaf]]:
    """Every kind of leaf once, in the first job that has it; values of supports in the job of their support."""
    seen, chosen = set(), []
    for name, job in small_jobs().items():
        for leaf in leaves(job):
            if "filling" in leaf.path and "material" in leaf.path and leaf.path[-1] != "density":
                continue  # a separator's material is told apart as the job's is, whose fields are all walked
            of_support = leaf.path[0] == "supports" and "parameters" in leaf.path
            key = (name if of_support else "", leaf.kind)
            if key not in seen:
                seen.add(key)
                chosen.append((name, leaf))
    return chosen


CASES = cases()


def leaves_of(name: str) -> list[Leaf]:
    return [leaf for owner, leaf in CASES if owner == name]


@pytest.mark.parametrize("name", small_jobs())
def test_whatever_field_is_changed_no_result_stays_that_follows_from_it(name):
    assert Walk(small_jobs()[name], core_nodes()).stale(leaves_of(name)) == []


@pytest.mark.parametrize("name", small_jobs())
def test_the_cache_gives_what_a_fresh_computation_gives(name):
    job, known, warm = small_jobs()[name], Known(), Graph()
    everything(warm, job, known)
    for leaf in leaves_of(name)[3::20]:
        after = changed(job, leaf)
        assert everything(warm, after, known) == everything(Graph(None), after), leaf
    assert known.changed() == []


def test_a_walk_names_the_field_that_a_node_reads_without_a_word():
    def volume(known):
        return known.subject.mesh.volume * known.job.layer_height

    def weight(known):
        (of,) = known.each(declared) + known.each(silent)
        return of * known.job.support_every

    job = small_jobs()["bars-metal"]
    silent = Node("volume, silently", "part", volume, reads=("part.mesh",))
    declared = Node("volume", "part", volume, reads=("part.mesh", "job.layer_height"))
    above = Node("weight", "part", weight, reads=("job.support_every",), needs=lambda part, *_: [(silent, part)])
    sound = Node("weight too", "part", weight, reads=("job.support_every",), needs=lambda part, *_: [(declared, part)])
    assert Walk(job, [declared, sound]).stale(leaves_of("bars-metal")) == []
    assert Walk(job, [silent]).stale(leaves_of("bars-metal")) == ["layer_height: volume, silently"]
    assert Walk(job, [silent, above]).stale(leaves_of("bars-metal")) == ["layer_height: volume, silently"]


def test_every_model_of_a_job_is_walked():
    kinds = {leaf.kind for _, leaf in CASES}
    assert len(CASES) > 250
    for kind in ("layer_height", "surface", "parts.#.pose.build_offset", "parts.#.marks.protected",
                 "supports.#.hand.bars.#.foot.#", "supports.#.parameters.spacing", "stacks.#.filling.inset",
                 "material.detection.critical_angle", "machine.blade_direction_deg"):  # fmt: skip
        assert kind in kinds


@pytest.mark.parametrize(
    ("field", "values"),
    [("surface", ("a", "b")), ("fitting", ("a", "b")), ("lot", ("a", "b")), ("layer_height", (0.02, 0.03)),
     ("first_layer", (None, 0.06)), ("support_every", (1, 2))],
)  # fmt: skip
def test_jobs_share_their_fields_only_where_all_are_the_same(metal, field, values):
    job = new_job(*metal)
    one, other = (replace(job, **{field: value}) for value in values)
    for mine, theirs, shares in ((one, other, False), (other, one, False), (one, replace(one), True)):
        assert Graph().revision(mine).shares_fields_with(theirs) is shares


def test_a_graph_without_a_bound_keeps_everything_and_can_still_be_measured():
    job = small_jobs()["bars-metal"]
    free, bounded = Graph(None), Graph()
    assert everything(free, job) == everything(bounded, job)
    assert free.bytes_kept == pytest.approx(bounded.bytes_kept, rel=0.01)
    made = len(free.made)
    everything(free, job)
    assert len(free.made) - made < made / 2, "what is kept is not made again"
    free.clear()
    assert free.bytes_kept == 0

"""The graph: the cache gives what a fresh computation gives, whatever was changed; nothing undeclared is read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from digests import digest
from leaves import Leaf, changed, leaves

from full_job import full_job
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.guard import UndeclaredReadError, guarded
from lean_trellis.core.derive.node import Node, all_nodes
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.spec import spec_of


def subjects(node: Node[Any], job: Job) -> list[Any]:
    """Everything in a job that a node can be about."""
    match node.kind:
        case "mesh":
            return [part.mesh for part in job.parts]
        case "part":
            return list(job.parts)
        case "stack":
            return list(job.stacks)
        case "job":
            return [None]
    with_first_step = node.name != "first step"
    return [one for one in job.supports if with_first_step or spec_of(one).first_step is not None]


def core_nodes() -> list[Node[Any]]:
    return [node for node in all_nodes() if node.make.__module__.startswith("lean_trellis.core")]


def everything(graph: Graph, job: Job) -> dict[tuple[str, int], str]:
    """Digests of all results of a job, or the errors that they end in."""
    found = {}
    for node in core_nodes():
        for number, subject in enumerate(subjects(node, job)):
            try:
                found[node.name, number] = digest(graph.get(node, subject, job))
            except (TrellisError, KeyError) as problem:  # a process that the constants are not for
                found[node.name, number] = f"error: {problem}"
    return found


def small_jobs() -> dict[str, Job]:
    """Jobs that together hold every model of the full one, each small enough to be computed often."""
    job = full_job()
    found = {}
    for support in job.supports:
        parts = tuple(part for part in job.parts if part.id in support.parts)
        # Fewer places to hold: what follows from a value matters here, not how many there are.
        found[support.set_name] = replace(job, parts=parts, supports=(support,), stacks=())
    found["stacks"] = replace(job, parts=job.parts[2:], supports=())
    return found


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


@pytest.mark.parametrize("name", list(small_jobs()))
def test_whatever_field_is_changed_the_cache_gives_what_a_fresh_computation_gives(name):
    job = small_jobs()[name]
    wrong, warm = [], Graph()
    everything(warm, job)
    for leaf in (leaf for owner, leaf in CASES if owner == name):
        after = changed(job, leaf)
        if everything(warm, after) != everything(Graph(), after):
            wrong.append(str(leaf))
    assert wrong == []


def test_every_model_of_a_job_is_walked():
    kinds = {leaf.kind for _, leaf in CASES}
    assert len(CASES) > 250
    for kind in ("layer_height", "surface", "parts.#.pose.build_offset", "parts.#.marks.protected",
                 "supports.#.hand.bars.#.foot.#", "supports.#.parameters.spacing", "stacks.#.filling.inset",
                 "material.detection.critical_angle", "machine.blade_direction_deg"):  # fmt: skip
        assert kind in kinds


@pytest.mark.parametrize("name", list(small_jobs()))
def test_no_node_reads_what_it_does_not_declare(name):
    job = small_jobs()[name]
    assert everything(Graph(is_guarded=True), job) == everything(Graph(), job)


def test_an_undeclared_read_raises_also_through_a_method_or_a_property():
    job = full_job()
    part = guarded(job.parts[0], "some node", ["pose", "marks.hand"])
    assert part.pose is job.parts[0].pose
    assert part.marks.hand is job.parts[0].marks.hand
    for read in (lambda: part.name, lambda: part.marks.protected, lambda: part.placed, part.bounds):
        with pytest.raises(UndeclaredReadError, match="some node"):
            read()


def test_a_node_gets_only_the_results_that_it_declares():
    graph, job = Graph(), full_job()
    node = next(node for node in core_nodes() if node.name == "health")
    reader = graph._reader(node, job.parts[0].mesh, graph.revision(job), None)
    other = next(node for node in core_nodes() if node.name == "tree")
    assert reader.subjects(other) == []
    with pytest.raises(ValueError, match="unpack"):
        reader.one(other)


def forty(metal) -> Job:
    """Forty supported parts far apart but for the first two."""
    bodies = [Body(f"part {n}", box((6, 6, 4)), 12) for n in range(40)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    parts = [
        replace(part, pose=replace(part.pose, x=100.0 * (n % 8), y=100.0 * (n // 8), build_offset=3.0))
        for n, part in enumerate(job.parts)
    ]
    parts[1] = replace(parts[1], pose=replace(parts[1].pose, x=20.0, y=0.0))
    job = replace(job, parts=tuple(parts))
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return job


@pytest.mark.parametrize(("moved", "again"), [("part-20", {"part-20"}), ("part-1", {"part-1", "part-2"})])
def test_a_move_of_one_part_of_forty_checks_it_and_its_neighbours_alone(metal, moved, again):
    from lean_trellis.core.derive.checks import CHECK_NODES, FINDINGS

    graph, job = Graph(), forty(metal)
    graph.get(FINDINGS, None, job)
    graph.made.clear()
    x, y = job.part(moved).pose.x, job.part(moved).pose.y
    graph.get(FINDINGS, None, edits.move_part(job, moved, x, y + 1.5).job)
    made = [(name, subject.id) for name, subject in graph.made if name.startswith("check: ")]
    assert {part for _, part in made} == again
    assert {name for name, part in made if part == moved} == {node.name for node in CHECK_NODES} - {
        "check: fittings"
    } | ({"check: fittings"} if moved == "part-1" else set())


def test_a_renamed_part_is_checked_again_and_no_other(metal):
    from lean_trellis.core.derive.checks import FINDINGS

    graph, job = Graph(), forty(metal)
    before = graph.get(FINDINGS, None, job)
    graph.made.clear()
    after = graph.get(FINDINGS, None, edits.describe_part(job, "part-9", name="Keel").job)
    assert {subject.id for name, subject in graph.made if name.startswith("check: ")} == {"part-9"}
    assert {finding.part for finding in after} - {finding.part for finding in before} <= {"Keel"}


@pytest.mark.parametrize("field", ["surface", "fitting", "lot"])
def test_jobs_share_their_fields_only_where_all_are_the_same(metal, field):
    job = new_job(*metal)
    one, other = replace(job, **{field: "a"}), replace(job, **{field: "b"})
    for mine, theirs, shares in ((one, other, False), (other, one, False), (one, replace(one), True)):
        assert Graph().revision(mine).shares_fields_with(theirs) is shares

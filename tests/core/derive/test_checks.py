"""Findings kept by check and part."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


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


@pytest.fixture(scope="module")
def checked(metal):
    """The job with the graph that knows all its findings."""
    from lean_trellis.core.derive.checks import FINDINGS

    graph, job = Graph(), forty(metal)
    graph.get(FINDINGS, None, job)
    return graph, job


@pytest.mark.parametrize(("moved", "again"), [("part-20", {"part-20"}), ("part-1", {"part-1", "part-2"})])
def test_a_move_of_one_part_of_forty_checks_it_and_its_neighbours_alone(checked, moved, again):
    from lean_trellis.core.derive.checks import CHECK_NODES, FINDINGS

    graph, job = checked
    graph.made.clear()
    x, y = job.part(moved).pose.x, job.part(moved).pose.y
    graph.get(FINDINGS, None, edits.move_part(job, moved, x, y + 1.5).job)
    made = [(name, subject.id) for name, subject in graph.made if name.startswith("check: ")]
    assert {part for _, part in made} == again
    once = {"check: fittings", "check: settings", "check: trials", "check: material loaded"}
    every = {node.name for node in CHECK_NODES}
    assert {name for name, part in made if part == moved} == (every if moved == "part-1" else every - once)


def test_a_renamed_part_is_checked_again_and_no_other(checked):
    from lean_trellis.core.derive.checks import FINDINGS

    graph, job = checked
    before = graph.get(FINDINGS, None, job)
    graph.made.clear()
    after = graph.get(FINDINGS, None, edits.describe_part(job, "part-9", name="Keel").job)
    assert {subject.id for name, subject in graph.made if name.startswith("check: ")} == {"part-9"}
    assert {finding.part for finding in after} - {finding.part for finding in before} <= {"Keel"}

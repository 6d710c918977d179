"""Nodes of meshes, parts and stacks."""

from __future__ import annotations

import pytest
from checked_parts import job_of, stack_of

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.parts import (
    FILLINGS,
    HEALTH,
    ISLANDS,
    MAIN_AXIS,
    OBSTACLE,
    OVERHANGS,
    PLACED,
    SHADOW,
    TOPOLOGY,
)
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts.stacking import Separator, Spacer


@pytest.fixture
def slab(metal):
    return job_of(metal, box((20, 14, 4)), ball(6))


def test_what_follows_from_a_mesh_alone_is_made_once_for_all_its_parts(slab):
    graph, job = Graph(), edits.copy_part(slab, "part-1").job
    one, _, copy = job.parts
    assert one.mesh is copy.mesh
    for node in (TOPOLOGY, HEALTH, MAIN_AXIS):
        assert graph.get(node, one.mesh, job) is graph.get(node, copy.mesh, job)
    assert graph.get(HEALTH, one.mesh, job).is_sound


def test_what_follows_from_a_pose_is_made_anew_where_it_changes(slab):
    graph = Graph()
    moved = edits.turn_part(slab, "part-1", "x", 90.0).job
    for node in (PLACED, SHADOW, OVERHANGS, ISLANDS):
        before, after = (graph.get(node, job.parts[0], job) for job in (slab, moved))
        assert before is not after
        assert graph.get(node, slab.parts[1], slab) is graph.get(node, moved.parts[1], moved), "the other part stays"
    assert graph.get(SHADOW, slab.parts[0], slab).area == pytest.approx(280)
    assert graph.get(SHADOW, moved.parts[0], moved).area == pytest.approx(80)


def test_an_obstacle_is_made_of_what_is_kept_and_not_kept_itself(slab):
    graph = Graph()
    one, other = (graph.get(OBSTACLE, slab.parts[0], slab) for _ in range(2))
    assert one is not other
    assert one.tree is other.tree


@pytest.mark.parametrize(("kind", "volume"), [("separator", 400 * 0.4), ("spacer", 10 * 10 * 2.0), ("nothing", None)])
def test_a_filling_lies_in_every_gap(library, kind, volume):
    fillings = {
        "separator": Separator(library.material("petg"), 0.0, 2),
        "spacer": Spacer("block", box((10, 10, 2))),
        "nothing": None,
    }
    job = stack_of(library, fillings[kind], 2.0, "mm")
    made = Graph().get(FILLINGS, job.stacks[0], job)
    assert [mesh.volume for mesh in made] == pytest.approx([] if volume is None else [volume] * 2)

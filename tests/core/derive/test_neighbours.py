"""Who is near whom: by boxes and by how far supports reach, the own part first, copies in the same order."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.derive.neighbours import Neighbours, box_of
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def row(metal):
    """Four cubes of 10 in a row, the first two 4 apart, the others 40 and more; one tall one beside the second."""
    bodies = [Body(f"part {n}", box((10, 10, 10 + n)), 12) for n in range(4)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    for part, x in zip(job.parts, (50.0, 64.0, 120.0, 200.0), strict=True):
        job = edits.move_part(job, part.id, x, 100).job
    return job


def ids(parts):
    return [part.id for part in parts]


def test_a_parts_box_is_where_it_stands(row):
    low, high = box_of(row.part("part-1"))
    assert low[:2].tolist() == [45, 95]
    assert high[:2].tolist() == [55, 105]


def test_without_supports_only_what_may_be_too_near_is_near(row):
    near = Neighbours(row)
    assert ids(near.of_part(row.part("part-1"))) == ["part-1"]
    touching = edits.move_part(row, "part-2", 60.99, 100).job
    assert ids(Neighbours(touching).of_part(touching.part("part-1"))) == ["part-1", "part-2"]
    apart = edits.move_part(row, "part-2", 61.01, 100).job
    assert ids(Neighbours(apart).of_part(apart.part("part-1"))) == ["part-1"]


def test_supports_reach_out_and_clusters_go_on_from_neighbour_to_neighbour(row):
    job = edits.add_support(row, "part-2", shipped_sets()["wall-flank"]).job
    job = edits.change_support(job, job.supports[0].id, "standoff", 1.0).job
    near = Neighbours(job)
    reach = near.reach_of(job.supports[0])
    assert reach >= 4
    assert near.of_support(job.supports[0])[0].id == "part-2"
    within = {part.id for part in job.parts if part.id == "part-2" or _gap(job, part.id, "part-2") <= reach}
    assert set(ids(near.of_support(job.supports[0]))) == within
    assert "part-4" not in within
    assert set(ids(near.of_part(job.part("part-1")))) == {"part-1", "part-2"} | ({"part-3"} & within)
    assert set(ids(near.cluster_of(job.part("part-1")))) == within | {"part-1"}
    assert ids(near.cluster_of(job.part("part-4"))) == ["part-4"]


def test_one_that_is_tried_out_has_its_own_reach(row):
    job = edits.add_support(row, "part-2", shipped_sets()["wall-flank"]).job
    support = job.supports[0]
    near = Neighbours(job)
    wide = replace(support, parameters=support.parameters.model_copy(update={"standoff": 130.0}))
    assert set(ids(near.of_support(wide))) >= set(ids(near.of_support(support)))
    assert "part-4" in ids(near.of_support(wide))
    narrow = replace(support, parameters=support.parameters.model_copy(update={"standoff": 0.5}))
    assert "part-4" not in ids(near.of_support(narrow))


def test_neighbours_come_in_an_order_that_does_not_follow_from_that_of_adding(row):
    job = edits.add_support(row, "part-2", shipped_sets()["wall-flank"]).job
    other_way = replace(job, parts=tuple(reversed(job.parts)))
    assert ids(Neighbours(job).of_support(job.supports[0])) == ids(Neighbours(other_way).of_support(job.supports[0]))


def test_a_job_without_parts_has_no_neighbours(metal):
    assert Neighbours(new_job(*metal))._clusters.tolist() == []


def _gap(job, one, other):
    (low, high), (start, stop) = box_of(job.part(one))[:, :2], box_of(job.part(other))[:, :2]
    return max(0.0, *(start - high), *(low - stop))

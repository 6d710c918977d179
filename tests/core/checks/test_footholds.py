"""What everything stands on, worked out once for parts that stand near each other."""

from __future__ import annotations

from checked_parts import job_of, supported

from lean_trellis.core.checks.footholds import footholds_of
from lean_trellis.core.derive.checks import FOOTHOLDS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box


def test_a_part_on_the_plate_one_in_the_air_and_one_held_by_bars(metal):
    job = job_of(metal, box((10, 10, 5)), box((10, 10, 5)), box((10, 10, 5)), offset=4.0)
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    job = supported(job)
    job = edits.remove_supports(job, [one.id for one in job.supports if one.part_id != "part-3"]).job
    found = footholds_of(Pipeline().state(job))
    assert [found[f"part-{n}"].stands for n in (1, 2, 3)] == [True, False, True]
    assert [found[f"part-{n}"].hangs_on_supports for n in (1, 2, 3)] == [False, False, True]
    support = found[job.supports[0].id]
    assert support.stands
    assert support.unfounded == ()
    assert support.pieces > 1


def test_a_shell_that_floats_beside_one_that_stands_is_loose(metal):
    job = job_of(metal, join([box((10, 10, 5)), box((4, 4, 4), corner=(20, 0, 9))]), offset=0.0)
    found = footholds_of(Pipeline().state(job))["part-1"]
    assert (found.stands, found.pieces, len(found.loose)) == (True, 2, 1)
    assert found.loose[0][2] == 9.0


def test_it_is_made_once_for_a_cluster(metal):
    job = job_of(metal, *[box((6, 6, 4))] * 3, offset=0.0)
    for number, part in enumerate(job.parts):
        job = edits.move_part(job, part.id, 100.0 + 7.0 * number, 100.0).job
    graph = Graph()
    from lean_trellis.core.derive.checks import FINDINGS

    graph.get(FINDINGS, None, job)
    assert sum(name == FOOTHOLDS.name for name, _ in graph.made) == 1

"""How far a surface may lie from what holds it: by its angle, as the material says."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import codes, job_of, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


@pytest.mark.parametrize("angle", [0.0, 12.0, 27.0, 38.0])
def test_the_free_span_is_that_of_the_surfaces_own_angle(metal, angle):
    job = edits.add_bodies(new_job(*metal), [Body("plate", box((30, 30, 2)), 12)]).job
    job = edits.turn_part(job, "part-1", "x", angle).job
    span = job.material.free_span
    limits = {
        round(finding.limit, 6)
        for finding in Pipeline().findings(job)
        if finding.code == "region_not_held" and "low edge" not in finding.message
    }
    assert limits == {round(span.at(angle), 6)}
    assert span.at(angle) > span.at(0.0) or angle == 0


def test_a_region_too_far_from_a_hold_tells_the_distance_and_the_materials_span(metal):
    sparse = supported(job_of(metal, box((30, 30, 5))), spacing=12.0, rim_row=False)
    found = the_finding(sparse, "region_not_held")
    assert found.limit == pytest.approx(2.6)
    assert 5 < found.value < 12
    assert found.source.startswith("assumed")
    bars = Pipeline().bars(sparse.supports[0], sparse)
    away = np.linalg.norm(bars.holds - np.array(found.at_mm), axis=1).min()
    assert found.value == pytest.approx(away)
    assert "region_not_held" not in codes(supported(job_of(metal, box((30, 30, 5)))))


def test_the_limit_is_the_materials_never_the_sets(metal):
    job = supported(job_of(metal, box((30, 30, 5))), spacing=6.0, rim_row=False)
    assert "region_not_held" in codes(job)
    span = job.material.free_span
    wider = span.model_copy(update={"spans": tuple(max(9.0, least) for least in span.spans)})
    softer = job.material.model_copy(update={"free_span": wider})
    assert "region_not_held" not in codes(replace(job, material=softer))


def test_a_wall_carries_near_it_and_a_far_ceiling_is_found(metal, table):
    found = the_finding(job_of(metal, table, offset=0), "region_not_held")
    assert found.value == pytest.approx(np.hypot(16, 16), abs=1.5)
    assert found.at_mm[2] == pytest.approx(20)


def test_islands_points_and_edges_must_be_held(metal):
    job = job_of(metal, box((9, 9, 9)))
    job = edits.turn_part(job, "part-1", "x", 45).job
    assert {"island_not_held", "region_not_held"} <= set(codes(job))
    assert "low edge" in the_finding(job, "region_not_held").message
    assert codes(supported(job)) == []


def test_an_open_mesh_in_the_air_is_held_like_a_closed_one(metal):
    cube = box((20, 20, 5))
    top = np.flatnonzero(cube.normals[:, 2] > 0.5)
    job = job_of(metal, Mesh(cube.vertices, np.delete(cube.faces, top, axis=0)))
    assert {"region_not_held", "in_the_air", "mesh_unsound"} <= set(codes(job))
    assert codes(supported(job)) == ["mesh_unsound"]


def test_the_cure_of_a_region_supports_just_that_region(metal):
    pipeline, job = Pipeline(), job_of(metal, box((20, 20, 5)))
    found = next(f for f in pipeline.findings(job) if f.code == "region_not_held")
    (number,) = found.cures[0].change.regions
    part = job.parts[0]
    pick = pick_region(pipeline.overhangs(part, job).regions[number], part)
    assert codes(edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick,)).job) == []

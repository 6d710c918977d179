"""Parts that share volume, however little; what only touches shares none."""

from __future__ import annotations

import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.checks.overlap import check_overlap
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box


@pytest.mark.parametrize(("deep", "shared"), [(0.001, 0.2), (0.01, 2.0), (5.0, 1000.0)])
def test_what_is_shared_is_told_from_a_fifth_of_a_cubic_millimetre_on(metal, deep, shared):
    bodies = [Body(name, box((20, 20, 10)), 12) for name in ("one", "two")]
    job = edits.set_build_offset(edits.add_bodies(new_job(*metal), bodies).job, ["part-1", "part-2"], 0.0).job
    job = edits.move_part(edits.move_part(job, "part-1", 100, 100).job, "part-2", 120 - deep, 100).job
    (found,) = check_overlap(Pipeline().state(job))
    assert (found.severity, found.part_id) == ("stop", "part-1")
    assert found.value == pytest.approx(shared, rel=1e-3)
    assert f"{shared:.2f} mm³" in found.message
    x, y, z = found.at_mm
    assert (x, y, z) == (pytest.approx(110 - deep / 2), pytest.approx(100), pytest.approx(5))
    apart = edits.move_part(job, "part-2", 120, 100).job
    assert list(check_overlap(Pipeline().state(apart))) == []


def test_parts_that_share_volume_stop_and_touching_ones_do_not(metal):
    job = job_of(metal, box((20, 20, 5)), box((20, 20, 5)), offset=0)
    half = edits.move_part(edits.move_part(job, "part-1", 100, 100).job, "part-2", 110, 100).job
    assert the_finding(half, "parts_overlap").value == pytest.approx(10 * 20 * 5)
    touching = edits.move_part(half, "part-2", 120, 100).job
    assert "parts_overlap" not in codes(touching)


def test_an_unsound_mesh_stops_and_its_overlap_is_left_open(metal):
    cube = box((10, 10, 10))
    opened = Mesh(cube.vertices, cube.faces[:-1])
    found = the_finding(job_of(metal, opened, offset=0), "mesh_unsound")
    assert (found.severity, found.value) == ("stop", 3)
    both = edits.copy_part(job_of(metal, opened, offset=0), "part-1", in_place=True).job
    overlap = the_finding(both, "parts_overlap")
    assert overlap.severity == "caution"

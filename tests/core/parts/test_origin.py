"""Where a part came from."""

from __future__ import annotations

from lean_trellis.core.formats import read_bodies
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Origin


def test_a_part_knows_its_file_its_unit_and_by_whom_that_was_said(metal, tmp_path):
    path = tmp_path / "slab.stl"
    path.write_bytes(stl_bytes(box((20, 10, 5))))
    job = edits.add_bodies(new_job(*metal), read_bodies(path, unit="cm"), file=str(path)).job
    assert job.parts[0].origin == Origin(file=str(path), body=0, unit="cm", unit_is_from="user", tolerance_mm=None)
    assert Origin() == Origin("", 0, "mm", "user", None)

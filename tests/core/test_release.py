"""Export: what is written holds what was asked, merged or separate."""

from __future__ import annotations

import pytest

from lean_trellis.core.demo import metal_build
from lean_trellis.core.errors import AccessError, EditError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.pipeline import Pipeline
from lean_trellis.core.release import ExportRequest, export_build
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def state(metal):
    job = edits.add_bodies(new_job(*metal, "Small"), [Body("a/b: slab", box((12, 12, 4)), 12)]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return Pipeline().state(job)


def test_merged_3mf_keeps_parts_and_supports_as_named_objects(state, tmp_path):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.3mf", "3mf"))
    part, support = read_bodies(path)
    assert (part.name, support.name) == ("a/b: slab", "a/b: slab support 1")
    assert part.mesh.volume == pytest.approx(12 * 12 * 4)
    assert examine_mesh(support.mesh).is_sound


def test_merged_stl_is_one_solid_in_which_overlaps_count_once(state, tmp_path):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.stl", "stl"))
    (body,) = read_bodies(path)
    health = examine_mesh(body.mesh)
    bars = state.supports[0].bars
    assert health.volume_mm3 < 576 + bars.volume_mm3
    assert health.volume_mm3 > 576 + 0.9 * bars.volume_mm3
    assert health.shells == 1


def test_separate_files_one_a_body(state, tmp_path):
    files = export_build(state, ExportRequest(tmp_path / "all", "stl", merged=False))
    assert [path.name for path in files] == ["a_b_ slab.stl", "a_b_ slab support 1.stl"]
    assert read_bodies(files[1])[0].mesh.volume == pytest.approx(state.supports[0].bars.volume_mm3, rel=1e-4)


@pytest.mark.parametrize(("what", "count"), [("parts", 1), ("supports", 1), ("all", 2)])
def test_what_is_asked_is_written(state, tmp_path, what, count):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.3mf", "3mf", what))
    assert len(read_bodies(path)) == count


def test_nothing_to_export_and_no_place_for_it_are_refused(metal, state, tmp_path):
    empty = Pipeline().state(new_job(*metal))
    with pytest.raises(EditError, match="no all to export"):
        export_build(empty, ExportRequest(tmp_path / "out.stl"))
    with pytest.raises(AccessError):
        export_build(state, ExportRequest(tmp_path / "no" / "out.stl"))


def test_the_demo_is_sound_large_enough_and_needs_supports_inside(library):
    job = metal_build(library)
    pipeline = Pipeline()
    assert len(job.parts) >= 4
    assert sum(len(part.mesh.faces) for part in job.parts) >= 20_000
    assert all(pipeline.health(part.mesh).is_sound for part in job.parts)
    manifold = next(part for part in job.parts if part.name == "Sensor manifold")
    (support,) = job.supports_of(manifold.id)
    bars = pipeline.bars(support, job)
    assert (bars.landings == 1).sum() > 50
    assert not [
        f for f in pipeline.findings(job) if f.code in ("parts_overlap", "outside_volume", "support_through_part")
    ]

"""Edits of marks."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import down
from checked_parts import job_of
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.refining import refined_near
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.size import Size


def regions(job):
    return Pipeline().overhangs(job.parts[0], job).regions


def test_a_region_is_split_merged_taken_from_and_found_again(metal):
    job = job_of(metal, ball(10, subdivisions=4))
    (cap,) = regions(job)
    part = job.parts[0]
    left = part.placed.centroids_of(cap.faces)[:, 0] < part.pose.x
    halved = edits.split_region(job, "part-1", cap.faces, left).job
    one, other = regions(halved)
    assert one.area_mm2 + other.area_mm2 == pytest.approx(cap.area_mm2)
    assert one.area_mm2 == pytest.approx(other.area_mm2, rel=0.05)
    merged = edits.merge_regions(halved, "part-1", [one.faces, other.faces]).job
    (whole,) = regions(merged)
    assert whole.area_mm2 == pytest.approx(cap.area_mm2)
    fewer = edits.take_from_regions(merged, "part-1", cap.faces[:10]).job
    assert regions(fewer)[0].area_mm2 == pytest.approx(cap.area_mm2 - part.mesh.areas[cap.faces[:10]].sum())
    more = edits.add_to_region(fewer, "part-1", regions(fewer)[0].faces, cap.faces[:10]).job
    assert regions(more)[0].area_mm2 == pytest.approx(cap.area_mm2)
    again = edits.regions_by_angle(more, "part-1").job
    assert [region.is_by_hand for region in regions(again)] == [False]


@given(st.integers(0, 2**31))
def test_parting_a_region_any_way_keeps_its_area(metal_for_properties, seed):
    job = job_of(metal_for_properties, ball(10, subdivisions=2))
    (cap,) = regions(job)
    left = np.random.default_rng(seed).random(len(cap.faces)) < 0.5
    if left.all() or not left.any():
        with pytest.raises(EditError, match="does not cross"):
            edits.split_region(job, "part-1", cap.faces, left)
        return
    parted = regions(edits.split_region(job, "part-1", cap.faces, left).job)
    assert sum(region.area_mm2 for region in parted) == pytest.approx(cap.area_mm2)
    assert len(parted) == 2


@pytest.fixture(scope="module")
def metal_for_properties(library):
    return library.machine("metal-260"), library.material("steel-316l")


def test_a_region_that_holds_itself_is_taken_back_and_left_out_again(metal):
    step = to_manifold(box((10, 20, 10))) + to_manifold(box((0.3, 20, 3), corner=(10, 0, 5)))
    job = edits.set_build_offset(job_of(metal, from_manifold(step)), ["part-1"], 0).job
    (ledge,) = regions(job)
    assert ledge.left_out
    taken = edits.take_back(job, "part-1", np.array(ledge.anchor_mm)).job
    assert regions(taken)[0].left_out == ""
    turned = edits.turn_part(taken, "part-1", "z", 37).job
    assert regions(turned)[0].left_out == "", "it goes with the part"
    larger = edits.set_size(turned, ["part-1"], Size((1.05, 1.05, 1.05))).job
    assert regions(larger)[0].left_out == ""
    assert regions(edits.leave_out(turned, "part-1", np.array(regions(turned)[0].anchor_mm)).job)[0].left_out


def test_protection_goes_with_the_part_through_turning_sizing_mirroring_and_copies(metal):
    mesh = box((20, 12, 8))
    job = job_of(metal, mesh)
    job = edits.protect_faces(job, "part-1", down(mesh), KEEP_OFF).job
    job = edits.protect_faces(job, "part-1", np.flatnonzero(mesh.normals[:, 0] > 0.9), AVOID).job
    for changed in (
        edits.turn_part(job, "part-1", "x", 70).job,
        edits.set_size(job, ["part-1"], Size((1.1, 1.0, 0.9))).job,
        edits.mirror_part(job, "part-1", "y").job,
        edits.retake_unit(job, ["part-1"], "cm").job,
    ):
        assert changed.parts[0].marks.protected == job.parts[0].marks.protected
    copied = edits.copy_part(job, "part-1").job
    assert copied.parts[1].marks == job.parts[0].marks
    cleared = edits.protect_faces(job, "part-1", np.arange(12), 0).job
    assert cleared.parts[0].marks.is_empty


def test_a_revised_mesh_takes_the_marks_over_by_place_and_direction(metal):
    """The same plate with a hole drilled, cut into other triangles."""
    plate = box((40, 30, 4))
    job = edits.protect_faces(job_of(metal, plate), "part-1", down(plate), KEEP_OFF).job
    revised = from_manifold(to_manifold(plate).refine(6) - to_manifold(cylinder(3, 10)).translate((8, 8, -2)))
    changed = edits.replace_mesh(job, "part-1", revised, "Revise").job.parts[0]
    protected = changed.marks.protected.faces(KEEP_OFF)
    bottom = np.flatnonzero(changed.mesh.normals[:, 2] < -0.9)
    shared = np.intersect1d(protected, bottom)
    assert changed.mesh.areas[shared].sum() >= 0.95 * changed.mesh.areas[bottom].sum()
    assert changed.mesh.areas[np.setdiff1d(protected, bottom)].sum() == 0


def test_painting_a_finer_mesh_keeps_marks_size_and_pose(metal):
    mesh = box((20, 12, 8))
    job = edits.set_size(job_of(metal, mesh), ["part-1"], Size((1.5, 1.0, 2.0))).job
    job = edits.protect_faces(job, "part-1", down(mesh), AVOID).job
    before = job.parts[0]
    finer = refined_near(before.mesh, np.array([[5.0, 6.0, 16.0]]), 3.0, 1.0)
    top = np.flatnonzero(finer.mesh.normals[:, 2] > 0.9)[:20]
    after = edits.protect_finer(job, "part-1", finer, top, KEEP_OFF).job.parts[0]
    assert len(after.mesh.faces) == len(finer.mesh.faces)
    np.testing.assert_allclose(after.mesh.vertices, finer.mesh.vertices)
    np.testing.assert_array_equal(after.nominal_mesh.vertices[:8], mesh.vertices)
    np.testing.assert_allclose(after.bounds(), before.bounds())
    avoided = after.marks.protected.faces(AVOID)
    assert after.mesh.areas[avoided].sum() == pytest.approx(30 * 12), "the bottom is still to be avoided"
    assert sorted(after.marks.protected.faces(KEEP_OFF).tolist()) == sorted(top.tolist())

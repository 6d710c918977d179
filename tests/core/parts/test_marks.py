"""Marks on parts: regions by hand, protection, taking back; through turns, sizes, mirrors, files and revisions."""

from __future__ import annotations

import json
import zipfile

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, FormatError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.features import fine_detail, inner_faces
from lean_trellis.core.mesh.picking import (
    alike,
    grown,
    in_plane,
    shrunk,
    smooth_patches,
    under_area,
    within_reach,
)
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, revolution, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.refining import refined_near
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.size import Size


def one_part(metal, mesh):
    return edits.add_bodies(new_job(*metal), [Body("part", mesh, len(mesh.faces))]).job


def regions(job):
    return Pipeline().overhangs(job.parts[0], job).regions


def down(mesh):
    return np.flatnonzero(mesh.normals[:, 2] < -0.9)


# --- regions by hand ---


def test_a_region_is_split_merged_taken_from_and_found_again(metal):
    job = one_part(metal, ball(10, subdivisions=4))
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
    job = one_part(metal_for_properties, ball(10, subdivisions=2))
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


def test_marks_refuse_what_cannot_be(metal):
    job = one_part(metal, box((10, 10, 10)))
    nothing = np.zeros(0, np.int64)
    for act in (
        lambda: edits.region_by_hand(job, "part-1", nothing),
        lambda: edits.take_from_regions(job, "part-1", nothing),
        lambda: edits.protect_faces(job, "part-1", np.array([99]), KEEP_OFF),
        lambda: edits.merge_regions(job, "part-1", [np.array([1])]),
        lambda: edits.leave_out(job, "part-1", np.zeros(3)),
    ):
        with pytest.raises(EditError):
            act()


def test_a_region_that_holds_itself_is_taken_back_and_left_out_again(metal):
    step = to_manifold(box((10, 20, 10))) + to_manifold(box((0.3, 20, 3), corner=(10, 0, 5)))
    job = edits.set_build_offset(one_part(metal, from_manifold(step)), ["part-1"], 0).job
    (ledge,) = regions(job)
    assert ledge.left_out
    taken = edits.take_back(job, "part-1", np.array(ledge.anchor_mm)).job
    assert regions(taken)[0].left_out == ""
    turned = edits.turn_part(taken, "part-1", "z", 37).job
    assert regions(turned)[0].left_out == "", "it goes with the part"
    larger = edits.set_size(turned, ["part-1"], Size((1.05, 1.05, 1.05))).job
    assert regions(larger)[0].left_out == ""
    assert regions(edits.leave_out(turned, "part-1", np.array(regions(turned)[0].anchor_mm)).job)[0].left_out


# --- protection ---


def test_protection_goes_with_the_part_through_turning_sizing_mirroring_and_copies(metal):
    mesh = box((20, 12, 8))
    job = one_part(metal, mesh)
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


def test_marks_are_saved_and_opened_and_a_wrong_length_is_refused(metal, library, tmp_path):
    mesh = ball(6, subdivisions=2)
    job = edits.protect_faces(one_part(metal, mesh), "part-1", down(mesh), AVOID).job
    job = edits.region_by_hand(job, "part-1", np.arange(7)).job
    job = edits.take_back(job, "part-1", np.array([1.0, 2.0, 3.0])).job
    path = tmp_path / "marked.trellis"
    save_job(job, path)
    assert open_job(path, library).parts[0].marks == job.parts[0].marks
    with zipfile.ZipFile(path) as archive:
        content = json.loads(archive.read("job.json"))
        meshes = {name: archive.read(name) for name in archive.namelist() if name != "job.json"}
    for wrong in ("AAAA", "eJwDAAAAAAE=", "not base64!"):
        content["parts"][0]["marks"]["hand"] = wrong
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(content))
            for name, raw in meshes.items():
                archive.writestr(name, raw)
        with pytest.raises(FormatError, match="do not fit its mesh"):
            open_job(path, library)


def test_a_file_of_version_2_opens_without_marks(metal, library, tmp_path):
    path = tmp_path / "old.trellis"
    save_job(one_part(metal, box((5, 5, 5))), path)
    with zipfile.ZipFile(path) as archive:
        content = json.loads(archive.read("job.json"))
        meshes = {name: archive.read(name) for name in archive.namelist() if name != "job.json"}
    content["version"] = 2
    del content["parts"][0]["marks"]
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("job.json", json.dumps(content))
        for name, raw in meshes.items():
            archive.writestr(name, raw)
    assert open_job(path, library).parts[0].marks.is_empty


def test_a_revised_mesh_takes_the_marks_over_by_place_and_direction(metal):
    """The same plate with a hole drilled, cut into other triangles."""
    plate = box((40, 30, 4))
    job = edits.protect_faces(one_part(metal, plate), "part-1", down(plate), KEEP_OFF).job
    revised = from_manifold(to_manifold(plate).refine(6) - to_manifold(cylinder(3, 10)).translate((8, 8, -2)))
    changed = edits.replace_mesh(job, "part-1", revised, "Revise").job.parts[0]
    protected = changed.marks.protected.faces(KEEP_OFF)
    bottom = np.flatnonzero(changed.mesh.normals[:, 2] < -0.9)
    shared = np.intersect1d(protected, bottom)
    assert changed.mesh.areas[shared].sum() >= 0.95 * changed.mesh.areas[bottom].sum()
    assert changed.mesh.areas[np.setdiff1d(protected, bottom)].sum() == 0


# --- picking ---


def test_growing_and_shrinking_are_undone_by_each_other_inside():
    mesh = ball(10, subdivisions=4)
    topology = build_topology(mesh)
    start = within_reach(topology, 0, mesh.centroids[0], 4.0)
    larger = grown(topology, start)
    assert set(start) < set(larger)
    assert set(shrunk(topology, larger)) >= set(start)
    assert mesh.areas[start].sum() == pytest.approx(2 * np.pi * 10 * (16 / 20), rel=0.1)


def test_the_brush_stays_on_the_side_it_is_put_on():
    sheet = from_manifold(to_manifold(box((40, 40, 0.6))).refine(40))
    topology = build_topology(sheet)
    top = int(np.flatnonzero((sheet.normals[:, 2] > 0.9) & (np.abs(sheet.centroids[:, :2] - 20) < 0.6).all(axis=1))[0])
    painted = within_reach(topology, top, sheet.centroids[top], 5.0)
    assert (sheet.normals[painted, 2] > 0.9).all()
    assert sheet.areas[painted].sum() == pytest.approx(np.pi * 25, rel=0.1)


def test_faces_in_one_plane_and_of_one_kind_are_found():
    plate = to_manifold(box((60, 20, 5)))
    for x, radius in ((10, 2.0), (25, 2.0), (40, 2.0), (52, 3.0)):
        plate -= to_manifold(cylinder(radius, 20, sides=48)).translate((x, 10, -5))
    mesh = from_manifold(plate)
    topology = build_topology(mesh)
    walls = np.flatnonzero(np.hypot(mesh.centroids[:, 0] - 10, mesh.centroids[:, 1] - 10) < 2.01)
    wall = int(walls[np.abs(mesh.normals[walls, 2]) < 0.1][0])
    same = alike(topology, wall)
    found = {round(float(x) / 5) * 5 for x in mesh.centroids[same, 0]}
    assert found == {10, 25, 40}, "the three bores of one size, not the larger"
    assert mesh.areas[same].sum() == pytest.approx(3 * 48 * 2 * 2 * np.sin(np.pi / 48) * 5)
    bottom = in_plane(mesh, int(down(mesh)[0]))
    assert sorted(bottom.tolist()) == sorted(down(mesh).tolist())
    assert smooth_patches(topology).areas.sum() == pytest.approx(mesh.area)


def test_an_area_picks_what_looks_here_within_it():
    middles = np.array([[0, 0], [5, 5], [20, 5], [5, 8.0]])
    looks = np.array([True, True, True, False])
    square = np.array([[-1, -1], [10, -1], [10, 10], [-1, 10.0]])
    assert under_area(middles, looks, square).tolist() == [0, 1]
    assert under_area(middles, looks, square[:2]).tolist() == []


# --- suggestions ---


def plate_with_letters(rng):
    """A plate with raised marks of two to three millimetres; gives the mesh and which faces are theirs."""
    plate = to_manifold(box((60, 40, 6)))
    marks = []
    for k in range(12):
        x, y = 6 + 16 * (k % 4) + rng.uniform(-1, 1), 6 + 13 * (k // 4) + rng.uniform(-1, 1)
        width, depth = rng.uniform(1.2, 2.6, 2)
        marks.append(to_manifold(box((width, depth, 1.0), corner=(x, y, 5.8))).rotate((0, 0, 0)))
    mesh = from_manifold(sum(marks, plate))
    is_mark = mesh.centroids[:, 2] > 6.0001
    return mesh, is_mark


@pytest.mark.parametrize("seed", range(5))
def test_fine_detail_is_found_and_little_else(seed):
    mesh, is_mark = plate_with_letters(np.random.default_rng(seed))
    found = np.zeros(len(mesh.faces), bool)
    found[fine_detail(build_topology(mesh), 4.0)] = True
    assert mesh.areas[found & is_mark].sum() >= 0.95 * mesh.areas[is_mark].sum()
    assert mesh.areas[found & ~is_mark].sum() <= 0.05 * mesh.areas[~is_mark].sum()


def test_many_small_facets_are_no_detail():
    assert len(fine_detail(build_topology(ball(20, subdivisions=1)), 3.0)) == 0
    faceted = from_manifold(to_manifold(box((60, 40, 6))).refine(30))
    assert len(fine_detail(build_topology(faceted), 4.0)) == 0


@pytest.mark.parametrize("wall", [1.0, 2.5])
def test_the_inside_of_a_cup_is_suggested_and_its_outside_is_not(wall):
    cup = revolution(np.array([[0, 0], [10, 0], [10, 16], [10 - wall, 16], [10 - wall, wall], [0, wall]]))
    cup = from_manifold(to_manifold(cup).refine_to_length(1.0))
    radius = np.hypot(cup.centroids[:, 0], cup.centroids[:, 1])
    inside = (radius < 10 - wall + 1e-6) & (cup.centroids[:, 2] > wall - 1e-6) & (cup.centroids[:, 2] < 16 - 1e-6)
    found = np.zeros(len(cup.faces), bool)
    found[inner_faces(build_topology(cup), RayTree(cup))] = True
    assert cup.areas[found & inside].sum() >= 0.95 * cup.areas[inside].sum()
    assert cup.areas[found & ~inside].sum() <= 0.05 * cup.areas[~inside].sum()


def test_a_convex_part_has_no_inner_faces():
    for mesh in (ball(5), box((10, 20, 5)), Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))):
        assert len(inner_faces(build_topology(mesh), RayTree(mesh))) == 0


# --- finer faces under a brush ---


@pytest.mark.parametrize("mesh", [box((40, 30, 6)), ball(10, subdivisions=2), cylinder(9, 30, sides=12)])
def test_faces_are_parted_near_a_brush_and_the_shape_stays(mesh):
    place = mesh.centroids[0][None]
    finer = refined_near(mesh, place, 2.0, 0.8)
    assert build_topology(finer.mesh).is_watertight
    assert finer.mesh.volume == pytest.approx(mesh.volume)
    assert finer.mesh.area == pytest.approx(mesh.area)
    np.testing.assert_allclose(finer.mesh.normals, mesh.normals[finer.parent], atol=1e-9)
    np.testing.assert_allclose(np.bincount(finer.parent, finer.mesh.areas), mesh.areas)
    near = np.linalg.norm(finer.mesh.centroids - place, axis=1) < 1.5
    corners = finer.mesh.corners[near]
    assert np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max() <= 0.8 + 1e-9


def test_nothing_is_parted_where_faces_are_small_or_far():
    mesh = ball(10, subdivisions=4)
    assert refined_near(mesh, np.array([[0, 0, 10.0]]), 2.0, 5.0).mesh is mesh
    assert refined_near(mesh, np.array([[0, 0, 99.0]]), 2.0, 0.1).mesh is mesh


def test_painting_a_finer_mesh_keeps_marks_size_and_pose(metal):
    mesh = box((20, 12, 8))
    job = edits.set_size(one_part(metal, mesh), ["part-1"], Size((1.5, 1.0, 2.0))).job
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

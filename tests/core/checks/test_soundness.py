"""Meshes that are not sound: what leaves inside and outside open stops, what does not is a caution."""

from __future__ import annotations

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box


def said(shop, mesh):
    job = edits.add_bodies(new_job(*shop), [Body("part", mesh, len(mesh.faces))]).job
    return [finding for finding in Pipeline().findings(job) if finding.code == "mesh_unsound"]


def test_a_sound_mesh_has_no_finding(metal):
    assert not said(metal, box((10, 10, 10)))


def test_open_edges_stop_and_are_counted(metal):
    cube = box((10, 10, 10))
    (found,) = said(metal, Mesh(cube.vertices, cube.faces[1:]))
    assert (found.severity, found.value, found.limit) == ("stop", 3.0, 0.0)


def test_a_mesh_turned_inside_out_stops(metal):
    cube = box((10, 10, 10))
    (found,) = said(metal, Mesh(cube.vertices, cube.faces[:, ::-1]))
    assert (found.severity, found.value) == ("stop", 1.0)


def test_a_face_that_disagrees_with_its_neighbours_alone_is_a_caution(metal):
    cube = box((10, 10, 10))
    faces = cube.faces.copy()
    faces[0] = faces[0, ::-1]
    (found,) = said(metal, Mesh(cube.vertices, faces))
    assert (found.severity, found.value) == ("caution", 3.0)

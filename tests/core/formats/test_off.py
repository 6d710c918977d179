"""OFF, as another library writes it."""

from __future__ import annotations

import meshio
import pytest
import trimesh
from mesh_files import SHAPES

from lean_trellis.core.formats import read_bodies
from lean_trellis.core.mesh.health import examine_mesh


@pytest.mark.parametrize("shape", list(SHAPES))
@pytest.mark.parametrize("suffix", ["off", "ply", "obj", "stl"])
def test_what_trimesh_writes_is_read_with_the_same_volume(tmp_path, suffix, shape):
    mesh = SHAPES[shape]
    path = tmp_path / f"part.{suffix}"
    trimesh.Trimesh(mesh.vertices, mesh.faces).export(path)
    (body,) = read_bodies(path)
    assert body.mesh.volume == pytest.approx(mesh.volume, rel=1e-5)
    assert examine_mesh(body.mesh).is_sound


@pytest.mark.parametrize("suffix", ["off", "ply", "obj", "stl"])
def test_what_meshio_writes_is_read_with_the_same_volume(tmp_path, suffix):
    mesh = SHAPES["cone"]
    path = tmp_path / f"part.{suffix}"
    meshio.Mesh(mesh.vertices, [("triangle", mesh.faces)]).write(path)
    assert read_bodies(path)[0].mesh.volume == pytest.approx(mesh.volume, rel=1e-5)

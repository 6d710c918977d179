"""OBJ and PLY as another library reads them."""

from __future__ import annotations

import pytest
import trimesh
from mesh_files import SHAPES, written

from lean_trellis.core.formats import Named, obj, ply


@pytest.mark.parametrize(("writer", "suffix"), [(obj, "obj"), (ply, "ply")])
def test_what_is_written_is_read_by_trimesh(tmp_path, writer, suffix):
    path = written(tmp_path / f"b.{suffix}", writer, Named("ball", SHAPES["ball"]))
    assert trimesh.load_mesh(path).volume == pytest.approx(SHAPES["ball"].volume, rel=1e-6)

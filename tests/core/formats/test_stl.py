"""STL, binary and text."""

from __future__ import annotations

import pytest
from mesh_files import BOX, write

from lean_trellis.core.formats import read_bodies, recognise, stl


def test_a_binary_stl_that_begins_with_solid_is_still_binary(tmp_path):
    raw = bytearray(stl.stl_bytes(BOX))
    raw[:6] = b"solid "
    path = write(tmp_path / "liar.stl", bytes(raw))
    assert recognise(path).id == "stl"
    assert read_bodies(path)[0].mesh.volume == pytest.approx(6000)

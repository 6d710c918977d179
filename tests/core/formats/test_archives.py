"""Packed files that would be too large."""

from __future__ import annotations

import zipfile

import pytest
from mesh_files import one_line

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats import read_bodies


def test_a_zip_bomb_is_refused_before_it_is_unpacked(tmp_path):
    path = tmp_path / "bomb.3mf"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("3D/3dmodel.model", b"\0" * 50_000_000)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "would unpack" in one_line(caught, path)

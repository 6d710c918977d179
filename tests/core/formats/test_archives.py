"""Packed files that would be too large."""

from __future__ import annotations

import zipfile

import pytest
from mesh_files import one_line

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.formats.archives import member


def test_a_zip_bomb_is_refused_before_it_is_unpacked(tmp_path):
    path = tmp_path / "bomb.3mf"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("3D/3dmodel.model", b"\0" * 50_000_000)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "would unpack" in one_line(caught, path)


def test_members_say_nothing_of_the_time_of_day():
    import io

    def written(level):
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED, compresslevel=level) as archive:
            archive.writestr(member(archive, "a.txt"), "a" * 1000)
            with archive.open(member(archive, "b.txt"), "w") as inside:
                inside.write(bytes(range(256)) * 40)
        return stream.getvalue()

    with zipfile.ZipFile(io.BytesIO(written(4))) as archive:
        for info in archive.infolist():
            assert info.date_time == (1980, 1, 1, 0, 0, 0)
            assert info.compress_size < info.file_size
        assert archive.read("a.txt") == b"a" * 1000

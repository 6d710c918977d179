"""Files with bytes or values changed are read, or refused in one line that names them; `./trellis soak` tries more."""

from __future__ import annotations

import io
import zipfile

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from damage import damage_files, damage_job
from lean_trellis.core.errors import FileError, FormatError
from lean_trellis.core.formats import amf, read_bodies
from lean_trellis.core.formats.body import Named
from lean_trellis.core.formats.three_mf import write
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import ball, box


def test_mutated_files_of_every_format_are_read_or_refused(tmp_path):
    count, faults = damage_files(tmp_path, 20, seed=11)
    assert count >= 200
    assert faults == []


def test_job_files_with_odd_values_are_read_or_refused(tmp_path):
    _, faults = damage_job(tmp_path, 200, seed=11)
    assert faults == []


def damaged_zip(source, target) -> None:
    """A sound archive in which the deflated bytes of the largest member are changed in the middle."""
    raw = bytearray(source.read_bytes())
    with zipfile.ZipFile(source) as archive:
        largest = max(archive.infolist(), key=lambda info: info.compress_size)
    at = largest.header_offset + 30 + len(largest.filename) + largest.compress_size // 2
    for step in range(6):
        raw[at + step] ^= 0xFF
    target.write_bytes(raw)


def test_a_damaged_deflate_stream_of_a_3mf_is_refused(tmp_path):
    sound = tmp_path / "sound.3mf"
    with sound.open("wb") as file:
        write(file, [Named("box", box((4, 5, 6)))])
    damaged_zip(sound, tmp_path / "bad.3mf")
    with pytest.raises(FormatError, match=r"bad\.3mf: .*(damaged|broken)"):
        read_bodies(tmp_path / "bad.3mf")


def test_a_damaged_deflate_stream_of_a_job_is_refused(tmp_path, library):
    from full_job import full_job
    from lean_trellis.core.job.files import save_job

    save_job(full_job(), tmp_path / "sound.trellis")
    damaged_zip(tmp_path / "sound.trellis", tmp_path / "bad.trellis")
    with pytest.raises(FormatError, match=r"bad\.trellis: .*damaged"):
        open_job(tmp_path / "bad.trellis", library)


@pytest.mark.parametrize("kind", ["float", "double"])
def test_a_ply_whose_corners_are_no_whole_numbers_is_refused(tmp_path, kind):
    path = tmp_path / "corners.ply"
    path.write_text(
        "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        f"element face 1\nproperty list uchar {kind} vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 nan\n"
    )
    with pytest.raises(FormatError, match="corners"):
        read_bodies(path)


def test_places_farther_out_than_any_part_are_refused(tmp_path):
    path = tmp_path / "far.obj"
    path.write_text("v 0 0 0\nv 1e200 0 0\nv 0 1e200 0\nf 1 2 3\n")
    with pytest.raises(FormatError, match=r"far\.obj: reaches 1e\+200 mm"):
        read_bodies(path)


def whole_files():
    stream = io.BytesIO()
    amf.write(stream, [Named("ball", ball(4, subdivisions=1))])
    mesh = ball(4, subdivisions=1)
    rows = [f"{len(mesh.vertices)} {len(mesh.faces)} 0"]
    rows += [" ".join(map(str, row)) for row in mesh.vertices.tolist()]
    rows += ["3 " + " ".join(map(str, row)) for row in mesh.faces.tolist()]
    return {"amf": stream.getvalue(), "off": ("OFF\n" + "\n".join(rows) + "\n").encode()}


WHOLE = whole_files()


@pytest.mark.parametrize("suffix", list(WHOLE))
@given(share=st.floats(0, 0.999), noise=st.binary(max_size=8))
@settings(max_examples=25)
def test_a_file_cut_off_anywhere_gets_one_line_and_never_a_wrong_part(tmp_path_factory, suffix, share, noise):
    whole = WHOLE[suffix]
    path = tmp_path_factory.mktemp("cut") / f"part.{suffix}"
    path.write_bytes(whole[: int(share * len(whole))] + noise)
    try:
        bodies = read_bodies(path)
    except FileError as problem:
        assert "\n" not in str(problem)
        assert str(path) in str(problem)
        return
    assert sum(body.triangles_read for body in bodies) == 80

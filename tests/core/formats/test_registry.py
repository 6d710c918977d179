"""Files in and out: volumes survive, formats are told by content, bad input gets one clear line."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from mesh_files import BOX, CLAMP, SHAPES, one_line, write, written

from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.formats import Named, amf, obj, ply, read_bodies, recognise, stl
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.progress import CountingWatch


@pytest.mark.parametrize(
    ("name", "options"),
    [
        ("a.stl", {"file_type": "stl"}),
        ("a.stl", {"file_type": "stl_ascii"}),
        ("a.obj", {}),
        ("a.ply", {"encoding": "ascii"}),
        ("a.ply", {"encoding": "binary"}),
    ],
)
def test_what_trimesh_writes_is_read_with_the_same_volume(tmp_path, name, options):
    path = tmp_path / name
    trimesh.Trimesh(BOX.vertices, BOX.faces).export(path, **options)
    (body,) = read_bodies(path)
    assert body.mesh.volume == pytest.approx(6000)
    assert len(body.mesh.vertices) == 8
    assert body.name == "a"
    assert examine_mesh(body.mesh).is_sound


def test_several_solids_and_objects_become_several_bodies(tmp_path):
    text = stl_text("first", 0) + stl_text("second", 9)
    assert [b.name for b in read_bodies(write(tmp_path / "two.stl", text))] == ["first", "second"]
    obj = "o one\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\no two\nf -4 -2 -3 -1\n"
    assert [b.name for b in read_bodies(write(tmp_path / "two.obj", obj))] == ["one", "two"]


def stl_text(name: str, shift: float) -> str:
    lines = [f"solid {name}"]
    for facet in BOX.corners + shift:
        lines.append("facet normal 0 0 0\nouter loop")
        lines += [f"vertex {x:g} {y:g} {z:g}" for x, y, z in facet]
        lines.append("endloop\nendfacet")
    return "\n".join([*lines, f"endsolid {name}\n"])


def test_content_decides_not_the_suffix(tmp_path):
    path = write(tmp_path / "part.obj", stl.stl_bytes(BOX))
    assert recognise(path).id == "stl"


def test_units_apply_to_files_that_carry_none(tmp_path):
    path = write(tmp_path / "inch.stl", stl.stl_bytes(BOX))
    assert read_bodies(path, unit="in")[0].mesh.volume == pytest.approx(6000 * 25.4**3)


GOOD_STL = stl.stl_bytes(BOX)


NAN_STL = GOOD_STL[:96] + np.float32(np.nan).tobytes() + GOOD_STL[100:]


BAD = {
    "empty.stl": (b"", "empty"),
    "cut.stl": (GOOD_STL[:-70], "promises 12 triangles"),
    "long.stl": (GOOD_STL + b"\0" * 50, "promises 12 triangles"),
    "nan.stl": (NAN_STL, "no numbers"),
    "none.stl": (b"x" * 80 + bytes(4), "no triangles"),
    "text.stl": (b"hello, this is a letter to nobody\n" * 20, "no mesh"),
    "half.stl": (stl_text("a", 0)[:-40].encode(), "not 'endsolid'"),
    "word.stl": (b"solid a\nfacet\nouter loop\nvertex 1 2 x\nvertex 1 2 3\nvertex 0 0 0\nendloop\nendfacet\n"
                 b"endsolid\n", "no number"),
    "noise.bin": (bytes(range(256)) * 8, "no kind of mesh"),
    "bad.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "not there"),
    "odd.obj": (b"v 0 0 0\nv 1 0 zero\n", "line 2"),
    "bad.ply": (b"ply\nformat binary_little_endian 1.0\nelement vertex 99999999999\nproperty float x\n"
                b"property float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\n"
                b"end_header\n", "more than the file"),
    "head.ply": (b"ply\nformat nonsense 1.0\nend_header\n", "header"),
    "zip.3mf": (b"PK\x03\x04broken", "damaged zip"),
}  # fmt: skip


@pytest.mark.parametrize("name", list(BAD))
def test_bad_files_get_one_clear_line(tmp_path, name):
    content, words = BAD[name]
    path = write(tmp_path / name, content)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert words in one_line(caught, path)


def test_a_missing_file_and_a_folder_are_refused(tmp_path):
    for path in (tmp_path / "no.stl", tmp_path):
        with pytest.raises(AccessError) as caught:
            read_bodies(path)
        one_line(caught, path)


def test_reading_tells_how_far_it_is(stl):
    watch = CountingWatch()
    read_bodies(stl, watch=watch)
    assert [share for share, _ in watch.reports] == sorted(share for share, _ in watch.reports)
    assert any("slab.stl" in words for _, words in watch.reports)


@pytest.mark.parametrize(("writer", "suffix"), [(amf, "amf"), (obj, "obj"), (ply, "ply"), (stl, "stl")])
def test_what_is_written_is_read_again(tmp_path, writer, suffix):
    path = written(tmp_path / f"b.{suffix}", writer, *(Named(name, mesh) for name, mesh in SHAPES.items()))
    bodies = read_bodies(path)
    total = sum(mesh.volume for mesh in SHAPES.values())
    assert sum(body.mesh.volume for body in bodies) == pytest.approx(total, rel=1e-6)
    if suffix in ("amf", "obj"):
        assert [body.name for body in bodies] == list(SHAPES)
        assert [body.place for body in bodies] == [0, 1, 2]


AMF_HEAD = '<?xml version="1.0"?><amf unit="millimeter"><object id="0"><mesh><vertices>'


VERTEX = "<vertex><coordinates><x>0</x><y>0</y><z>%s</z></coordinates></vertex>"


TRIANGLE = "<volume><triangle><v1>0</v1><v2>1</v2><v3>%s</v3></triangle></volume>"


BAD_OF_OTHERS = {
    "cut.amf": (AMF_HEAD, "broken XML"),
    "word.amf": (AMF_HEAD + VERTEX % "high" + "</vertices></mesh></object></amf>", "no number"),
    "far.amf": (AMF_HEAD + VERTEX % "1" + "</vertices>" + TRIANGLE % 7 + "</mesh></object></amf>", "not there"),
    "none.amf": (AMF_HEAD + "</vertices></mesh></object></amf>", "no triangles"),
    "unit.amf": ('<amf unit="furlong"><object id="0"/></amf>', "unknown unit"),
    "bomb.amf": ('<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><amf>&b;</amf>', "entities"),
    "cut.off": ("OFF\n8 12 0\n0 0 0\n1 0 0\n", "promises 8 vertices"),
    "word.off": ("OFF\n3 1 0\n0 0 0\n1 0 zero\n0 1 0\n3 0 1 2\n", "no number"),
    "far.off": ("OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 9\n", "not there"),
    "nan.off": ("OFF\n3 1 0\n0 0 0\n1 0 nan\n0 1 0\n3 0 1 2\n", "no numbers"),
    "huge.off": ("OFF\n3 99999999999 0\n0 0 0\n", "promises"),
    "head.off": ("OFF\nmany\n", "does not say"),
    "none.off": ("OFF\n3 0 0\n0 0 0\n1 0 0\n0 1 0\n", "no triangles"),
    "cut.step": ("ISO-10303-21;\nHEADER;\nFILE_DESCR", "no STEP file"),
    "empty.step": ("ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "no s"),
}


@pytest.mark.parametrize("name", list(BAD_OF_OTHERS))
def test_broken_files_of_the_new_formats_get_one_clear_line(tmp_path, name):
    content, words = BAD_OF_OTHERS[name]
    path = tmp_path / name
    path.write_text(content)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    text = str(caught.value)
    assert str(path) in text
    assert words.lower() in text.lower()
    assert "\n" not in text
    assert ";" in text


def test_formats_are_told_by_content(tmp_path):
    for name, source in (("a.txt", CLAMP.read_bytes()), ("b.txt", b"OFF\n3 1 0\n")):
        path = tmp_path / name
        path.write_bytes(source)
        assert recognise(path).id == ("step" if name == "a.txt" else "off")

"""AMF, OFF and STEP in; AMF, PLY and OBJ out; units found, guessed and given; other libraries as witnesses."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import lib3mf
import meshio
import numpy as np
import pytest
import trimesh

from lean_trellis.core.errors import Cancelled, FormatError
from lean_trellis.core.formats import Named, amf, obj, ply, read_bodies, recognise, stl
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.progress import CountingWatch

CLAMP = Path(__file__).parents[2] / "data" / "clamp.step"
SHAPES = {"box": box((10, 20, 30)), "ball": ball(8, subdivisions=3), "cone": cylinder(9, 12, top_radius=2)}


def written(path: Path, writer, *bodies: Named) -> Path:
    with path.open("wb") as file:
        writer.write(file, list(bodies))
    return path


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


def test_what_lib3mf_writes_is_read_with_the_same_volume(tmp_path):
    mesh = SHAPES["ball"]
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    kept = model.AddMeshObject()
    kept.SetGeometry(
        [lib3mf.Position(tuple(map(float, row))) for row in mesh.vertices],
        [lib3mf.Triangle(tuple(map(int, row))) for row in mesh.faces],
    )
    model.AddBuildItem(kept, wrapper.GetIdentityTransform())
    model.QueryWriter("3mf").WriteToFile(str(tmp_path / "b.3mf"))
    (body,) = read_bodies(tmp_path / "b.3mf")
    assert body.mesh.volume == pytest.approx(mesh.volume, rel=1e-5)
    assert body.unit_is_from == "file"


@pytest.mark.parametrize(("writer", "suffix"), [(amf, "amf"), (obj, "obj"), (ply, "ply"), (stl, "stl")])
def test_what_is_written_is_read_again(tmp_path, writer, suffix):
    path = written(tmp_path / f"b.{suffix}", writer, *(Named(name, mesh) for name, mesh in SHAPES.items()))
    bodies = read_bodies(path)
    total = sum(mesh.volume for mesh in SHAPES.values())
    assert sum(body.mesh.volume for body in bodies) == pytest.approx(total, rel=1e-6)
    if suffix in ("amf", "obj"):
        assert [body.name for body in bodies] == list(SHAPES)
        assert [body.place for body in bodies] == [0, 1, 2]


@pytest.mark.parametrize(("writer", "suffix"), [(obj, "obj"), (ply, "ply")])
def test_what_is_written_is_read_by_trimesh(tmp_path, writer, suffix):
    path = written(tmp_path / f"b.{suffix}", writer, Named("ball", SHAPES["ball"]))
    assert trimesh.load_mesh(path).volume == pytest.approx(SHAPES["ball"].volume, rel=1e-6)


def test_amf_brings_its_unit_and_may_be_zipped(tmp_path):
    plain = io.BytesIO()
    amf.write(plain, [Named("Bracket <1>", box((1, 2, 3)))])
    inches = plain.getvalue().replace(b"millimeter", b"inch")
    path = tmp_path / "z.amf"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("z.amf", inches)
    (body,) = read_bodies(path, unit="m")
    assert body.name == "Bracket <1>"
    assert body.mesh.volume == pytest.approx(6 * 25.4**3)
    assert (body.unit, body.unit_is_from) == ("in", "file")


def test_a_step_assembly_becomes_named_bodies_in_their_places():
    jaw, pin = read_bodies(CLAMP, tolerance_mm=0.01)
    assert (jaw.name, pin.name) == ("Jaw", "Pin")
    assert jaw.mesh.volume == pytest.approx(6000, rel=1e-5)
    np.testing.assert_allclose(pin.mesh.bounds[:, 2], [15, 55], atol=1e-3)
    assert examine_mesh(jaw.mesh).is_sound
    assert examine_mesh(pin.mesh).is_sound
    assert pin.tolerance_mm == 0.01
    assert pin.mesh.volume == pytest.approx(np.pi * 25 * 40, rel=5e-3)


def test_a_finer_tolerance_gives_more_triangles_and_a_truer_volume():
    coarse, fine = (read_bodies(CLAMP, tolerance_mm=tolerance)[1] for tolerance in (0.5, 0.001))
    true = np.pi * 25 * 40
    assert fine.triangles_read > 2 * coarse.triangles_read
    assert abs(fine.mesh.volume - true) < 0.2 * abs(coarse.mesh.volume - true)


def test_tessellating_can_be_cancelled():
    with pytest.raises(Cancelled):
        read_bodies(CLAMP, watch=CountingWatch(cancel_after=0))


@pytest.mark.parametrize(
    ("size", "unit"),
    [(60, "mm"), (5, "mm"), (0.8, "in"), (2.0, "in"), (0.06, "m"), (0.9e5, "micron"), (1e-9, "mm")],
)
def test_a_unit_that_no_file_names_is_guessed_from_the_size(tmp_path, size, unit):
    path = tmp_path / "part.stl"
    path.write_bytes(stl.stl_bytes(box((size, size / 2, size / 3))))
    (body,) = read_bodies(path, unit=None)
    assert (body.unit, body.unit_is_from) == (unit, "guess")


def test_a_unit_that_is_given_is_no_guess(tmp_path):
    path = tmp_path / "part.stl"
    path.write_bytes(stl.stl_bytes(box((1, 1, 1))))
    (body,) = read_bodies(path, unit="cm")
    assert (body.unit, body.unit_is_from) == ("cm", "user")
    assert body.mesh.volume == pytest.approx(1000)


AMF_HEAD = '<?xml version="1.0"?><amf unit="millimeter"><object id="0"><mesh><vertices>'
VERTEX = "<vertex><coordinates><x>0</x><y>0</y><z>%s</z></coordinates></vertex>"
TRIANGLE = "<volume><triangle><v1>0</v1><v2>1</v2><v3>%s</v3></triangle></volume>"
BAD = {
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


@pytest.mark.parametrize("name", list(BAD))
def test_broken_files_of_the_new_formats_get_one_clear_line(tmp_path, name):
    content, words = BAD[name]
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


def test_a_tolerance_out_of_range_is_refused():
    with pytest.raises(FormatError, match="cannot be tessellated"):
        read_bodies(CLAMP, tolerance_mm=50)

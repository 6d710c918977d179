"""Files in and out: volumes survive, formats are told by content, bad input gets one clear line."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import lib3mf
import numpy as np
import pytest
import trimesh

from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.formats import Named, ply, read_bodies, recognise, stl, three_mf
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.progress import CountingWatch

BOX = box((10, 20, 30))


def one_line(caught: pytest.ExceptionInfo[Exception], path: Path) -> str:
    """The message: names the file, says what to try, in one line."""
    text = str(caught.value)
    assert str(path) in text
    assert "\n" not in text
    assert ";" in text
    return text


def write(path: Path, content: bytes | str) -> Path:
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return path


def three_mf_file(path: Path, model: str, *, names: dict[str, str] | None = None) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("3D/3dmodel.model", model)
        for name, text in (names or {}).items():
            archive.writestr(name, text)
    return path


def model_of(resources: str, items: str, unit: str = "millimeter") -> str:
    return (
        f'<?xml version="1.0"?><model unit="{unit}" xmlns="{three_mf.CORE}">'
        f"<resources>{resources}</resources><build>{items}</build></model>"
    )


TETRA = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="6" y="0" z="0"/><vertex x="0" y="6" z="0"/>'
    '<vertex x="0" y="0" z="6"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/>'
    '<triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/></triangles></mesh>'
)


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


def test_what_lib3mf_writes_is_read_with_units_names_components_and_transforms(tmp_path):
    model = lib3mf.get_wrapper().CreateModel()
    mesh = model.AddMeshObject()
    mesh.SetName("wedge")
    places = [(0, 0, 0), (2, 0, 0), (0, 3, 0), (0, 0, 4)]
    for place in places:
        mesh.AddVertex(lib3mf.Position(place))
    for corners in ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)):
        mesh.AddTriangle(lib3mf.Triangle(corners))
    pair = model.AddComponentsObject()
    pair.SetName("pair")
    wrapper = lib3mf.get_wrapper()
    pair.AddComponent(mesh, wrapper.GetIdentityTransform())
    pair.AddComponent(mesh, wrapper.GetTranslationTransform(10, 0, 0))
    model.SetUnit(lib3mf.ModelUnit.Inch)
    model.AddBuildItem(mesh, wrapper.GetTranslationTransform(0, 0, 1))
    model.AddBuildItem(pair, wrapper.GetIdentityTransform())
    path = tmp_path / "parts.3mf"
    model.QueryWriter("3mf").WriteToFile(str(path))
    wedge, both = read_bodies(path)
    assert (wedge.name, both.name) == ("wedge", "pair")
    assert wedge.mesh.volume == pytest.approx(4 * 25.4**3)
    assert both.mesh.volume == pytest.approx(8 * 25.4**3)
    assert wedge.mesh.bounds[0, 2] == pytest.approx(25.4)
    assert wedge.unit_known


def test_what_we_write_is_read_by_lib3mf_and_trimesh(tmp_path):
    path = tmp_path / "out.3mf"
    with path.open("wb") as file:
        three_mf.write(file, [Named('part "one" <&>', BOX), Named("bars", ball(3, subdivisions=1), "support")])
    model = lib3mf.get_wrapper().CreateModel()
    model.QueryReader("3mf").ReadFromFile(str(path))
    found = {}
    objects = model.GetMeshObjects()
    while objects.MoveNext():
        entry = objects.GetCurrentMeshObject()
        found[entry.GetName()] = (entry.GetType(), entry.GetTriangleCount())
    assert found['part "one" <&>'] == (lib3mf.ObjectType.Model, 12)
    assert found["bars"] == (lib3mf.ObjectType.Support, 80)
    loaded = trimesh.load(io.BytesIO(stl.stl_bytes(BOX)), file_type="stl")
    assert loaded.volume == pytest.approx(6000)


def test_a_mirroring_transform_does_not_turn_a_body_inside_out(tmp_path):
    item = '<item objectid="1" transform="-1 0 0 0 1 0 0 0 1 0 0 0"/>'
    path = three_mf_file(tmp_path / "m.3mf", model_of(f'<object id="1">{TETRA}</object>', item))
    assert read_bodies(path)[0].mesh.volume == pytest.approx(36)


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


def test_a_binary_stl_that_begins_with_solid_is_still_binary(tmp_path):
    raw = bytearray(stl.stl_bytes(BOX))
    raw[:6] = b"solid "
    path = write(tmp_path / "liar.stl", bytes(raw))
    assert recognise(path).id == "stl"
    assert read_bodies(path)[0].mesh.volume == pytest.approx(6000)


def test_content_decides_not_the_suffix(tmp_path):
    path = write(tmp_path / "part.obj", stl.stl_bytes(BOX))
    assert recognise(path).id == "stl"


def test_units_apply_to_files_that_carry_none(tmp_path):
    path = write(tmp_path / "inch.stl", stl.stl_bytes(BOX))
    assert read_bodies(path, unit="in")[0].mesh.volume == pytest.approx(6000 * 25.4**3)


def test_ply_keeps_every_bit(tmp_path):
    mesh = ball(3, subdivisions=2)
    path = write(tmp_path / "b.ply", ply.ply_bytes(mesh))
    np.testing.assert_array_equal(read_bodies(path)[0].mesh.corners, mesh.corners)


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


def test_a_zip_bomb_is_refused_before_it_is_unpacked(tmp_path):
    path = tmp_path / "bomb.3mf"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("3D/3dmodel.model", b"\0" * 50_000_000)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "would unpack" in one_line(caught, path)


def test_an_xml_bomb_is_refused(tmp_path):
    text = '<!DOCTYPE m [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>' + model_of("&b;", "")[21:]
    path = three_mf_file(tmp_path / "x.3mf", text)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "entities" in one_line(caught, path)


def test_a_bomb_of_components_is_refused_before_it_is_expanded(tmp_path):
    objects = f'<object id="0">{TETRA}</object>'
    for level in range(1, 30):
        twice = f'<component objectid="{level - 1}"/>' * 4
        objects += f'<object id="{level}"><components>{twice}</components></object>'
    path = three_mf_file(tmp_path / "c.3mf", model_of(objects, '<item objectid="29"/>'))
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert "triangles, more than" in one_line(caught, path)


def test_components_in_a_circle_and_unsafe_paths_are_refused(tmp_path):
    circle = '<object id="1"><components><component objectid="1"/></components></object>'
    path = three_mf_file(tmp_path / "r.3mf", model_of(circle, '<item objectid="1"/>'))
    with pytest.raises(FormatError, match="circle"):
        read_bodies(path)
    path = three_mf_file(tmp_path / "p.3mf", model_of("", ""), names={"../../evil.txt": "x"})
    with pytest.raises(FormatError, match="unsafe path"):
        read_bodies(path)


@pytest.mark.parametrize(
    ("model", "words"),
    [
        (model_of(f'<object id="1">{TETRA}</object>', '<item objectid="7"/>'), "not there"),
        (model_of(f'<object id="1">{TETRA}</object>', '<item objectid="1"/>', "furlong"), "unknown unit"),
        (
            model_of(f'<object id="1">{TETRA.replace("6", "six")}</object>', '<item objectid="1"/>'),
            "no number",
        ),
        (model_of(f'<object id="1">{TETRA}</object>', '<item objectid="1" transform="1 2 3"/>'), "transform"),
        (model_of(f'<object id="1">{TETRA}</object>', ""), "no triangles"),
        ("<model><resources>", "broken XML"),
    ],
)
def test_broken_models_say_what_is_wrong(tmp_path, model, words):
    path = three_mf_file(tmp_path / "b.3mf", model)
    with pytest.raises(FormatError) as caught:
        read_bodies(path)
    assert words in one_line(caught, path)


def test_reading_tells_how_far_it_is(stl):
    watch = CountingWatch()
    read_bodies(stl, watch=watch)
    assert [share for share, _ in watch.reports] == sorted(share for share, _ in watch.reports)
    assert any("slab.stl" in words for _, words in watch.reports)

"""3MF."""

from __future__ import annotations

import io

import lib3mf
import pytest
import trimesh
from mesh_files import BOX, model_of, one_line, three_mf_file

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats import Named, read_bodies, stl, three_mf
from lean_trellis.core.mesh.primitives import ball

TETRA = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="6" y="0" z="0"/><vertex x="0" y="6" z="0"/>'
    '<vertex x="0" y="0" z="6"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle v1="0" v2="1" v3="3"/>'
    '<triangle v1="1" v2="2" v3="3"/><triangle v1="0" v2="3" v3="2"/></triangles></mesh>'
)


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

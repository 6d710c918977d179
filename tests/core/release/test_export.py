"""Export: what is written holds what was asked, merged or separate."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold, OpType

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import AccessError, EditError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.mesh.uniting import set_apart, united
from lean_trellis.core.release.export import ExportRequest, export_build
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def state(metal):
    job = edits.add_bodies(new_job(*metal, "Small"), [Body("a/b: slab", box((12, 12, 4)), 12)]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return Pipeline().state(job)


def test_merged_3mf_keeps_parts_and_supports_as_named_objects(state, tmp_path):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.3mf", "3mf"))
    part, support = read_bodies(path)
    assert (part.name, support.name) == ("a/b: slab", "a/b: slab support 1")
    assert part.mesh.volume == pytest.approx(12 * 12 * 4)
    assert examine_mesh(support.mesh).is_sound


def test_merged_stl_is_one_solid_in_which_overlaps_count_once(state, tmp_path):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.stl", "stl"))
    (body,) = read_bodies(path)
    health = examine_mesh(body.mesh)
    bars = state.supports[0].structure
    assert health.volume_mm3 < 576 + bars.volume_mm3
    assert health.volume_mm3 > 576 + 0.9 * bars.volume_mm3
    assert health.shells == 1


def test_separate_files_one_a_body(state, tmp_path):
    files = export_build(state, ExportRequest(tmp_path / "all", "stl", merged=False))
    assert [path.name for path in files] == ["a_b_ slab.stl", "a_b_ slab support 1.stl"]
    assert read_bodies(files[1])[0].mesh.volume == pytest.approx(state.supports[0].structure.volume_mm3, rel=1e-4)


@pytest.mark.parametrize(("what", "count"), [("parts", 1), ("supports", 1), ("all", 2)])
def test_what_is_asked_is_written(state, tmp_path, what, count):
    (path,) = export_build(state, ExportRequest(tmp_path / "out.3mf", "3mf", what))
    assert len(read_bodies(path)) == count


def test_nothing_to_export_and_no_place_for_it_are_refused(metal, state, tmp_path):
    empty = Pipeline().state(new_job(*metal))
    with pytest.raises(EditError, match="no all to export"):
        export_build(empty, ExportRequest(tmp_path / "out.stl"))
    with pytest.raises(AccessError):
        export_build(state, ExportRequest(tmp_path / "no" / "out.stl"))


# --- bars one by one, as beams, and many solids made one ---


@pytest.fixture
def trees(metal):
    """A slab on trees with shared feet and braces, high above the plate."""
    job = edits.add_bodies(new_job(*metal, "Trees"), [Body("slab", box((16, 12, 3)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 30.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    for key, value in (("join", "on"), ("group_span", 6.0), ("brace", "x"), ("free_length", 8.0)):
        job = edits.change_support(job, "support-1", key, value).job
    return Pipeline().state(job)


def test_each_bar_is_a_body_of_its_own_and_what_is_shared_one_more(trees, tmp_path):
    bars = trees.supports[0].structure
    (path,) = export_build(trees, ExportRequest(tmp_path / "bars.3mf", "3mf", "supports", each_bar=True))
    bodies = read_bodies(path)
    assert len(bodies) == len(bars) + 1
    assert bodies[-1].name == "slab support 1 shared"
    for number in (0, len(bars) - 1):
        health = examine_mesh(bodies[number].mesh)
        assert (health.is_sound, health.shells) == (True, 1)
        assert health.volume_mm3 == pytest.approx(bars.volumes_mm3[number], rel=1e-5)
    assert sum(body.mesh.volume for body in bodies) == pytest.approx(bars.volume_mm3, rel=1e-5)


def test_a_support_united_is_one_sound_solid_without_overlaps(trees, tmp_path):
    bars = trees.supports[0].structure
    (path,) = export_build(trees, ExportRequest(tmp_path / "one.3mf", "3mf", "supports"))
    (body,) = read_bodies(path)
    health = examine_mesh(body.mesh)
    assert health.is_sound
    assert health.inward_shells == 0
    assert 0.5 * bars.volume_mm3 < health.volume_mm3 < bars.volume_mm3


def test_beams_are_read_by_another_library_with_their_ends_and_radii(trees, tmp_path):
    lib3mf = pytest.importorskip("lib3mf")
    bars = trees.supports[0].structure
    (path,) = export_build(trees, ExportRequest(tmp_path / "beams.3mf", "3mf", as_beams=True))
    model = lib3mf.get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    reader.ReadFromFile(str(path))
    assert reader.GetWarningCount() == 0
    objects = model.GetMeshObjects()
    kinds, beams = [], []
    while objects.MoveNext():
        mesh = objects.GetCurrentMeshObject()
        kinds.append(mesh.GetType())
        lattice = mesh.BeamLattice()
        vertices = np.array([[*entry.Coordinates] for entry in mesh.GetVertices()])
        for beam in lattice.GetBeams():
            beams.append((*vertices[beam.Indices[0]], *vertices[beam.Indices[1]], *beam.Radii))
    assert kinds == [lib3mf.ObjectType.Model, lib3mf.ObjectType.SolidSupport]
    beams = np.array(beams)
    places, radii = bars.beams()
    whole = np.linalg.norm(places[:, 1] - places[:, 0], axis=1) > 1e-6
    assert len(beams) == int(whole.sum())
    np.testing.assert_allclose(beams[:, :6], places[whole].reshape(-1, 6), atol=1e-4)
    np.testing.assert_allclose(beams[:, 6:], radii[whole], atol=1e-5)
    with pytest.raises(EditError, match="no beam lattice"):
        export_build(trees, ExportRequest(tmp_path / "beams.stl", "stl", as_beams=True))


def test_many_solids_are_united_as_manifold3d_unites_them():
    rng = np.random.default_rng(5)
    boxes = [box(tuple(rng.uniform(1, 4, 3)), corner=tuple(rng.uniform(0, 20, 3))) for _ in range(150)]
    layers = set_apart(join(boxes))
    assert len(layers) < 25
    assert sum(layer.volume for layer in layers) == pytest.approx(sum(one.volume for one in boxes))
    plain = Manifold.batch_boolean([to_manifold(one) for one in boxes], OpType.Add)
    assert united(boxes).volume == pytest.approx(plain.volume(), rel=1e-9)


def test_a_hollow_stays_a_hollow_and_an_open_mesh_is_put_beside():
    hollow = from_manifold(to_manifold(box((10, 10, 10))) - to_manifold(box((4, 4, 4), corner=(3, 3, 3))))
    assert united([hollow, box((2, 2, 2), corner=(20, 0, 0))]).volume == pytest.approx(1000 - 64 + 8)
    across = box((14, 1, 1), corner=(-2, 4.5, 4.5))
    assert united([hollow, across]).volume == pytest.approx(1000 - 64 + 4 + 4)
    torn = Mesh(hollow.vertices, hollow.faces[1:])
    assert len(united([torn, across]).faces) == len(torn.faces) + len(across.faces)
    assert len(united([]).faces) == 0

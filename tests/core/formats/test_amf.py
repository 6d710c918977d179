"""AMF."""

from __future__ import annotations

import io
import zipfile

import lib3mf
import pytest
from mesh_files import SHAPES

from lean_trellis.core.formats import Named, amf, read_bodies
from lean_trellis.core.mesh.primitives import box


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

"""`lean-trellis layers`: heights and areas of mesh files and jobs, gaps, what is refused."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, to_manifold


def test_the_middle_heights_below_the_top_with_their_areas(call, stl):
    status, found, err = call("layers", stl, "--layer-height", 2, "--json")
    assert (status, err) == (0, "")
    assert (found["layer_height_mm"], found["count"]) == (2, 2)
    assert found["z_mm"] == [1, 3], "the middle of a third layer is at the top, not below it"
    assert found["part_area_mm2"] == pytest.approx([400, 400])
    assert found["support_area_mm2"] == [0, 0]


def test_a_lifted_and_turned_part_begins_with_empty_layers(call, tmp_path):
    path = tmp_path / "ball.stl"
    mesh = ball(10, subdivisions=4)
    path.write_bytes(stl_bytes(mesh))
    found = call("layers", path, "--layer-height", 0.5, "--build-offset", 3, "--rotate", 20, 30, 0, "--json")[1]
    assert found["count"] == 46
    assert found["part_area_mm2"][:6] == [0] * 6
    assert sum(found["part_area_mm2"]) * 0.5 == pytest.approx(mesh.volume, abs=0.5 * max(found["part_area_mm2"]))


def test_a_job_is_cut_as_it_is_supports_apart(call, stl, tmp_path):
    path = tmp_path / "slab.trellis"
    _, made, _ = call("prepare", stl, "-o", path, "--set", "bars-metal", "--json")
    found = call("layers", path, "--json")[1]
    assert found["layer_height_mm"] == 0.04
    below = np.array(found["z_mm"]) < 3.5
    assert np.array(found["part_area_mm2"])[below].max() == 0
    assert np.array(found["support_area_mm2"])[below].min() > 0
    (support,) = made["parts"][0]["supports"]
    assert sum(found["support_area_mm2"]) * 0.04 == pytest.approx(support["volume_mm3"], rel=0.1)
    assert call("layers", path, "--layer-height", 0.2, "--json")[1]["count"] == pytest.approx(found["count"] / 5, abs=1)


def test_a_first_layer_of_its_own_and_supports_at_every_second_layer(call, stl, tmp_path):
    path = tmp_path / "slab.trellis"
    options = ("--set", "bars-metal", "--first-layer", 0.06, "--support-every", 2)
    assert call("prepare", stl, "-o", path, *options, "--json")[0] == 0
    found = call("layers", path, "--json")[1]
    assert (found["first_layer_mm"], found["support_every"]) == (0.06, 2)
    assert found["z_mm"][:3] == pytest.approx([0.03, 0.08, 0.12])
    support, part = np.array(found["support_area_mm2"]), np.array(found["part_area_mm2"])
    below = np.array(found["z_mm"]) < 3.5
    assert (support[below][::2] == 0).all()
    assert support[below][1::2].min() > 0
    assert part[~below].max() > 0
    every = call("layers", path, "--support-every", 1, "--layer-height", 0.1, "--first-layer", 0.2, "--json")[1]
    assert every["z_mm"][:2] == pytest.approx([0.1, 0.25])
    assert np.array(every["support_area_mm2"])[:20].min() > 0
    status, _, err = call("layers", path, "--first-layer", 9, "--json")
    assert status == 2 and "--first-layer" in err


def test_a_vat_hardens_its_supports_at_every_layer(call, stl, tmp_path):
    options = ("--machine", "vat-150", "--set", "bars-resin-regular", "--support-every", 2)
    status, _, err = call("prepare", stl, "-o", tmp_path / "slab.trellis", *options)
    assert status == 2 and "a vat hardens every layer" in err


def test_closed_gaps_are_reported_with_their_places(call, tmp_path):
    mesh = box((10, 10, 4))
    side = mesh.normals[:, 0] > 0.9
    torn = join([Mesh(mesh.vertices, mesh.faces[~side]), Mesh(mesh.vertices + [0.03, 0, 0], mesh.faces[side])])
    path = tmp_path / "torn.stl"
    path.write_bytes(stl_bytes(torn))
    found = call("layers", path, "--layer-height", 1, "--json")[1]
    (body,) = found["bodies"]
    assert [gap["width_mm"] for gap in body["gaps"]] == pytest.approx([0.03] * 8, abs=1e-5)
    assert {gap["z_mm"] for gap in body["gaps"]} == {0.5, 1.5, 2.5, 3.5}
    assert found["part_area_mm2"] == pytest.approx([100.3] * 4, abs=0.2)


def test_areas_on_a_belt_are_those_of_independent_tilted_cuts(call, tmp_path):
    mesh = box((8, 10, 6))
    path = tmp_path / "box.stl"
    path.write_bytes(stl_bytes(mesh))
    found = call("layers", path, "--machine", "belt-260", "--layer-height", 0.5, "--json")[1]
    solid = to_manifold(mesh).translate((0, 0, -float(mesh.bounds[0, 2])))
    assert sum(found["part_area_mm2"]) * 0.5 == pytest.approx(480, abs=0.5 * max(found["part_area_mm2"]))
    assert max(found["part_area_mm2"]) == pytest.approx(8 * 6 * np.sqrt(2), rel=0.02), "cut from top to bottom"
    assert solid.volume() == pytest.approx(480)


def test_a_table_is_printed_and_nonsense_is_one_line(call, stl):
    status, said, _ = call("layers", stl, "--layer-height", 1)
    assert status == 0
    assert "5 layers of 1 mm" in said
    assert "400.00" in said
    for height, words in ((0, "no layer height"), (0.00001, "choose thicker layers")):
        status, _, err = call("layers", stl, "--layer-height", height, "--json")
        assert status == 2
        assert words in err
        assert err.count("\n") == 1

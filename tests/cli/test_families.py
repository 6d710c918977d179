"""Supports of every family on the command line: prepared, checked, exported; what is refused, in one line."""

from __future__ import annotations

import zipfile

import numpy as np
import pytest
import trimesh
from manifold3d import Manifold

from lean_trellis.core.formats import read_bodies
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, wavy_plate

FAMILIES = {
    "bars-metal": "bars", "lattice-metal": "lattice", "lattice-metal-light": "lattice", "wall-line": "wall",
    "wall-flank": "wall", "raft-follow": "raft", "raft-rectangle": "raft", "block-plain": "block",
    "cradle-posts": "cradle",
}  # fmt: skip
KEYS = {"family", "set", "count", "volume_mm3", "contact_area_mm2", "contacts"}


@pytest.fixture
def slab(tmp_path):
    path = tmp_path / "slab.stl"
    path.write_bytes(stl_bytes(box((24, 16, 12))))
    return path


def prepared(call, source, out, *options):
    status, document, err = call("prepare", source, "-o", out, *options, "--json")
    assert (status, err) == (0, "")
    (part,) = document["parts"]
    return part["supports"]


@pytest.mark.parametrize("name", sorted(FAMILIES))
def test_prepare_tells_of_every_family_what_the_contract_promises(call, slab, tmp_path, name):
    (support,) = prepared(call, slab, tmp_path / "a.trellis", "--set", name, "--build-offset", 6)
    assert set(support) >= KEYS
    assert (support["family"], support["set"]) == (FAMILIES[name], name)
    at_the_slab = np.array(support["contacts"]).reshape(-1, 3)
    assert (at_the_slab[:, 2] >= 6 - 0.5).all() and (at_the_slab[:, 2] <= 6 + 12).all()
    if FAMILIES[name] == "bars":
        assert support["count"] == len(at_the_slab)
    # All that lies under a slab of 24 by 16 mm, 6 mm above the plate, with room for a raft's or a wall's margin.
    assert 0 < support["volume_mm3"] < (24 + 40) * (16 + 40) * 18
    assert support["contact_area_mm2"] <= 24 * 16 + 4 * (24 + 16) * 12
    touches = FAMILIES[name] != "raft"
    assert (support["contact_area_mm2"] > 0) is touches and bool(support["contacts"]) is touches
    status, found, _ = call("check", tmp_path / "a.trellis", "--json")
    assert status == (0 if found["releasable"] else 1)
    assert not {"support_through_part", "support_empty"} & {finding["code"] for finding in found["findings"]}


@pytest.mark.parametrize("name", sorted(set(FAMILIES) - {"lattice-metal", "lattice-metal-light"}))
def test_what_is_exported_is_closed_and_has_the_volume_that_was_told(call, slab, tmp_path, name):
    (support,) = prepared(call, slab, tmp_path / "a.trellis", "--set", name, "--build-offset", 6)
    status, _, _ = call("export", tmp_path / "a.trellis", "-o", tmp_path / "a.stl", "--what", "supports")
    assert status == 0
    found = trimesh.load(tmp_path / "a.stl")
    assert found.is_watertight
    # United, what is counted twice counts once.
    assert 0.7 * support["volume_mm3"] < found.volume <= support["volume_mm3"] * (1 + 1e-4)


def test_sheets_are_exported_open_beside_the_united_solids_and_as_supports_in_3mf(call, slab, tmp_path):
    options = ("--set", "lattice-metal", "--set", "raft-follow", "--build-offset", 6)
    lattice, raft = prepared(call, slab, tmp_path / "a.trellis", *options)
    assert lattice["thickness_mm"] == 0 and lattice["largest_piece_mm"] <= 14
    assert call("export", tmp_path / "a.trellis", "-o", tmp_path / "a.stl")[0] == 0
    shells = trimesh.load(tmp_path / "a.stl").split(only_watertight=False)
    closed = [shell for shell in shells if shell.is_watertight]
    assert sum(shell.volume for shell in closed) == pytest.approx(24 * 16 * 12 + raft["volume_mm3"], rel=1e-5)
    sheets = sum(shell.area for shell in shells if not shell.is_watertight)
    assert sheets == pytest.approx(lattice["area_mm2"], rel=1e-3)
    assert call("export", tmp_path / "a.trellis", "-o", tmp_path / "a.3mf")[0] == 0
    with zipfile.ZipFile(tmp_path / "a.3mf") as archive:
        model = archive.read("3D/3dmodel.model").decode()
    assert model.count('type="support"') == 2 and model.count('type="model"') == 1
    names = [body.name for body in read_bodies(tmp_path / "a.3mf")]
    assert names == ["slab", "slab support 1", "slab support 2"]


def test_a_raft_tells_its_holes_and_a_cradle_its_posts(call, tmp_path):
    path = tmp_path / "ball.stl"
    path.write_bytes(stl_bytes(ball(9, subdivisions=4)))
    (cradle,) = prepared(call, path, tmp_path / "a.trellis", "--set", "cradle-posts", "--build-offset", 5)
    assert len(cradle["posts"]) == cradle["count"] - 1  # and the plate
    assert {post["does"] for post in cradle["posts"]} <= {"floats", "touches", "goes in"}
    assert sum(post["area_mm2"] for post in cradle["posts"]) == pytest.approx(cradle["contact_area_mm2"])
    tube = from_manifold(Manifold.cylinder(6, 12, 12, 96) - Manifold.cylinder(20, 5, 5, 96, True))
    path.write_bytes(stl_bytes(tube))
    (raft,) = prepared(call, path, tmp_path / "b.trellis", "--set", "raft-follow", "--param", "margin=5.2",
                       "--param", "smallest_hole=0")  # fmt: skip
    (hole,) = raft["holes"]
    assert hole["closed"] and hole["closes_at_mm"] == pytest.approx(5, abs=0.01)
    found = call("check", tmp_path / "b.trellis", "--json")[1]["findings"]
    assert [f["limit"] for f in found if f["code"] == "raft_hole_closed"] == [hole["closes_at_mm"]]


def test_a_value_goes_to_the_sets_that_know_it(call, slab, tmp_path):
    options = ("--set", "bars-metal", "--set", "lattice-metal", "--param", "spacing=6", "--param", "cell_along=8",
               "--param", "bite_depth=0.2", "--param", "lattice-metal:trim=bars")  # fmt: skip
    bars, lattice = prepared(call, slab, tmp_path / "a.trellis", *options, "--build-offset", 6)
    plain = prepared(call, slab, tmp_path / "b.trellis", "--set", "bars-metal", "--set", "lattice-metal")
    assert bars["count"] < plain[0]["count"] and lattice["count"] < plain[1]["count"]
    assert "supports_overlap" not in {f["code"] for f in call("check", tmp_path / "a.trellis", "--json")[1]["findings"]}
    assert "supports_overlap" in {f["code"] for f in call("check", tmp_path / "b.trellis", "--json")[1]["findings"]}


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--set", "raft-follow", "--param", "margin=-30"), "leaves nothing of the raft; give more than"),
        (("--set", "lattice-metal", "--param", "spacing=2"), "did you mean rim_spacing"),
        (("--set", "lattice-metal", "--param", "rib=9"), "no rib"),
        (("--set", "cradle-posts", "--param", "post_pitch=2.1"), "as wide as they lie apart"),
        (("--set", "wall-flank", "--param", "ties_from=90"), "the part ends at"),
        (("--set", "block-plain", "--param", "shape=own"), "no body of its own"),
        (("--set", "block-plain", "--param", "place_z=14", "--param", "size_z=1"), "nothing is left of the block"),
    ],
)
def test_nonsense_is_one_line_and_leaves_no_file(call, slab, tmp_path, options, words):
    status, _, err = call("prepare", slab, "-o", tmp_path / "a.trellis", *options, "--build-offset", 8)
    assert status == 2
    assert words in err and err.count("\n") == 1
    assert not (tmp_path / "a.trellis").exists()


def test_a_wavy_part_on_a_lattice_of_solids_is_releasable_and_comes_off_in_small_pieces(call, tmp_path):
    path = tmp_path / "wave.stl"
    path.write_bytes(stl_bytes(wavy_plate(28, 24)))
    options = ("--set", "lattice-metal", "--param", "thickness=0.25", "--param", "largest_piece=9")
    (lattice,) = prepared(call, path, tmp_path / "a.trellis", *options)
    assert lattice["largest_piece_mm"] <= 9 and lattice["pieces"] > 9
    assert call("check", tmp_path / "a.trellis", "--json")[1]["releasable"]
    call("export", tmp_path / "a.trellis", "-o", tmp_path / "a.stl", "--what", "supports")
    for shell in trimesh.load(tmp_path / "a.stl").split():
        plan = shell.vertices[:, :2] - shell.vertices[:, :2].mean(axis=0)
        turns = np.linspace(0, np.pi, 25)
        widest = max(float(np.ptp(plan @ [np.cos(turn), np.sin(turn)])) for turn in turns)
        assert widest <= 9 + 1e-3

"""`estimate`, `export --format layers`, `trials` as they are typed."""

from __future__ import annotations

import pytest
from machine_readers import follow_gcode, read_common_layers, read_masks, read_slices

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box

KEYS = {
    "layers",
    "build_seconds",
    "part_volume_mm3",
    "support_volume_mm3",
    "material_grams",
    "cost",
    "material_changes",
}


class Cli:
    """Commands that are done, and such that are refused."""

    def __init__(self, call):
        self._call = call

    def json(self, *arguments):
        status, document, err = self._call(*arguments, "--json")
        assert status == 0, err
        return document

    def refused(self, *arguments):
        status, _, err = self._call(*arguments)
        assert status == 2
        assert err.count("\n") == 1
        return err


@pytest.fixture
def cli(call):
    return Cli(call)


@pytest.fixture
def job_of(cli, tmp_path):
    """A small plate on a machine, supported."""

    def made(machine, material, chosen, mesh=None):
        path = tmp_path / "plate.stl"
        path.write_bytes(stl_bytes(mesh or box((12, 9, 2))))
        out = tmp_path / "plate.trellis"
        cli.json("prepare", path, "-o", out, "--machine", machine, "--material", material, "--set", chosen)
        return out

    return made


CASES = [
    ("metal-260", "steel-316l", "bars-metal", ".cli"),
    ("vat-150", "resin-model", "bars-resin-regular", ".zip"),
    ("filament-320", "pla", "bars-extrusion", ".gcode"),
    ("belt-260", "pla", "bars-extrusion", ".gcode"),
]


@pytest.mark.parametrize(("machine", "material", "chosen", "suffix"), CASES)
def test_an_estimate_has_its_keys_and_as_many_layers_as_the_cuts_and_the_machine_file(
    cli, job_of, tmp_path, machine, material, chosen, suffix
):
    job = job_of(machine, material, chosen)
    found = cli.json("estimate", job)
    assert found.keys() >= KEYS
    assert found["layers"] == cli.json("layers", job)["count"]
    assert found["part_volume_mm3"] == pytest.approx(216, rel=1e-6)
    assert found["build_seconds"] == pytest.approx(sum(found["seconds_by"].values()))
    assert found["cost"] == pytest.approx(sum(found["costs"].values()))
    assert found["material_grams"] == pytest.approx(sum(found["grams_by"].values()))
    (file,) = cli.json("export", job, "-o", tmp_path / "plate", "--format", "layers")["files"]
    assert file.endswith(f"plate{suffix}")
    path = tmp_path / f"plate{suffix}"
    counts = {
        ".cli": lambda: len(read_common_layers(path).layers),
        ".zip": lambda: len(read_masks(path)[1]),
        ".gcode": lambda: follow_gcode(path, change_s=38).layers,
    }
    assert counts[suffix]() == found["layers"]


def test_slices_and_text_are_written_by_name_and_option_and_a_wrong_name_is_refused(cli, job_of, tmp_path):
    job = job_of("metal-260", "steel-316l", "bars-metal")
    cli.json("export", job, "-o", tmp_path / "plate.3mf", "--format", "layers")
    assert len(read_slices(tmp_path / "plate.3mf")) == 2
    cli.json("export", job, "-o", tmp_path / "plate.cli", "--format", "layers", "--text")
    assert (tmp_path / "plate.cli").read_text("ascii").startswith("$$HEADERSTART\n$$ASCII\n")
    refused = cli.refused("export", job, "-o", tmp_path / "plate.gcode", "--format", "layers")
    assert "laser powder bed takes no .gcode file of layers; name it plate.cli or plate.3mf" in refused


def test_a_part_that_is_inside_out_weighs_as_much_as_one_that_is_not(cli, job_of):
    solid = box((12, 9, 2))
    right = cli.json("estimate", job_of("vat-150", "resin-model", "bars-resin-regular", solid))
    wrong = cli.json("estimate", job_of("vat-150", "resin-model", "bars-resin-regular",
                                        Mesh(solid.vertices, solid.faces[:, ::-1])))  # fmt: skip
    assert wrong["part_volume_mm3"] == pytest.approx(right["part_volume_mm3"], rel=0.03)


def test_trials_are_kept_and_compared_and_the_job_stays_as_it_is(cli, job_of):
    job = job_of("metal-260", "steel-316l", "bars-metal")
    assert cli.json("trials", job) == []
    (as_it_is,) = cli.json("trials", "keep", job, "as it is")
    (closer,) = cli.json("trials", "keep", job, "closer", "--set", "bars-metal", "--param", "spacing=1.5")
    kept = cli.json("trials", job)
    assert kept == [as_it_is, closer]
    assert [one["name"] for one in kept] == ["as it is", "closer"]
    for one in kept:
        assert one.keys() >= KEYS | {"contact_area_mm2", "most_used", "findings"}
        assert set(one["findings"]) == {"stop", "caution", "note"}
    assert closer["contact_area_mm2"] > as_it_is["contact_area_mm2"]
    estimate = cli.json("estimate", job)
    assert {key: as_it_is[key] for key in KEYS} == {key: estimate[key] for key in KEYS}


@pytest.mark.parametrize("words", [("keep",), ("keep", "a.trellis"), ("a.trellis", "b", "c")])
def test_trials_that_are_not_understood_are_refused(cli, words):
    assert "give JOB, or keep JOB NAME" in cli.refused("trials", *words)

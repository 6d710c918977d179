"""What a machine refuses, and why."""

from __future__ import annotations

import json
import tempfile
import zipfile

import pytest
from sent_builds import gcode, package

from lean_trellis.core.release.machines.inspection import Refused, inspected


@pytest.fixture
def look(library, tmp_path):
    def looked(content=None, material="", **said):
        package(tmp_path / "p.zip", "cube", content, **said)
        with tempfile.TemporaryFile() as scratch:
            return inspected(tmp_path / "p.zip", library.machine("filament-320"), material, scratch)

    return looked


def test_a_true_package_is_taken(look):
    assert look().job == "cube"


@pytest.mark.parametrize("share", [0.991, 1.009])
def test_a_volume_just_within_a_hundredth(look, share):
    assert look(gcode(500.0 * share))


@pytest.mark.parametrize("share", [0.989, 1.011])
def test_a_volume_just_outside(look, share):
    with pytest.raises(Refused, match=r"the ticket says 500\.0 mm³"):
        look(gcode(500.0 * share))


@pytest.mark.parametrize(("said", "words"), [
    ({"machine": "belt-260"}, "the build is for belt-260"),
    ({"process": "vat"}, "for another process: vat"),
    ({"layer_height": 2.0}, "no layers of 2 mm"),
    ({"sha256": "0" * 64}, "its checksum differs"),
    ({"layer_seconds": [1.0] * 9}, "the file has 10 layers, the ticket 9"),
    ({"layer_seconds": []}, "layer_seconds"),
    ({"volume_mm3": float("inf")}, "manifest"),
    ({"file": "../cube.gcode"}, "manifest is wrong at file"),
    ({"file": "other.gcode"}, "cannot be read"),
    ({"format": "else"}, "manifest is wrong at format"),
])  # fmt: skip
def test_a_manifest_that_is_not_true(look, said, words):
    with pytest.raises(Refused) as refused:
        look(**said)
    assert words in " ".join(refused.value.reasons)


def test_another_material_is_loaded(look):
    assert look(material="pla")
    with pytest.raises(Refused, match="petg is loaded, the build needs pla"):
        look(material="petg")


@pytest.mark.parametrize(("content", "words"), [
    (gcode(x=310.0), "beyond the plate"), (gcode(z=40.0), "the machine builds 340 mm"),
    (b"G1 X1 Y1 E1", "cannot be read"), (b"\x00\xff" * 90, "cannot be read"),
])  # fmt: skip
def test_a_file_that_cannot_be_built(look, content, words):
    with pytest.raises(Refused) as refused:
        look(content)
    assert words in " ".join(refused.value.reasons)


def test_packages_that_are_none(library, tmp_path):
    (tmp_path / "rubbish.zip").write_bytes(b"PK rubbish")
    with zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("manifest.json", json.dumps({"x": "0" * 30_000_000}))
    with zipfile.ZipFile(tmp_path / "climbs.zip", "w") as archive:
        archive.writestr("../../etc/passwd", "x")
    for name in ("rubbish", "bomb", "climbs", "missing"):
        with pytest.raises(Refused), tempfile.TemporaryFile() as scratch:
            inspected(tmp_path / f"{name}.zip", library.machine("filament-320"), "", scratch)

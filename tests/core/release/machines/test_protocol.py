"""What both sides agree on is bounded."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from lean_trellis.core.release.machines.protocol import Manifest, SentBuild, Status

TRUE = {
    "job": "j", "machine": "vat-150", "process": "vat", "material": "resin-model", "layer_height": 0.05,
    "file": "j.zip", "sha256": "0" * 64, "volume_mm3": 1.0, "line_width": 0.1, "grams": 1.0, "layer_seconds": [2, 3.5],
}  # fmt: skip


def test_a_true_manifest():
    assert Manifest(**TRUE).build_seconds == 5.5


@pytest.mark.parametrize("wrong", [
    {"file": "a/b"}, {"file": ".." + "\\" + "x"}, {"file": ""}, {"sha256": "x"}, {"volume_mm3": float("nan")},
    {"volume_mm3": -1}, {"layer_seconds": [float("inf")]}, {"layer_seconds": []}, {"layer_height": 0}, {"version": 2},
    {"job": "x" * 401}, {"process": "laser"}, {"layer_seconds": [-1.0]},
])  # fmt: skip
def test_a_manifest_that_is_wrong(wrong):
    with pytest.raises(ValidationError):
        Manifest(**(TRUE | wrong))


def test_which_builds_are_over():
    builds = tuple(SentBuild(key=digit * 64, job="j", state=state) for digit, state in [("1", "done"), ("2", "paused")])
    said = Status(machine="vat-150", name="v", process="vat", state="idle", builds=builds)
    assert [build.is_over for build in builds] == [True, False]
    assert said.build("2" * 64) is builds[1]
    assert said.build("3" * 64) is None

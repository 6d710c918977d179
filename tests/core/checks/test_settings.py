"""`layer_height` and `mode_not_validated`."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box


def job_on(library, machine, material, **changes):
    job = edits.add_bodies(
        new_job(library.machine(machine), library.material(material)), [Body("one", box((9, 9, 9)), 1)]
    )
    job = edits.set_build_offset(job.job, ["part-1"], 0.0).job
    return replace(job, **changes)


def findings(job, code):
    return [finding for finding in Graph().get(FINDINGS, None, job) if finding.code == code]


def cured(finding, job):
    (cure,) = [cure for cure in finding.cures if cure.change is not None]
    return cure.change.edit(job, None).job


@pytest.mark.parametrize("height", [0.03, 0.04, 0.06])
def test_heights_that_a_material_has_values_for_are_fine(library, height):
    assert findings(job_on(library, "metal-260", "steel-316l", layer_height=height), "layer_height") == []


def test_another_height_is_a_caution_and_the_nearest_known_one_its_cure(library):
    job = job_on(library, "metal-260", "steel-316l", layer_height=0.052)
    (finding,) = findings(job, "layer_height")
    assert (finding.severity, finding.value, finding.limit) == ("caution", 0.052, 0.06)
    assert cured(finding, job).layer_height == 0.06


def test_beads_nearly_as_high_as_wide_are_a_stop(library):
    width = library.material("pla").constants["path_width"].value
    assert all(f.severity != "stop" for f in findings(job_on(library, "filament-320", "pla", layer_height=0.79 * width),
                                                      "layer_height"))  # fmt: skip
    job = job_on(library, "filament-320", "pla", layer_height=0.81 * width)
    (finding,) = findings(job, "layer_height")
    assert finding.severity == "stop"
    assert finding.limit == pytest.approx(0.8 * width)
    assert cured(finding, job).layer_height <= 0.8 * width


def test_a_mode_that_is_not_proven_on_this_machine_is_a_caution(library):
    assert findings(job_on(library, "metal-260", "steel-316l", mode="fine"), "mode_not_validated") == []
    job = job_on(library, "metal-120", "steel-316l", mode="fine")
    (finding,) = findings(job, "mode_not_validated")
    assert finding.severity == "caution"
    assert "Metal 120" in finding.message
    assert cured(finding, job).mode == "usual"


def test_a_mode_changes_constants_and_an_unknown_one_is_refused(library):
    job = job_on(library, "metal-260", "steel-316l")
    fast = edits.choose_mode(job, "fast").job
    assert fast.constants["hatch_speed"].value > job.constants["hatch_speed"].value
    assert fast.constants["density"] == job.constants["density"]
    with pytest.raises(UnknownNameError, match="fast"):
        edits.choose_mode(job, "quick")
    other = edits.choose_machine(fast, library.machine("filament-320"), library.material("petg")).job
    assert other.mode == "usual", "the other material has no such mode"


def test_the_usual_mode_was_called_normal_once(library):
    material = library.material("petg")
    old = type(material).model_validate({**material.model_dump(), "validated_modes": ["normal"]})
    assert old.validated_modes == ("usual",)

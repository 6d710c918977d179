"""Changes of material through a stack: two for each layer of a separator between parts, more where parts run past."""

from __future__ import annotations

import pytest
from checked_parts import codes, stack_of, the_finding

from lean_trellis.core.checks.stacks import material_changes
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.stacking import Separator


def three_flat_parts(library, layers):
    """Three flat parts over each other, so many layers of another material in each gap."""
    shop = library.machine("filament-320"), library.material("pla")
    flat = box((20, 20, 4))
    job = edits.add_bodies(new_job(*shop), [Body("flat", flat, len(flat.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 0).job
    return edits.stack_part(job, "part-1", 3, layers, "layers", Separator(library.material("petg"), 0, layers)).job


@pytest.fixture
def stacked(library):
    return three_flat_parts(library, 2)


def test_between_parts_it_changes_to_the_separator_and_back(stacked):
    assert material_changes(stacked) == 4


def test_beside_a_part_that_runs_past_each_layer_of_the_separator_is_one_change_and_the_last_one_back(stacked):
    tall = box((5, 5, 40))
    job = edits.add_bodies(stacked, [Body("tall", tall, len(tall.faces))]).job
    job = edits.set_build_offset(job, [job.parts[-1].id], 0).job
    # Two layers of both twice: base to separator, back within the second; nothing is left to change after it.
    assert material_changes(job) == 4


def test_with_an_odd_number_of_layers_the_last_one_ends_on_the_other_material(library):
    job = three_flat_parts(library, 3)
    tall = box((5, 5, 40))
    job = edits.add_bodies(job, [Body("tall", tall, len(tall.faces))]).job
    job = edits.set_build_offset(job, [job.parts[-1].id], 0).job
    # Each gap: three layers of both, and one change back to the base above it.
    assert material_changes(job) == 8


def test_without_a_separator_nothing_changes(library):
    flat = box((20, 20, 4))
    shop = library.machine("filament-320"), library.material("pla")
    assert material_changes(edits.add_bodies(new_job(*shop), [Body("flat", flat, len(flat.faces))]).job) == 0


def test_a_gap_that_is_no_whole_number_of_layers_is_found_on_top_of_the_lowest_part(library):
    shop = library.machine("filament-320"), library.material("pla")
    flat = box((20, 20, 4))
    job = edits.add_bodies(new_job(*shop), [Body("flat", flat, len(flat.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 0).job
    job = edits.stack_part(job, "part-1", 2, 0.33, "mm").job
    (found,) = [finding for finding in Pipeline().findings(job) if finding.code == "stack_gap"]
    assert found.at_mm[2] == pytest.approx(4.0)
    assert (found.value, found.limit) == (
        pytest.approx(0.33),
        pytest.approx(round(0.33 / job.layer_height) * job.layer_height),
    )


def test_base_and_separator_must_agree_on_the_plates_temperature(library):
    for name, severity in (("pla", None), ("petg", "caution"), ("abs", "stop")):
        job = stack_of(library, Separator(library.material(name), 0.3, 2), 2)
        said = [f.severity for f in Pipeline().findings(job) if f.code == "temperatures_disagree"]
        assert said == ([severity] if severity else [])
    found = the_finding(job, "temperatures_disagree")
    assert found.value > found.limit
    assert found.source.startswith("assumed")


def test_gaps_of_a_stack_are_whole_layers_and_not_nothing(library):
    assert "stack_gap" not in codes(stack_of(library, None, 2))
    assert the_finding(stack_of(library, None, 0), "stack_gap").severity == "stop"
    assert the_finding(stack_of(library, None, 0.33, "mm"), "stack_gap").severity == "caution"


def test_each_separator_is_two_changes_of_material(library):
    assert material_changes(stack_of(library, Separator(library.material("pla"), 0, 2), 2)) == 4
    assert material_changes(stack_of(library, None, 2)) == 0

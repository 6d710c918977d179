"""Bodies one after another in each layer, and what each layer takes."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE, LAYER_PROFILE
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.layers.assembly import AssembledBody, assembled
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.layers.purge import purge_volume
from lean_trellis.core.layers.work import Work
from lean_trellis.core.mesh.primitives import box

PLAN = LayerPlan(0.2)


def body(first, last, at, *, seconds=5.0, is_other=False, cause="parts"):
    """One path of `seconds` in each layer, that begins and ends at a place."""
    numbers = np.arange(first, last + 1)
    count = len(numbers)
    ends = np.tile(np.array(at, float), (count, 1))
    work = Work(numbers, np.full(count, seconds), np.zeros((count, 6)), np.zeros(count), ends, ends)
    return AssembledBody(work, cause, is_other, first, last)


def test_a_powder_bed_spreads_every_layer_and_goes_from_body_to_body(library):
    machine, constants = library.machine("metal-260"), library.material("steel-316l").constants
    made = assembled([body(0, 3, (0, 0)), body(1, 2, (42, 0), seconds=2.0, cause="supports")], PLAN, machine, constants)
    between = 42 / machine.moves.travel_speed
    recoat = constants["recoat_time"].value
    np.testing.assert_allclose(made.layer_seconds, recoat + np.array([5, 7 + between, 7 + between, 5]))
    assert made.turn_bodies.tolist() == [0, 0, 1, 0, 1, 0]
    assert made.seconds_by["supports"].sum() == 4.0
    assert made.changes.count == 0


def test_a_vat_exposes_its_base_longer_and_looks_at_no_paths(library):
    constants = library.material("resin-model").constants
    made = assembled([body(0, 9, (0, 0), seconds=0.0)], PLAN, library.machine("vat-150"), constants)
    base = round(constants["base_layers"].value)
    exposure = base * constants["base_exposure_time"].value + (10 - base) * constants["exposure_time"].value
    assert made.seconds_by["exposure"].sum() == pytest.approx(exposure)
    each = constants["lift_time"].value + constants["wait_before"].value + constants["wait_after"].value
    assert made.layer_seconds.sum() == pytest.approx(exposure + 10 * each)


def test_materials_take_turns_with_a_purge_between(library):
    machine, constants = library.machine("filament-320"), library.material("pla").constants
    bodies = [body(0, 3, (0, 0)), body(1, 2, (10, 0), is_other=True, cause="separators")]
    made = assembled(bodies, PLAN, machine, constants)
    assert made.turn_numbers.tolist() == [0, 1, 1, 1, 2, 2, 2, 3]
    assert made.turn_bodies.tolist() == [0, 0, -1, 1, 1, -1, 0, 0]
    assert made.changes.count == 2
    (paths,) = made.purge.values()
    assert [made.purge_in(number, PLAN.height) is paths for number in range(4)] == [False, True, True, False]
    assert made.purge_in(0, PLAN.height) is None
    width = constants["path_width"].value
    assert paths.lengths.sum() * width * 0.2 == pytest.approx(purge_volume(constants))
    assert made.seconds_by["material changes"][1] > constants["change_time"].value
    assert made.seconds_by["material changes"][[0, 3]].tolist() == [0, 0]


def test_short_layers_wait_and_long_ones_do_not(library):
    constants = dict(library.material("pla").constants)
    constants["least_layer_time"] = constants["change_time"].model_copy(update={"value": 8.0})
    made = assembled(
        [body(0, 1, (0, 0)), body(1, 1, (0, 0), seconds=6.0)], PLAN, library.machine("filament-320"), constants
    )
    assert made.seconds_by["waits of short layers"].tolist() == pytest.approx([3.0, 0.0], abs=1e-9)


def test_on_a_belt_layers_below_the_origin_count_and_what_is_empty_does_not(library):
    constants = library.material("pla").constants
    empty = body(0, -1, (0, 0), cause="supports")
    made = assembled([body(-9, -5, (0, 0)), empty], PLAN, library.machine("belt-260"), constants)
    assert made.numbers.tolist() == [-9, -8, -7, -6, -5]


def test_nothing_takes_no_time(library):
    made = assembled([], PLAN, library.machine("metal-260"), library.material("steel-316l").constants)
    assert len(made.numbers) == 0
    assert made.layer_seconds.sum() == 0


def test_what_is_lower_than_a_layer_takes_nothing(library):
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("tiny", box((0.1, 0.1, 0.04)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    estimate = Graph().get(ESTIMATE, None, job)
    assert (estimate.layers, estimate.build_seconds, estimate.material_changes) == (0, 0.0, 0)
    assert Graph().get(LAYER_PROFILE, None, job).tops.tolist() == []

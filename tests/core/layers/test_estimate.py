"""What a build takes: sums by hand, by cause and by body."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.estimate import Built, estimated
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.layers.work import Work

PLAN = LayerPlan(0.2)


def work(count, seconds=60.0, beads=10.0):
    place = np.zeros((count, 2))
    return Work(np.arange(count), np.full(count, seconds), np.zeros((count, 6)), np.full(count, beads), place, place)


def test_metal_costs_what_it_weighs_what_the_machine_takes_and_what_comes_off_by_hand(library):
    machine, constants = library.machine("metal-260"), library.material("steel-316l").constants
    bodies = [
        Built("part", "part-1", "Strut", "Mill", work(10), 5000.0, (0, 9)),
        Built("support", "support-1", "bars-metal", "Mill", work(5), 400.0, (0, 4), contacts=30),
    ]
    found = estimated(bodies, PLAN, machine, constants)
    seconds = 10 * constants["recoat_time"].value + 15 * 60
    assert found.layers == 10
    assert found.build_seconds == pytest.approx(seconds)
    grams = 5.4 * constants["density"].value
    loss = constants["loss"].value
    assert found.material_grams == pytest.approx(grams * (1 + loss))
    assert found.grams_by["supports"] == pytest.approx(0.4 * constants["density"].value)
    rates = machine.rates
    assert found.removal_seconds == pytest.approx(30 * rates.contact_time + rates.piece_time)
    assert found.costs == pytest.approx({
        "material": grams * (1 + loss) / 1000 * constants["price"].value,
        "machine": seconds / 3600 * rates.machine_hour,
        "warming up and cooling": (rates.warm_up + rates.cooling) / 60 * rates.machine_hour,
        "taking supports off": found.removal_seconds / 3600 * rates.labour_hour,
    })  # fmt: skip
    assert sum(share.grams for share in found.shares) == pytest.approx(found.material_grams)
    assert found.volumes_mm3 == {"parts": 5000.0, "supports": 400.0, "separators": 0}


def test_what_is_extruded_counts_and_supports_of_every_second_layer_are_twice_as_high(library):
    constants = library.material("pla").constants
    every = Work(np.array([1, 3]), np.ones(2), np.zeros((2, 6)), np.full(2, 10.0), np.zeros((2, 2)), np.zeros((2, 2)))
    bodies = [
        Built("part", "part-1", "Reed", "Organ", work(4), 99.0, (0, 3)),
        Built("support", "support-1", "bars", "Organ", every, 99.0, (1, 3), every=2),
    ]
    found = estimated(bodies, PLAN, library.machine("filament-320"), constants)
    assert found.grams_by["parts"] == pytest.approx(4 * 10 * 0.2 / 1000 * constants["density"].value)
    assert found.grams_by["supports"] == pytest.approx(2 * 10 * 0.4 / 1000 * constants["density"].value)


def test_a_separator_weighs_as_its_own_material_and_changes_are_purged(library):
    constants, other = library.material("pla").constants, library.material("petg")
    layer = Work(np.array([2]), np.ones(1), np.zeros((1, 6)), np.full(1, 10.0), np.zeros((1, 2)), np.zeros((1, 2)))
    bodies = [
        Built("part", "part-1", "Grid", "Organ", work(5), 99.0, (0, 4)),
        Built("separator", "stack-1", "separator", "Organ", layer, 9.0, (2, 2), material=other),
    ]
    found = estimated(bodies, PLAN, library.machine("filament-320"), constants)
    assert found.material_changes == 2, "in the layer with both, and back at the next"
    assert found.grams_by["separators"] == pytest.approx(10 * 0.2 / 1000 * other.constants["density"].value)
    purge = 2 * constants["purge_volume"].value / 1000 * constants["density"].value
    assert found.grams_by["purge"] == pytest.approx(purge)


def test_an_empty_build_takes_nothing(library):
    found = estimated([], PLAN, library.machine("vat-150"), library.material("resin-model").constants)
    assert (found.layers, found.build_seconds, found.material_grams, found.cost) == (0, 0, 0, 0)

"""What acts by process, from a material's constants; what it leaves out is assumed and said so."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.actions import ASSUMED, actions_of, blade_ways


@pytest.mark.parametrize(
    ("machine", "material", "acting", "at_rest"),
    [
        ("metal-260", "steel-316l", ("blade", "lift", "lift_depth", "corner_lift"), ("peel", "nozzle")),
        ("vat-150", "resin-model", ("peel", "suction"), ("blade", "lift", "nozzle")),
        ("filament-320", "petg", ("nozzle", "weight"), ("peel", "lift", "blade")),
    ],
)
def test_each_process_has_its_own_loads(library, machine, material, acting, at_rest):
    actions = actions_of(library.machine(machine), library.material(material).constants)
    assert all(getattr(actions, name) > 0 for name in acting)
    assert all(getattr(actions, name) == 0 for name in at_rest)
    assert "assumed" in actions.source
    assert not actions.is_measured
    assert actions.bond > 0


def test_peel_is_within_what_films_pull_with(library):
    for material in library.materials.values():
        if material.process == "vat":
            assert 0.02 <= material.constants["peel_pressure"].value <= 0.06


def test_the_lift_grows_with_the_solid_above_and_levels_off(library, metal):
    actions = actions_of(*metal[:1], metal[1].constants)
    lifts = actions.lift_at(np.array([0.0, 1.0, 30.0, 300.0]))
    assert lifts[0] == 0
    assert lifts[1] == pytest.approx(actions.lift * (1 - np.exp(-1 / actions.lift_depth)))
    assert lifts[2] / lifts[1] > 3
    assert lifts[3] == pytest.approx(actions.lift)


def test_what_is_measured_is_taken_and_no_longer_assumed(metal):
    machine, material = metal
    known = {
        key: constant.model_copy(update={"source": "coupon of March"}) for key, constant in material.constants.items()
    }
    known |= {key: constant.model_copy(update={"value": 3.0, "source": "coupon"}) for key, constant in ASSUMED.items()}
    known["plate_bond"] = Constant(value=55.0, unit="MPa", source="coupon")
    actions = actions_of(machine, known)
    assert actions.is_measured
    assert (actions.lift_depth, actions.corner_lift, actions.bond) == (3.0, 3.0, 55.0)


def test_the_blade_pushes_along_its_travel_and_back(metal):
    machine = metal[0].model_copy(update={"blade_direction_deg": 30.0})
    ways = blade_ways(machine)
    assert ways[0] == pytest.approx([np.cos(np.pi / 6), 0.5, 0])
    assert ways[1] == pytest.approx(-ways[0])
    assert len(blade_ways(machine.model_copy(update={"blade_direction_deg": None}))) == 4
    assert len(blade_ways(machine.model_copy(update={"process": "vat"}))) == 0

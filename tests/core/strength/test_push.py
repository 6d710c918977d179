"""The sideways push and the bond to the plate by a material's constants."""

from __future__ import annotations

import pytest

from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.push import Push, side_push


def constants(**values: float) -> dict[str, Constant]:
    return {key: Constant(value=value, unit="", source="test") for key, value in values.items()}


def test_a_blade_pushes_on_every_millimetre_and_what_is_welded_holds_half():
    push = side_push(constants(recoater_push=0.2, strength=400.0))
    assert push == Push(0.0, 0.2, pytest.approx(200.0))
    assert push.on(15.0) == pytest.approx(3.0)


def test_a_nozzle_pushes_at_one_place_and_what_is_laid_down_holds_a_tenth():
    push = side_push(constants(nozzle_push=1.5, strength=50.0))
    assert push == Push(1.5, 0.0, pytest.approx(5.0))
    assert push.on(15.0) == push.on(0.0) == 1.5


def test_what_is_cured_on_holds_three_tenths_and_what_is_measured_goes_before():
    assert side_push(constants(peel_pressure=0.02, strength=20.0)).bond_mpa == pytest.approx(6.0)
    assert side_push(constants(nozzle_push=1.0, strength=20.0, plate_bond=3.3)).bond_mpa == pytest.approx(3.3)

"""Measured values in a material: in place of what was assumed, with where they come from."""

from __future__ import annotations

import pytest

from lean_trellis.core.job.job import new_job
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.strength.actions import actions_of
from lean_trellis.core.strength.coupons.fitted import CouponError, Fitted
from lean_trellis.core.strength.coupons.measured import with_measured
from lean_trellis.core.strength.coupons.outcomes import Outcomes

LIBRARY = shipped_library()
STEEL = LIBRARY.material("steel-316l")
OUTCOMES = Outcomes.model_validate(
    {"coupons": [{"steps": [{}]}], "date": "2026-11-02", "lot": "K7", "machine": "metal-260"}
)


def fitted(value, safe, unit="MPa"):
    return Fitted(value, value - 2, value + 2, safe, unit, 3)


def test_a_constant_is_measured_then_and_what_follows_from_it_says_so():
    keys = ("strength", "stiffness", "thermal_lift", "lift_depth", "corner_lift", "recoater_push", "most_deflection")
    found = {f"constants.{key}": fitted(300, 290) for key in keys}
    changed = with_measured(STEEL, found, "tips", OUTCOMES)
    constant = changed.constants["strength"]
    assert constant.value == 290
    assert not constant.is_assumed
    assert constant.source == (
        "measured: 3 coupons (tips), between 298 and 302 MPa, 2026-11-02, lot K7, on metal-260"
    )  # fmt: skip
    machine = LIBRARY.machine("metal-260")
    assert actions_of(machine, new_job(machine, changed).constants).is_measured
    assert not actions_of(machine, new_job(machine, STEEL).constants).is_measured


def test_detection_values_take_the_safe_end_and_keep_the_others_sources():
    changed = with_measured(STEEL, {"detection.critical_angle": fitted(53, 55, "deg")}, "angles", OUTCOMES)
    assert changed.detection.critical_angle == 55
    assert changed.detection.watch_angle == 55, "the watch angle is never below"
    assert changed.detection.source_of("critical_angle").startswith("measured")
    assert changed.detection.source_of("ledge_limit") == STEEL.detection.source


def test_shrinkage_and_free_span():
    found = {"shrinkage.2": fitted(0.003, 0.003, "1"), "free_span.spans.0": fitted(2.1, 2.0, "mm")}
    changed = with_measured(STEEL, found, "scale", OUTCOMES)
    assert [one.value for one in changed.shrinkage] == [0.002, 0.002, 0.003]
    assert changed.free_span.spans == (2.0, 2.0, 2.9, 4.3, 10.0)
    assert changed.free_span.source.startswith("measured")


def test_a_value_that_cannot_be_is_refused():
    with pytest.raises(CouponError, match="Stainless steel"):
        with_measured(STEEL, {"detection.critical_angle": fitted(120, 120, "deg")}, "angles", OUTCOMES)

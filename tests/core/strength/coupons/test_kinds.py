"""Every kind of coupon: made for each material, filled in, and the constants behind made-up outcomes found back."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.strength.coupons.fitted import CouponError
from lean_trellis.core.strength.coupons.kinds import (
    KINDS,
    coupon_mesh,
    find_kind,
    fitted_values,
    pad_pressure,
    rise_per_lift,
)
from lean_trellis.core.strength.coupons.outcomes import Outcomes

MATERIALS = shipped_library().materials
STEEL, RESIN, PLA = (MATERIALS[key] for key in ("steel-316l", "resin-model", "pla"))


def outcomes(kind, *coupons):
    return Outcomes.model_validate({"kind": kind, "coupons": [{"steps": steps} for steps in coupons]})


@pytest.mark.parametrize("key", KINDS)
def test_each_is_made_for_the_materials_that_it_says_something_of(key):
    for material in (STEEL, RESIN, PLA):
        if material.process in KINDS[key].processes:
            assert examine_mesh(coupon_mesh(key, material)).watertight
            template = KINDS[key].template(material)
            assert len(template["coupons"][0]["steps"]) >= len(KINDS[key].sizes(material))
        else:
            with pytest.raises(CouponError, match="says nothing about"):
                coupon_mesh(key, material)
    with pytest.raises(UnknownNameError, match="angles"):
        find_kind("angels")


@pytest.mark.parametrize(
    ("key", "size", "truth", "material", "value"),
    [("angles", "angle", 41.0, STEEL, "detection.critical_angle"),
     ("bridges", "span", 3.1, STEEL, "detection.bridge_span"),
     ("ledges", "length", 0.33, STEEL, "detection.ledge_limit")],
)  # fmt: skip
def test_a_ladder_bounds_the_limit_and_the_steps_may_be_the_coupons_own(key, size, truth, material, value):
    sizes = KINDS[key].sizes(material)
    holds = [(one >= truth) == (key == "angles") for one in sizes]
    said = outcomes(key, [{size: one, "held": held} for one, held in zip(sizes, holds, strict=True)])
    found = fitted_values(key, said, material)
    assert found[value].low <= truth <= found[value].high
    assert found == fitted_values(key, outcomes(key, [{"held": held} for held in holds]), material)
    if key == "bridges":
        assert found["free_span.spans.0"].value == pytest.approx(found[value].value / 2)


def test_strength_is_the_force_over_the_necks_area():
    random = np.random.default_rng(1)
    steps = [{"diameter": d, "force": 400 * np.pi * d**2 / 4 * np.exp(random.normal(0, 0.08))} for d in (0.4, 0.5, 0.7)]
    found = fitted_values("tips", outcomes("tips", steps, steps), STEEL)["constants.strength"]
    assert found.low <= 400 <= found.high
    assert found.safe == found.low


def test_the_rise_of_a_beam_tells_the_lift():
    """A beam of one material by Euler and Bernoulli, summed numerically from its moment."""
    length, width, thick, stiffness, lift, depth = 20.0, 5.0, 1.5, 190_000.0, 10.0, 4.0
    q = lift * (1 - np.exp(-thick / depth))
    x = np.linspace(0, length, 20_001)
    moment = q * width * (length - x) + 2 * q * (length - x) ** 2 / 2
    curvature = moment / (stiffness * width * thick**3 / 12)
    step = x[1] - x[0]
    slope = np.concatenate([[0], np.cumsum((curvature[1:] + curvature[:-1]) / 2 * step)])
    rise = float(np.sum((slope[1:] + slope[:-1]) / 2 * step))
    one = rise_per_lift(np.array([thick]), np.array([length]), np.array([width]), stiffness, depth)
    assert lift * one[0] == pytest.approx(rise, rel=1e-4)
    found = fitted_values("cantilever", outcomes("cantilever", [{"thickness": thick, "rise": rise}]), STEEL)
    assert found["constants.thermal_lift"].value == pytest.approx(lift, rel=1e-4)


@pytest.mark.parametrize(
    ("critical", "first", "last"), [(45.0, 25, 60), (42.0, 20, 55), (20.0, 10, 35), (70.0, 50, 75)]
)
def test_ledges_lie_round_the_critical_angle_five_degrees_apart_between_10_and_75(critical, first, last):
    material = STEEL.model_copy(update={"detection": STEEL.detection.model_copy(update={"critical_angle": critical})})
    assert KINDS["angles"].sizes(material) == tuple(float(angle) for angle in np.arange(first, last + 1, 5))


def test_beams_of_the_cantilever_are_one_to_three_millimetres_thick():
    assert KINDS["cantilever"].sizes(STEEL) == (1.0, 1.5, 2.0, 3.0)


def test_a_pad_holds_where_its_stalk_is_stronger_than_the_peel():
    sizes = KINDS["peel"].sizes(RESIN)
    peel = 0.031
    holds = [bool(pad_pressure(np.array(size), 16.0) > peel) for size in sizes]
    found = fitted_values("peel", outcomes("peel", [{"held": held} for held in holds]), RESIN)
    value = found["constants.peel_pressure"]
    assert value.low <= peel <= value.high
    assert value.safe == value.high


def test_blocks_and_holes_give_shrinkage_and_the_width_of_beam_or_light():
    steps = [
        {"axis": axis, "of": of, "nominal": size, "measured": (1 - rate) * size + wider}
        for axis, rate in (("x", 0.004), ("y", 0.002))
        for size in (10.0, 20, 40)
        for of, wider in (("outside", 0.1), ("hole", -0.1))
    ]
    found = fitted_values("scale", outcomes("scale", steps), RESIN)
    assert found["shrinkage.0"].value == pytest.approx(0.004)
    assert found["shrinkage.1"].value == pytest.approx(0.002)
    assert found["constants.overcure_width"].value == pytest.approx(0.05)
    assert "shrinkage.2" not in found


@pytest.mark.parametrize(
    ("key", "steps", "words"),
    [("angles", [{"angle": 30}], "does not say whether it held"), ("peel", [{}], "does not say whether it held"),
     ("tips", [{"diameter": 1}], "not above 0"), ("scale", [{"axis": "x"}], "nothing was measured"),
     ("scale", [{"measured": 3}], "axis and nominal"), ("scale", [{"measured": 3, "axis": "x"}], "axis and nominal"),
     ("scale", [{"measured": 3, "nominal": 3}], "axis and nominal"), ("tips", [{"force": 1}] * 9, "has no diameter")],
)  # fmt: skip
def test_outcomes_that_say_too_little_are_refused(key, steps, words):
    with pytest.raises(CouponError, match=words):
        fitted_values(key, outcomes(key, steps), RESIN)
    with pytest.raises(CouponError, match="these are outcomes of"):
        fitted_values("angles", outcomes("tips", [{"force": 1}]), STEEL)

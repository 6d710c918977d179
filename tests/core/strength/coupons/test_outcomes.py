"""Outcomes of coupons as files say them."""

from __future__ import annotations

import json

import pytest

from lean_trellis.core.errors import AccessError
from lean_trellis.core.strength.coupons.fitted import CouponError
from lean_trellis.core.strength.coupons.outcomes import read_outcomes

STEPS = [{"angle": 35, "held": False}, {"angle": 40, "held": True}]


@pytest.mark.parametrize("content", [{"steps": STEPS}, {"coupons": [{"steps": STEPS}]}, [{"steps": STEPS}]])
def test_one_coupon_may_stand_alone(tmp_path, content):
    path = tmp_path / "out.json"
    path.write_text(json.dumps(content))
    (coupon,) = read_outcomes(path).coupons
    assert [(step.angle, step.held) for step in coupon.steps] == [(35, False), (40, True)]


@pytest.mark.parametrize(
    ("text", "words"),
    [("{", "no valid JSON"), ("{}", "coupons"), ('{"steps": []}', "steps"), ('{"steps": [{"angel": 3}]}', "angel"),
     ('{"steps": [{"angle": 120}]}', "angle"), ('{"steps": [{"held": "perhaps"}]}', "held"), ("3", "valid dictionary")],
)  # fmt: skip
def test_what_is_wrong_is_named_with_file_and_key(tmp_path, text, words):
    path = tmp_path / "out.json"
    path.write_text(text)
    with pytest.raises(CouponError, match=words) as caught:
        read_outcomes(path)
    assert str(path) in str(caught.value)


def test_a_file_that_is_not_there_is_named(tmp_path):
    with pytest.raises(AccessError):
        read_outcomes(tmp_path / "none.json")

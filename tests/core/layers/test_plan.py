"""Where layers lie."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.layers import LayerPlan


@pytest.mark.parametrize(
    ("plan", "low", "high", "middles"),
    [
        (LayerPlan(0.2), 0.0, 1.0, [0.1, 0.3, 0.5, 0.7, 0.9]),
        (LayerPlan(0.2), 0.0, 0.91, [0.1, 0.3, 0.5, 0.7, 0.9]),
        (LayerPlan(0.2), 0.0, 0.89, [0.1, 0.3, 0.5, 0.7]),
        (LayerPlan(0.2), 0.35, 0.75, [0.5, 0.7]),
        (LayerPlan(0.2), -0.5, 0.3, [-0.3, -0.1, 0.1]),
        (LayerPlan(0.2, first=0.3), 0.0, 1.0, [0.15, 0.4, 0.6, 0.8]),
        (LayerPlan(0.2, first=0.3), 0.35, 0.75, [0.4, 0.6]),
        (LayerPlan(0.2), 0.31, 0.49, []),
        (LayerPlan(0.2, every=2), 0.0, 1.0, [0.3, 0.7]),
        (LayerPlan(0.2, first=0.3, every=3), 0.0, 1.4, [0.6, 1.2]),
    ],
)
def test_layers_are_cut_at_their_middles_between_two_heights(plan, low, high, middles):
    assert plan.middles(low, high) == pytest.approx(middles)


def test_twenty_microns_over_300_mm_are_15_000_layers_and_far_more_are_refused():
    assert len(LayerPlan(0.02).middles(0.0, 300.0)) == 15_000
    with pytest.raises(EditError, match=r"300,000 layers of 0.001 mm are more than 100,000; choose thicker layers"):
        LayerPlan(0.001).middles(0.0, 300.0)


@pytest.mark.parametrize("plan", [LayerPlan(0.2), LayerPlan(0.2, first=0.3), LayerPlan(0.05, first=0.04)])
def test_numbers_and_middles_of_layers_lead_to_each_other(plan):
    numbers = np.arange(40)
    middles = plan.middle_of(numbers)
    assert plan.numbers_of(middles).tolist() == numbers.tolist()
    assert middles[:4] == pytest.approx(plan.middles(0.0, 8.0)[:4])
    heights = np.diff(middles)
    assert heights[1:] == pytest.approx(np.full(38, plan.height))

"""Faults of bars: measured against the exact distance, with the numbers that are said."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bar_requests import bars_for, request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.facts.faults import free_lengths
from lean_trellis.core.supports.bars.spec import BARS
from lean_trellis.core.supports.bars.struts import SHAFT_END
from lean_trellis.core.supports.common.faults import FamilyView, Neighbour
from lean_trellis.core.supports.common.obstacle import Obstacle


def faults_of(bars, request, *others):
    own = Neighbour("slab", request.obstacles[0], 10.0)
    view = FamilyView(request.parameters, bars, (own, *others), 1, 45.0, ())
    return list(BARS.faults(view))


def beside(bar_place, gap: float) -> Neighbour:
    """A block whose side is so far from a bar's middle line."""
    mesh = box((2, 2, 6))
    pose = Pose(x=float(bar_place[0]) + 1 + gap, y=float(bar_place[1]), build_offset=2.0)
    return Neighbour("block", Obstacle(RayTree(mesh), pose, pose.applied(mesh)), 2.0)


def test_a_bar_in_a_part_is_told_with_how_far_it_runs_in():
    options = {"spacing": 6.0, "shaft_diameter": 1.5, "brace": "none"}
    request, bars = request_for(box((12, 12, 3)), **options), bars_for(box((12, 12, 3)), **options)
    right = bars.holds[int(bars.holds[:, 0].argmax())]
    assert not [f for f in faults_of(bars, request) if f.code == "support_through_part"]
    (found,) = [f for f in faults_of(bars, request, beside(right, 0.3)) if f.code == "support_through_part"]
    assert (found.value, found.limit) == (pytest.approx(0.3, abs=1e-6), pytest.approx(0.75))
    assert "by 0.45 mm" in found.message
    assert not [f for f in faults_of(bars, request, beside(right, 0.76)) if f.code == "support_through_part"]


@pytest.mark.parametrize(("contact", "depth"), [("bite", 0.15 + 0.25), ("gap", 0.0)])
def test_a_tip_that_is_deeper_in_than_its_bite_and_width_is_told_with_its_depth(contact, depth):
    request = request_for(box((12, 12, 3)), spacing=6.0, contact=contact)
    bars = generate_bars(request)
    assert not [f for f in faults_of(bars, request) if f.code == "support_through_part"]
    upper = replace(bars.ends.upper, tops=bars.ends.upper.tops.copy())
    upper.tops[2, 3] = 10.0 + depth + 0.5
    sunk = replace(bars, ends=replace(bars.ends, upper=upper))
    (found,) = [f for f in faults_of(sunk, request) if f.code == "support_through_part"]
    assert (found.value, found.limit) == (pytest.approx(depth + 0.5, abs=0.002), depth)
    assert found.message == f"1 tip of slab goes too deep into it, the worst by {depth + 0.5:.2f} mm"
    upper.tops[5, :2] = 10.0 + depth + 0.3
    (found,) = [f for f in faults_of(sunk, request) if f.code == "support_through_part"]
    assert found.message == f"2 tips of slab go too deep into it, the worst by {depth + 0.5:.2f} mm"
    upper.tops[5, :2] = upper.tops[5, 2]
    upper.tops[2, 3] = 10.0 + depth + 0.02
    assert not [f for f in faults_of(sunk, request) if f.code == "support_through_part"]


def test_a_bar_without_braces_is_free_from_the_plate_to_its_tip():
    bars = bars_for(box((12, 12, 3)), lift=30.0, spacing=6.0, brace="none")
    free, trunks = free_lengths(bars)
    assert len(trunks) == 0
    assert free == pytest.approx(bars.centres[:, SHAFT_END, 2])


@pytest.mark.parametrize("brace", ["zigzag", "x", "k"])
def test_braces_part_the_columns_that_each_of_their_ends_is_on(brace):
    values = {"lift": 40.0, "spacing": 6.0, "free_length": 12.0, "lean_limit": 45.0}
    bars = bars_for(box((12, 12, 3)), brace=brace, **values)
    free, _ = free_lengths(bars)
    assert len(bars.braces)
    for number in range(len(bars)):
        low = bars.braces.starts[bars.braces.columns[:, 0] == number, 2]
        high = bars.braces.stops[bars.braces.columns[:, 1] == number, 2]
        heights = np.sort(np.concatenate([[0.0, bars.centres[number, SHAFT_END, 2]], low, high]))
        assert free[number] == pytest.approx(np.diff(heights).max())

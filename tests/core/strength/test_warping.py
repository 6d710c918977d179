"""Warp: a beam on an elastic foundation, against a solver of its own and closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.strength.growth import GrownBody, stages
from lean_trellis.core.strength.warping import End, Hold, ends_of, lift_of_end, width_at_end, worst_of

STRESS, STIFFNESS, DEPTH, BOND = 2.0, 2000.0, 100.0, 2.0
NONE = np.zeros((0, 3))


def solved_by_elements(moment: float, bending: float, foundation: float, length: float, count: int = 400) -> float:
    """The same load at the end by 400 cubic beam elements on a foundation (Hermite shape functions)."""
    h = length / count
    beam = bending / h**3 * np.array(
        [[12, 6 * h, -12, 6 * h], [6 * h, 4 * h * h, -6 * h, 2 * h * h], [-12, -6 * h, 12, -6 * h],
         [6 * h, 2 * h * h, -6 * h, 4 * h * h]]
    )  # fmt: skip
    under = foundation * h / 420 * np.array(
        [[156, 22 * h, 54, -13 * h], [22 * h, 4 * h * h, 13 * h, -3 * h * h], [54, 13 * h, 156, -22 * h],
         [-13 * h, -3 * h * h, -22 * h, 4 * h * h]]
    )  # fmt: skip
    whole = np.zeros((2 * count + 2, 2 * count + 2))
    for number in range(count):
        at = slice(2 * number, 2 * number + 4)
        whole[at, at] += beam + under
    loads = np.zeros(2 * count + 2)
    loads[1], loads[-1] = -moment, moment
    return float(foundation * np.linalg.solve(whole, loads)[0])


@pytest.mark.parametrize("length", [10.0, 40.0, 90.0, 300.0])
def test_the_lift_of_an_end_is_that_of_a_beam_of_finite_elements(length):
    moment, bending, foundation = 5000.0, 4e7, 600.0
    found, _ = lift_of_end(moment, bending, foundation, length)
    assert found == pytest.approx(solved_by_elements(moment, bending, foundation, length), rel=1e-3)


def test_short_beams_lift_with_their_free_curl_and_long_ones_no_more_with_length():
    moment, bending, foundation = 5000.0, 4e7, 600.0
    short, _ = lift_of_end(moment, bending, foundation, 2.0)
    assert short == pytest.approx(foundation * moment / bending * 2.0**2 / 12, rel=1e-3)
    long, beta = lift_of_end(moment, bending, foundation, 1e4)
    assert long == pytest.approx(2 * moment * beta**2)


def grown(mesh) -> GrownBody:
    return list(stages(mesh, NONE))[-1]


def lying(length: float, width: float, step: float = 1.0, brim: float = 0.0) -> Hold:
    x, y = np.meshgrid(
        np.arange(-brim + step / 2, length + brim, step), np.arange(-brim + step / 2, width + brim, step)
    )
    places = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size)])
    area = np.full(x.size, step**2)
    return Hold(places, np.sqrt(area), STIFFNESS * area / DEPTH, BOND * area)


def curl_of(body: GrownBody, hold: Hold, corner: float, least: float = 0.0) -> End | None:
    return worst_of(ends_of(body, hold, STRESS, STIFFNESS, corner), least)


def used(length: float, width: float, height: float, **more: float) -> float:
    curl = curl_of(grown(box((length, width, height))), lying(length, width, **more), 1.0)
    assert curl is not None
    return curl.used


def test_a_bar_on_the_plate_uses_what_the_closed_form_says():
    length, width, height = 120.0, 24.0, 12.0
    expected, _ = lift_of_end(
        STRESS * width * height**2 / 2, STIFFNESS * width * height**3 / 12, STIFFNESS * width / DEPTH, length
    )
    assert used(length, width, height) == pytest.approx(expected / (BOND * width), rel=0.03)
    assert used(length, 2 * width, height) == pytest.approx(used(length, width, height), rel=0.02)


def test_longer_and_higher_bars_curl_more_and_a_brim_holds_them():
    assert used(20, 20, 10) < used(40, 20, 10) < used(80, 20, 10)
    assert used(80, 20, 5) < used(80, 20, 10) < used(80, 20, 20)
    assert used(80, 20, 20, brim=6.0) < 0.6 * used(80, 20, 20)


def test_corners_lift_more_than_straight_ends_and_discs_have_none():
    bar, disc = grown(box((60, 60, 8))), grown(cylinder(30, 8))
    hold = lying(60, 60)
    plain, sharp = (curl_of(bar, hold, corner) for corner in (1.0, 1.5))
    assert plain is not None
    assert sharp is not None
    assert sharp.used == pytest.approx(1.5 * plain.used)
    worst = max(ends_of(disc, hold, STRESS, STIFFNESS, 1.5), key=lambda end: end.used)
    assert worst.used == pytest.approx(worst.as_corner / 1.5), "a disc has none"
    assert worst.as_corner <= worst.most


def test_nothing_that_holds_has_no_curl_and_little_is_passed_over():
    body = grown(box((60, 20, 8)))
    assert curl_of(body, Hold(), 1.0) is None
    assert curl_of(body, lying(60, 20), 1.0, least=10.0) is None


def test_the_worst_end_is_found_in_whatever_order_they_come():
    body, hold = grown(box((60, 20, 8))), lying(60, 20)
    weak, strong = (ends_of(body, hold, share * STRESS, STIFFNESS, 1.0) for share in (0.1, 1.0))
    for ends in ([*weak, *strong], [*strong, *weak]):
        worst = worst_of(ends, max(end.most for end in weak))
        assert worst is not None
        assert worst.used == pytest.approx(max(end.used for end in strong))


def test_the_width_at_an_end_is_a_rectangle_s_own_and_little_of_a_disc():
    right = np.array([1.0, 0.0])
    ring = np.array([[0, 0], [40, 0], [40, 10], [0, 10], [0, 0.0]])
    assert width_at_end(ring, right, 12.0) == pytest.approx(1.0)
    turn = np.linspace(0, 2 * np.pi, 400)
    disc = 20 * np.column_stack([np.cos(turn), np.sin(turn)])
    # By integration: widths 2 √(2 r d - d²) at d from the end, less and less over 10 mm.
    d = np.linspace(0, 10, 20_001)
    expected = np.average(2 * np.sqrt(40 * d - d * d), weights=1 - d / 10) / (np.pi * 400 / 40)
    assert width_at_end(disc, right, 10.0) == pytest.approx(expected, rel=0.02)
    triangle = np.array([[0, -9], [30, 0], [0, 9], [0, -9.0]])
    assert width_at_end(triangle, -right, 3.0) == pytest.approx(2.0, rel=0.05)

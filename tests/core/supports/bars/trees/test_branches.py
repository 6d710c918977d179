"""Branches of trees: how thick a trunk becomes, against the formulas it follows from, and what branches carry."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from bar_requests import bars_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bars.facts.figures import _leans
from lean_trellis.core.supports.bars.generate import columns_of
from lean_trellis.core.supports.bars.struts import BEND, ON_TRUNK, SHAFT_END, SHAFT_START, Bars
from lean_trellis.core.supports.bars.trees.branches import Joins, Live, pairs_of, trunk_feet, trunk_radii


@pytest.fixture
def parameters():
    values = shipped_sets()["bars-metal"].parameters
    return values.with_value("foot_diameter", 3.0).with_value("shaft_diameter", 2.0).with_value("tip_diameter", 0.6)


def _euler(radius, length):
    return radius**4 / length**2


@pytest.mark.parametrize(("contacts", "length", "alone"), [(2, 30.0, 30.0), (5, 20.0, 40.0), (8, 36.0, 40.0)])
def test_a_trunk_buckles_no_sooner_than_its_bars_alone(parameters, contacts, length, alone):
    (radius,) = trunk_radii(parameters, np.array([contacts]), np.array([length]), np.array([alone]))
    wanted = contacts * _euler(1.0, alone)
    assert radius == pytest.approx(max(1.0, (wanted * length**2) ** 0.25))
    assert _euler(radius, length) >= wanted * (1 - 1e-9)


def test_a_trunk_is_never_thicker_for_being_longer_than_its_bars(parameters):
    longer = trunk_radii(parameters, np.array([4]), np.array([90.0]), np.array([30.0]))
    np.testing.assert_allclose(longer, trunk_radii(parameters, np.array([4]), np.array([30.0]), np.array([30.0])))


def test_a_short_trunk_keeps_the_section_of_its_tips_and_of_a_bar(parameters):
    radii = trunk_radii(parameters, np.array([4, 100]), np.array([0.1, 0.1]), np.array([50.0, 50.0]))
    np.testing.assert_allclose(radii, [1.0, 0.3 * 10])


def test_feet_grow_with_the_load_and_are_no_thinner_than_their_trunk(parameters):
    feet = trunk_feet(parameters, np.array([1, 16]), np.array([9.0, 0.5]))
    assert feet[0] == 9.0
    assert feet[1] >= 1.5 * 2


def _live(contacts, alone):
    n = len(contacts)
    return Live(
        np.zeros((n, 3)), np.zeros(n), np.array(contacts), np.ones(n), np.array(alone), np.zeros(n, bool),
        np.ones(n, bool), np.full(n, -1), np.ones(n), np.zeros((n, 2)), np.zeros((n, 2)), np.zeros(n),
    )  # fmt: skip


def test_what_two_branches_carry_counts_by_their_contacts():
    live = _live([1, 3, 2], [40.0, 20.0, 10.0])
    pairs = pairs_of(live, np.array([0, 1]), np.array([1, 2]), np.zeros((2, 3)))
    np.testing.assert_allclose(pairs.alone(live), [(40 + 60) / 4, (60 + 20) / 5])
    np.testing.assert_array_equal(pairs.contacts(live), [4, 5])
    three = Joins.of(live, np.array([0, 1, 2]), np.zeros(3, np.int64), np.zeros((1, 3)))
    np.testing.assert_allclose(three.alone(live), [(40 + 60 + 20) / 6])
    np.testing.assert_array_equal(three.contacts(live), [6])


@pytest.mark.parametrize("steeper", ["below", "above"])
def test_a_bars_slant_is_that_of_its_steeper_stretch(steeper):
    bars = bars_for(box((6, 6, 3)))
    centres = bars.centres.copy()
    centres[:, SHAFT_START] = [0.0, 0.0, 0.0]
    centres[:, BEND] = [1.0 if steeper == "below" else 0.0, 0.0, 1.0]
    centres[:, SHAFT_END] = [1.0, 0.0, 2.0]
    bent: Bars = replace(bars, centres=centres)
    np.testing.assert_allclose(_leans(bent), 45.0)


def test_trunks_on_the_plate_stand_with_what_bars_there_are_and_share_their_feet():
    bars = bars_for(box((24, 16, 4)), lift=30.0, join="on", contacts_per_trunk=4, spacing=3.0, group_span=8.0)
    standing = np.flatnonzero(bars.trunks.below < 0)
    own = np.flatnonzero(bars.landings != ON_TRUNK)
    assert len(standing) > 1
    assert len(bars.trunks) > len(standing), "some trunks stand on others"
    columns = columns_of(bars)
    np.testing.assert_array_equal(columns.numbers, np.concatenate([own, len(bars) + standing]))
    np.testing.assert_allclose(columns.places[len(own) :, 0], bars.trunks.centres[standing, 2])
    tops = bars.feet.rings[:, -1, :, 2].max(axis=1)
    for ring in bars.trunks.centres[standing, 0]:
        within = [shapely.Polygon(foot[0, :, :2]).contains(shapely.Point(ring[:2])) for foot in bars.feet.rings]
        assert not any(within) or 0 < ring[2] < tops[within].max()
    assert any(ring[2] > 0 for ring in bars.trunks.centres[standing, 0])
    carried = np.flatnonzero(bars.trunks.below >= 0)
    others = bars_for(box((24, 16, 4)), lift=30.0, join="on", contacts_per_trunk=4, spacing=3.0)
    np.testing.assert_allclose(bars.trunks.centres[carried], others.trunks.centres[carried])
    np.testing.assert_allclose(bars.trunks.radii[carried], others.trunks.radii[carried])

"""Loads and strength of bars against closed forms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Pose
from lean_trellis.core.strength.capacity import (
    HINGED,
    SWAYING,
    bending_stresses,
    column_loads,
    euler_loads,
    second_moments,
    slenderness,
)
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.supports.bars.facts.figures import BENDING, BUCKLING, TIP, BarStrength, bar_figures


def placed(mesh, lift):
    return Pose(x=0, y=0, build_offset=lift).applied(mesh)


def test_sections_of_polygons_reach_those_of_a_circle_and_a_square():
    radii = np.array([1.0, 2.0])
    np.testing.assert_allclose(second_moments(radii, 4000), np.pi * radii**4 / 4, rtol=1e-5)
    side = np.sqrt(2) * radii
    np.testing.assert_allclose(second_moments(radii, 4), side**4 / 12)


def test_buckling_bending_and_slenderness_are_the_textbook_s():
    radius, length, inertia = np.array([1.0]), np.array([50.0]), np.pi / 4
    moments = second_moments(radius, 4000)
    euler = np.pi**2 * 2000 * inertia / 2500
    assert euler_loads(moments, length, 2000.0)[0] == pytest.approx(euler, rel=1e-4)
    assert euler_loads(moments, length, 2000.0, SWAYING)[0] == pytest.approx(euler / 4, rel=1e-4)
    assert bending_stresses(np.array([3.0]), length, radius, 4000)[0] == pytest.approx(150 / inertia, rel=1e-4)
    assert slenderness(length, radius, 4000)[0] == pytest.approx(50 / 0.5, rel=1e-4)
    assert np.isinf(euler_loads(moments, np.zeros(1), 2000.0)[0])
    crushed = column_loads(moments, np.array([np.pi]), np.array([0.5]), HINGED, 2000.0, 30.0)
    assert crushed[0] == pytest.approx(30 * np.pi), "a short one is crushed"


def test_a_bar_is_used_by_what_it_bears_least():
    bars = bars_for(box((1, 1, 2)), lift=40.0, spacing=20.0, sides=32)
    assert len(bars) == 1
    for strength, load, used, by in (
        (BarStrength(10.0, 1e9), 0.0, 0.5, TIP),
        (BarStrength(1e9, 10.0), 1.0, 0.0, BUCKLING),
        (BarStrength(1e3, 1e9, push_n=1.0), 0.0, 0.0, BENDING),
    ):
        found = bar_figures(bars, loads_of(1, pushes=load, used=used), strength)
        assert found.used_by[0] == by
    assert bar_figures(bars, loads_of(1, used=0.3), BarStrength(10.0, 1e9)).used[0] == pytest.approx(0.3)
    aside = bar_figures(bars, loads_of(1, sides=2.0), BarStrength(1e3, 1e9, push_n=1.0))
    alone = bar_figures(bars, loads_of(1), BarStrength(1e3, 1e9, push_n=1.0))
    assert aside.used[0] == pytest.approx(2 * alone.used[0]), "the larger of both pushes bends it"


def loads_of(count: int, *, pulls=0.0, pushes=0.0, sides=0.0, used=0.0) -> GripLoads:
    return GripLoads(*(np.full(count, value) for value in (pulls, pushes, sides, used, 5.0)))


def test_twice_the_load_is_twice_used_and_braces_make_it_less():
    options = {"lift": 60.0, "spacing": 4.0, "lean_limit": 40.0, "free_length": 18.0}
    strength = BarStrength(50.0, 900.0, push_n_per_mm=0.2)
    alone = bars_for(box((24, 18, 3)), **options)
    braced = bars_for(box((24, 18, 3)), brace="x", **options)
    loads = loads_of(len(alone), pushes=0.4, used=0.1)
    one, other = (bar_figures(bars, loads, strength) for bars in (alone, braced))
    assert other.used.max() < 0.5 * one.used.max()
    assert other.slenderness.max() < 0.5 * one.slenderness.max()
    calm = replace(strength, push_n_per_mm=0.0)
    doubled = bar_figures(alone, loads_of(len(alone), pushes=0.8, used=0.2), calm)
    np.testing.assert_allclose(doubled.used, 2 * bar_figures(alone, loads, calm).used)
    assert doubled.worst[0] == doubled.used.argmax()


def test_a_bar_on_a_trunk_counts_with_what_is_below_it():
    bars = bars_for(box((24, 18, 3)), lift=60.0, spacing=4.0, join="on", contacts_per_trunk=12)
    found = bar_figures(bars, loads_of(len(bars), pulls=0.5, pushes=0.5), BarStrength(80.0, 900.0))
    joined = bars.trunk >= 0
    assert (found.used[joined] >= found.trunk_used[bars.trunk[joined]] - 1e-12).all()
    heavy = bars.trunks.contacts.argmax()
    assert found.trunk_used[heavy] > 0

"""How contacts share force and moment: closed forms, and equilibrium for any contacts at all."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.strength import sharing
from lean_trellis.core.strength.sharing import Holdings, RigidPlate, Springs, shared

UP = np.array([0.0, 0.0, 1.0])


def springs(places, *, axial=1000.0, sideways=1.0, turning=1e-6, pulls=True) -> Springs:
    at = np.array(places, float)
    n = len(at)
    axial, sideways, turning, pulls = (
        np.broadcast_to(np.asarray(value), n) for value in (axial, sideways, turning, pulls)
    )
    return Springs(at, np.tile(UP, (n, 1)), axial * 1.0, sideways * 1.0, turning * 1.0, pulls.copy())


SQUARE = [(-10, -10, 0), (10, -10, 0), (10, 10, 0), (-10, 10, 0)]


def test_four_contacts_share_a_force_off_the_middle_as_a_bolt_group_does():
    """F / n + F e x / Σ x²: with e = 4 on a square of 20, (1 ± 0.4) / 4."""
    shares = shared(springs(SQUARE), 100 * UP, np.array([4.0, 0.0, 30.0]))
    np.testing.assert_allclose(shares.forces[:, 2], [15, 35, 35, 15], rtol=1e-6)
    np.testing.assert_allclose(shares.forces[:, :2], 0, atol=1e-6)


def test_stiffer_contacts_take_more():
    shares = shared(springs([(0, 0, 0), (0.001, 0, 0)], axial=[3000.0, 1000.0], turning=1e9), 8 * UP, np.zeros(3))
    np.testing.assert_allclose(shares.forces[:, 2], [6, 2], rtol=1e-3)


def test_a_ring_under_a_moment_follows_the_cosine():
    """M r cos φ / Σ (r cos φ)² = 2 M cos φ / (n r)."""
    turns = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    ring = np.column_stack([20 * np.cos(turns), 20 * np.sin(turns), np.zeros(12)])
    shares = shared(springs(ring), UP * 5.0, np.array([12.0, 0.0, 0.0]))
    np.testing.assert_allclose(shares.forces[:, 2], 5 / 12 + 2 * 60 * np.cos(turns) / (12 * 20), rtol=1e-6)


def test_one_row_takes_a_moment_across_it_by_bending_its_contacts():
    """A force 9 mm off a row of eight: nothing but their own turning stiffness holds, each takes an eighth of M."""
    row = springs([(0, y, 0) for y in range(8)], sideways=50.0, turning=7.0)
    shares = shared(row, 4 * UP, np.array([9.0, 3.5, 0.0]))
    np.testing.assert_allclose(np.abs(shares.moments[:, 1]), 4 * 9 / 8, rtol=1e-3)
    np.testing.assert_allclose(shares.forces[:, 2], 0.5, rtol=1e-6)


def test_contacts_that_only_push_let_go_at_a_lifted_corner():
    """Three rests carry a load in their triangle; the fourth corner would have to pull and is left."""
    rests = springs(SQUARE, pulls=False)
    shares = shared(rests, -90 * UP, np.array([6.0, 6.0, 0.0]))
    assert (shares.forces[:, 2] <= 1e-9).all()
    assert shares.forces[0, 2] == 0
    # By moments about the lifted corner's diagonal neighbours: 0.3, 0.7 and none of what four would have.
    np.testing.assert_allclose(shares.forces[:, 2].sum(), -90)
    np.testing.assert_allclose(shares.forces[2, 2], -90 * 0.6, rtol=1e-6)
    np.testing.assert_allclose(shares.forces[[1, 3], 2], -90 * 0.2, rtol=1e-6)


def test_what_only_pushes_holds_nothing_that_is_pulled_away():
    shares = shared(springs(SQUARE, pulls=False), 10 * UP, np.zeros(3))
    assert not shares.is_balanced
    assert not shares.forces.any()
    mixed = springs([*SQUARE, (0, 0, 0)], pulls=[False] * 4 + [True])
    np.testing.assert_allclose(shared(mixed, 10 * UP, np.zeros(3)).forces[:, 2], [0, 0, 0, 0, 10], atol=1e-6)


def test_without_contacts_nothing_is_held_and_without_a_load_everything_is():
    none = springs(np.zeros((0, 3)))
    assert not shared(none, UP, np.zeros(3)).is_balanced
    assert shared(none, 0 * UP, np.zeros(3)).is_balanced


@settings(max_examples=60)
@given(st.integers(0, 2**31), st.integers(1, 40), st.booleans())
def test_forces_and_moments_sum_to_the_load(seed, count, some_push_only):
    rng = np.random.default_rng(seed)
    axes = rng.normal(size=(count, 3)) * [0.3, 0.3, 0] + UP
    axes /= np.linalg.norm(axes, axis=1)[:, None]
    group = Springs(
        rng.uniform(-40, 40, (count, 3)), axes, 10 ** rng.uniform(2, 5, count), 10 ** rng.uniform(-1, 3, count),
        10 ** rng.uniform(-1, 4, count), rng.random(count) < (0.5 if some_push_only else 2.0),
    )  # fmt: skip
    load, origin = rng.normal(size=6) * [50, 50, 50, 900, 900, 900], rng.uniform(-30, 30, 3)
    plate = RigidPlate(group, origin)
    shares = plate.shares(load[None], Holdings.of([np.arange(count)]), np.zeros(1, int))
    if not shares.is_balanced:
        assert not len(shares.forces)
        assert not group.pulls.any() or some_push_only
        return
    np.testing.assert_allclose(shares.forces.sum(axis=0), load[:3], atol=1e-9 * np.abs(load).max())
    acting = group.only(shares.springs.which)
    moment = np.cross(acting.places - origin, shares.forces).sum(axis=0) + shares.moments.sum(axis=0)
    np.testing.assert_allclose(moment, load[3:], atol=1e-9 * np.abs(load).max())
    pulled = np.einsum("ni,ni->n", shares.forces, acting.axes)
    assert (pulled[~acting.pulls] <= 1e-7 * np.abs(load).max()).all()


@settings(max_examples=30)
@given(st.integers(0, 2**31), st.booleans())
def test_many_loads_at_once_are_shared_as_each_alone(seed, some_push_only):
    rng = np.random.default_rng(seed)
    count = 12
    group = Springs(
        rng.uniform(-40, 40, (count, 3)), np.tile(UP, (count, 1)), 10 ** rng.uniform(2, 4, count), np.full(count, 50.0),
        np.full(count, 80.0), rng.random(count) < (0.5 if some_push_only else 2.0),
    )  # fmt: skip
    plate = RigidPlate(group, rng.uniform(-30, 30, 3))
    holding = Holdings.of([rng.permutation(count)[:size] for size in (0, 5, 12, 1, 5)])
    of = rng.integers(0, 5, 9)
    loads = rng.normal(size=(9, 6)) * (rng.random(9) < 0.8)[:, None]
    together = plate.shares(loads, holding, of)
    begins = together.springs.begins
    for number, (load, run) in enumerate(zip(loads, of.tolist(), strict=True)):
        alone = plate.shares(load[None], holding.chosen(np.array([run])), np.zeros(1, int))
        mine = slice(begins[number], begins[number] + together.springs.counts[number])
        assert together.is_balanced[number] == alone.is_balanced[0]
        np.testing.assert_array_equal(together.springs.which[mine], alone.springs.which)
        np.testing.assert_allclose(together.forces[mine], alone.forces, atol=1e-9)
        np.testing.assert_allclose(together.moments[mine], alone.moments, atol=1e-9)
        np.testing.assert_allclose(together.motions[number], alone.motions[0], atol=1e-9)


def test_runs_are_counted_summed_and_named_once():
    runs = Holdings.of([np.array([4, 2]), np.zeros(0, int), np.array([7]), np.array([4, 2])])
    np.testing.assert_array_equal(runs.owners, [0, 0, 2, 3, 3])
    np.testing.assert_array_equal(runs.sums(np.array([1.0, 2.0, 4.0, 8.0, 16.0])), [3, 0, 4, 24])
    np.testing.assert_array_equal(runs.greatest(np.array([1.0, 2.0, 4.0, 16.0, 8.0]), -1.0), [2, -1, 4, 16])
    distinct, of = runs.distinct()
    np.testing.assert_array_equal(of, [0, 1, 2, 0])
    np.testing.assert_array_equal(distinct.which, [4, 2, 7])
    np.testing.assert_array_equal(runs.chosen(np.array([2, 0, 2])).which, [7, 4, 2, 7])
    large = Holdings(np.zeros(90_000, int), np.array([40_000, 20_000, 30_000]))
    assert [(some.start, some.stop) for some in large.portions(np.arange(3))] == [(0, 1), (1, 3)]


def test_lifts_of_many_loads_are_what_their_shares_are():
    rng = np.random.default_rng(5)
    axes = rng.normal(0, 1, (9, 3))
    axes /= np.linalg.norm(axes, axis=1, keepdims=True)
    some = Springs(
        rng.uniform(-40, 40, (9, 3)), axes, rng.uniform(50, 900, 9), rng.uniform(5, 90, 9), rng.uniform(1, 9, 9),
        np.ones(9, bool),
    )  # fmt: skip
    plate, loads = RigidPlate(some, np.array([200.0, -90, 40])), rng.normal(0, 100, (30, 6))
    shares = plate.shares(loads, Holdings.of([np.arange(9)]), np.zeros(30, np.int64))
    ((all_of, lifted, bending),) = plate.lifts(loads)
    assert loads[all_of].shape == loads.shape
    np.testing.assert_allclose(lifted.ravel(), shares.forces[:, 2], rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(bending.ravel(), np.hypot(*shares.moments[:, :2].T), rtol=1e-9, atol=1e-9)


def test_what_nothing_holds_lifts_nothing():
    row = springs([(0, y, 0) for y in range(3)], sideways=0.0, turning=0.0)
    assert list(RigidPlate(row, np.zeros(3)).lifts(np.ones((2, 6)))) == []
    assert list(RigidPlate(row.only(np.zeros(0, np.int64)), np.zeros(3)).lifts(np.ones((2, 6)))) == []


def test_lifts_come_by_portions(monkeypatch):
    monkeypatch.setattr(sharing, "_MOST_LIFTS", 10)
    plate, loads = RigidPlate(springs(SQUARE), np.zeros(3)), np.random.default_rng(1).normal(0, 9, (5, 6))
    portions = list(plate.lifts(loads))
    assert [len(loads[some]) for some, _, _ in portions] == [2, 2, 1]
    assert np.concatenate([lifted for _, lifted, _ in portions]).shape == (5, 4)

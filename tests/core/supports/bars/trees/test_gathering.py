"""Which branches meet in one place, several at a time."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.trees.branches import Live
from lean_trellis.core.supports.bars.trees.gathering import gathered


def branches(places: list[tuple[float, float]], height: float = 30.0) -> Live:
    at = np.column_stack([np.array(places, float), np.full(len(places), height)])
    n = len(at)
    return Live(
        at, np.full(n, height - 1.0), np.ones(n, np.int64), np.full(n, 0.6), np.full(n, height), np.ones(n, bool),
        np.ones(n, bool), np.full(n, -1), np.full(n, 1.2), at[:, :2].copy(), at[:, :2].copy(), np.zeros(n),
    )  # fmt: skip


def parameters(**values) -> BarParameters:
    return BarParameters(join="on", lean_limit=40.0, foot_height=1.0, **values)


def test_two_clusters_are_two_groups_each_in_its_middle():
    cluster = [(0.0, 0.0), (2.0, 0.0), (0.0, 2.0), (2.0, 2.0)]
    live = branches(cluster + [(x + 60.0, y) for x, y in cluster])
    groups = gathered(live, parameters(), 8)
    assert len(groups) == 2
    assert [sorted(groups.members[groups.owners == n].tolist()) for n in (0, 1)] == [[0, 1, 2, 3], [4, 5, 6, 7]]
    assert groups.meet[:, :2] == pytest.approx(np.array([(1.0, 1.0), (61.0, 1.0)]), abs=0.3)
    slope = np.tan(np.radians(40.0))
    for group in (0, 1):
        out = np.linalg.norm(live.places[groups.members[groups.owners == group], :2] - groups.meet[group, :2], axis=1)
        assert (30.0 - groups.meet[group, 2] >= out / slope - 1e-6).all(), "all may lean to it"


@pytest.mark.parametrize("most", [2, 3, 5])
def test_no_group_carries_more_than_it_may_and_what_is_closed_stays_out(most):
    live = branches([(x, y) for x in range(0, 12, 3) for y in range(0, 12, 3)])
    live.open[:2] = False
    groups = gathered(live, parameters(), most)
    assert groups.contacts(live).max() <= most
    assert not set(groups.members.tolist()) & {0, 1}
    assert len(np.unique(groups.members)) == len(groups.members)
    assert (groups.saved(live, parameters()) > 0).all()


def test_none_farther_apart_than_gathers_and_none_too_low_to_meet():
    wide = branches([(0.0, 0.0), (10.0, 0.0)])
    assert len(gathered(wide, parameters(gather_within=6.0), 8)) == 1
    assert len(gathered(wide, parameters(gather_within=4.0), 8)) == 0
    assert len(gathered(branches([(0.0, 0.0), (2.0, 0.0)], height=1.8), parameters(), 8)) == 0
    assert len(gathered(branches([(0.0, 0.0)]), parameters(), 8)) == 0

"""Supports as values: whose they are, work by hand, places that go with the part's size."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.support import (
    Extended,
    Gone,
    HandBar,
    HandWork,
    Line,
    RegionPick,
    Removed,
    Support,
    Tie,
)

AT = (1.0, 2.0, 3.0)


def test_a_raft_is_for_its_own_part_first():
    raft = Support(
        "support-1", "part-2", shipped_sets()["raft-follow"].parameters, "raft-follow", 1, others=("part-1",)
    )
    assert (raft.parts, raft.family) == (("part-2", "part-1"), "raft")


@pytest.mark.parametrize(("bar", "is_routed"), [(HandBar(AT), False), (HandBar(AT, foot=(0, 1)), True),
                                                (HandBar(AT, bend=AT), True)])  # fmt: skip
def test_a_way_drawn_by_hand_has_a_foot_or_a_bend(bar, is_routed):
    assert bar.is_routed is is_routed
    assert not bar.is_locked
    assert HandWork().is_empty
    assert not HandWork(bars=(bar,)).is_empty


def test_every_place_goes_with_the_size_of_the_part():
    lines = (Line((AT, AT)),), (Line((AT,)),)
    bars = (HandBar(AT, foot=(5, 5)),), (Removed(AT, 2.0),), (Tie(AT, AT, 1.0),)
    hand = HandWork(*bars, *lines, (Gone(AT, "wall"),), (Extended(AT, 4.0),))
    chosen = shipped_sets()["bars-metal"]
    support = Support("s", "p", chosen.parameters, chosen.name, 1, (RegionPick("face", AT),), hand)
    larger = support.scaled(np.array([2.0, 3.0, 4.0]))
    there = (2.0, 6.0, 12.0)
    assert larger.target == (RegionPick("face", there),)
    assert larger.hand.bars == (HandBar(there, foot=(5, 5)),), "its way is along the plate's axes"
    assert larger.hand.removed == (Removed(there, 2.0),)
    assert larger.hand.ties == (Tie(there, there, 1.0),)
    assert (larger.hand.paths, larger.hand.cut_out) == ((Line((there, there)),), (Line((there,)),))
    assert (larger.hand.gone, larger.hand.extended) == ((Gone(there, "wall"),), (Extended(there, 4.0),))

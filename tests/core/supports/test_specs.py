"""What the families declare about themselves that decides elsewhere."""

from __future__ import annotations

from lean_trellis.core.supports.common.spec import families


def test_only_rafts_are_ground_for_others():
    assert {spec.title for spec in families() if spec.is_ground} == {"Raft"}


def test_only_bars_are_made_room_for():
    assert {spec.title for spec in families() if spec.gets_room} == {"Bars"}


def test_what_serves_regions_is_what_grows_up_to_them():
    assert {spec.title for spec in families() if spec.serves_regions} == {"Bars", "Lattice", "Wall along a line"}

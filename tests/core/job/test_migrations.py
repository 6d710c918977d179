"""Older job files made into today's, a step a version."""

from __future__ import annotations

import copy

import pytest

from lean_trellis.core.job.migrations import STEPS, migrated


def test_there_is_a_step_from_every_version_and_the_newest_is_left_alone():
    assert sorted(STEPS) == [1, 2, 3, 4, 5, 6]
    content = {"version": 7, "parts": [{"source": "a.stl"}]}
    assert migrated(copy.deepcopy(content), 7, 7) == content


def test_version_1_kept_a_parts_file_as_its_source():
    new = migrated({"version": 1, "parts": [{"source": "a.stl"}, {}, "odd"]}, 1, 6)
    assert new["version"] == 6
    assert new["parts"] == [{"origin": {"file": "a.stl"}}, {"origin": {"file": ""}}, "odd"]


@pytest.mark.parametrize("machine", [None, {"id": "mine"}])
def test_version_5_kept_machine_and_material_where_they_were_its_own(machine):
    new = migrated({"version": 5, "own_machine": machine, "own_material": None}, 5, 6)
    assert new == {"version": 6, "machine_values": machine, "material_values": None}


@pytest.mark.parametrize("was", [True, False])
def test_version_6_said_only_whether_it_was_released(was):
    trial = {"name": "a", "job": {"is_released": False}}
    new = migrated({"version": 6, "is_released": was, "trials": [trial]}, 6, 7)
    assert new["released"] == ({} if was else None)
    assert new["trials"][0]["job"] == {"released": None}

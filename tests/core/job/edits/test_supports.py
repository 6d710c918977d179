"""Edits of supports."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.job.edits.supports import (
    add_support,
    change_support,
    extend_target,
    narrow_target,
    remove_supports,
    use_set,
)
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick

SETS = shipped_sets()
ONE, OTHER = RegionPick("face", (0.0, 0.0, -1.0)), RegionPick("face", (1.0, 0.0, -1.0))


def test_a_support_keeps_its_set_as_used_and_gets_an_id_of_its_own(trio):
    job = add_support(trio, "part-1", SETS["bars-metal"]).job
    job = add_support(job, "part-2", SETS["bars-metal"], (ONE,)).job
    first, second = job.supports
    assert (first.id, second.id) == ("support-1", "support-2")
    assert (first.target, second.target) == (None, (ONE,))
    assert job.set_of(first) == SETS["bars-metal"]
    left = remove_supports(job, ["support-1"]).job
    assert [support.id for support in left.supports] == ["support-2"]
    assert add_support(left, "part-1", SETS["bars-metal"]).job.supports[-1].id not in {"support-2"}


def test_one_value_is_changed_and_a_wrong_one_refused(trio):
    job = add_support(trio, "part-1", SETS["bars-metal"]).job
    edit = change_support(job, "support-1", "spacing", 4.5)
    assert (edit.title, edit.job.supports[0].parameters.spacing) == ("Change spacing", 4.5)
    with pytest.raises(ParameterError, match="spacing"):
        change_support(job, "support-1", "spacing", -1)


def test_another_set_replaces_all_values_and_the_target_stays(trio):
    job = add_support(trio, "part-1", SETS["bars-metal"], (ONE,)).job
    changed = use_set(job, "support-1", SETS["lattice-metal"]).job.supports[0]
    assert (changed.family, changed.set_name, changed.target) == ("lattice", "lattice-metal", (ONE,))


def test_a_target_grows_by_what_is_new_and_all_regions_cannot_grow(trio):
    job = add_support(trio, "part-1", SETS["bars-metal"], (ONE,)).job
    edit = extend_target(job, "support-1", (ONE, OTHER))
    assert (edit.title, edit.job.supports[0].target) == ("Support 1 more region", (ONE, OTHER))
    whole = add_support(trio, "part-1", SETS["bars-metal"]).job
    with pytest.raises(EditError, match="already serves every region"):
        extend_target(whole, "support-1", (OTHER,))


def test_a_target_shrinks_to_what_is_kept_and_never_to_nothing(trio):
    job = add_support(trio, "part-1", SETS["bars-metal"], (ONE, OTHER)).job
    edit = narrow_target(job, "support-1", (OTHER,), "2 small regions")
    assert edit.job.supports[0].target == (OTHER,)
    assert edit.title == f"Leave 2 small regions of {trio.part('part-1').name} to hold by itself"
    with pytest.raises(EditError, match="would hold nothing"):
        narrow_target(job, "support-1", (), "all")

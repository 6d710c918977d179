"""Kept states of a job."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.job.edits import add_support, drop_trial, keep_trial, set_layer_height, take_trial
from lean_trellis.core.sets import shipped_sets


def test_a_state_is_kept_taken_up_again_and_dropped(trio):
    bare = keep_trial(trio, "bare").job
    held = add_support(bare, "part-1", shipped_sets()["bars-metal"]).job
    held = keep_trial(held, " held ").job
    assert [trial.name for trial in held.trials] == ["bare", "held"]
    assert all(trial.job.trials == () for trial in held.trials)
    back = take_trial(held, "bare").job
    assert back.supports == ()
    assert back.trials == held.trials
    again = take_trial(back, "held").job
    assert again.supports == held.supports
    left = drop_trial(again, "bare").job
    assert [trial.name for trial in left.trials] == ["held"]
    assert left.supports == again.supports


def test_a_name_is_kept_once_and_another_state_can_be_kept_without_taking_it(trio):
    job = keep_trial(keep_trial(trio, "one").job, "two").job
    thicker = set_layer_height(job, 0.06).job
    kept = keep_trial(job, "one", thicker).job
    assert [trial.name for trial in kept.trials] == ["one", "two"]
    assert kept.trial("one").job.layer_height == 0.06
    assert kept.layer_height == job.layer_height


def test_a_trial_without_a_name_and_one_that_is_not_there_are_refused(trio):
    with pytest.raises(EditError, match="has no name"):
        keep_trial(trio, "  ")
    kept = keep_trial(trio, "closer bars").job
    for edit in (take_trial, drop_trial):
        with pytest.raises(UnknownNameError, match="closer bars"):
            edit(kept, "closer bar")

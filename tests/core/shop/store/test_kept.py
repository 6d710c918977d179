"""What the library says of conflicts."""

from __future__ import annotations

import pickle

from lean_trellis.core.shop.store.kept import ChangedMeanwhileError, Kept

THEIRS = Kept("set", "one", 4, "One", "", "", "a = 1", "", "2026-01-01T00:00:00+00:00", "", is_archived=False)


def test_a_conflict_names_version_and_person_and_travels_between_processes():
    problem = ChangedMeanwhileError(THEIRS)
    assert "saved by somebody else meanwhile, as version 4" in str(problem)
    again = pickle.loads(pickle.dumps(problem))
    assert again.theirs == THEIRS
    assert str(again) == str(problem)

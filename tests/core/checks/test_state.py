"""The state of a build that checks read."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import box


@pytest.fixture(scope="module")
def state(metal):
    return Pipeline().state(supported(job_of(metal, box((20, 14, 4)), box((9, 9, 4)))))


def test_it_holds_parts_and_supports_in_the_jobs_order(state):
    assert [part.part.id for part in state.parts] == ["part-1", "part-2"]
    assert [held.support.part_id for held in state.supports] == ["part-1", "part-2"]
    assert state.name_of("part-2") == "part 2"
    for part in state.parts:
        (held,) = state.supports_of(part.part)
        assert len(state.contacts_of(part.part)) == len(held.structure.holds) > 0


def test_of_a_narrower_look_only_those_parts_are_subjects(state):
    one = replace(state, looked_at=frozenset({"part-2"}))
    assert [part.part.id for part in one.subjects] == ["part-2"]
    assert [held.support.part_id for held in one.own_supports] == ["part-2"]
    assert len(one.parts) == 2
    assert state.subjects == state.parts


def test_a_part_without_supports_has_no_contacts(metal):
    bare = Pipeline().state(job_of(metal, box((20, 14, 4))))
    assert bare.contacts_of(bare.parts[0].part).places.shape == (0, 3)

"""Edits on the way to release."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.released import BoardLink, Released
from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def job(metal):
    return job_of(metal, box((10, 10, 5)))


def test_what_is_loaded_due_and_asked_for(job):
    assert edits.set_loaded(job, 1200.0).job.loaded_grams == 1200.0
    assert edits.set_loaded(edits.set_loaded(job, 5.0).job, None).job.loaded_grams is None
    assert edits.set_due(job, " 2026-12-24 ").job.due == "2026-12-24"
    assert edits.set_due(job, "").job.due == ""
    assert edits.set_order_lot(job, ["part-1"], " L-7 ").job.parts[0].lot == "L-7"


@pytest.mark.parametrize(("edit", "words"), [
    (lambda job: edits.set_loaded(job, -1.0), "is no amount"),
    (lambda job: edits.set_loaded(job, float("nan")), "this is no number"),
    (lambda job: edits.set_due(job, "Friday"), "'Friday' is no day; give year-month-day"),
])  # fmt: skip
def test_what_is_refused(job, edit, words):
    with pytest.raises(EditError, match=words):
        edit(job)


def test_a_release_is_noted_once_and_a_new_build_is_free(job):
    released = edits.note_release(job, Released("A", "now", "there", "k", "{}")).job
    assert released.is_released
    with pytest.raises(EditError, match="has been released already"):
        edits.note_release(released, Released())
    from dataclasses import replace

    again = edits.new_build_of(replace(released, link=BoardLink("b-1")), "again").job
    assert (again.name, again.released, again.link) == ("again", None, None)
    assert again.parts == released.parts

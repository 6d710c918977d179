"""Doing what a finding's cure says, from whichever bench shows it."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.checks import Cure
from lean_trellis.core.checks.finding import Change, Topic
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import Edit
from lean_trellis.core.progress import UNWATCHED
from lean_trellis.studio.requests import MakeChange
from lean_trellis.studio.session import Session


def apply_cure(session: Session, cure: Cure, show: Callable[[Topic], None]) -> None:
    """Make the change of a cure, or `show` what it is about. Slow changes are made beside the window."""
    change = cure.change
    if change is None:
        if cure.about is not None:
            show(cure.about)
    elif change.is_quick:
        session.do(lambda job: change.edit(job, Pipeline(), UNWATCHED))
    else:
        _make_beside(session, cure.words, change)


def _make_beside(session: Session, words: str, change: Change) -> None:
    """The edit is done unless the job has changed meanwhile."""
    before = session.job

    def take(edit: Edit) -> None:
        if session.job is before:
            session.do(lambda _: edit)

    session.ask(words, MakeChange(change, before), take)

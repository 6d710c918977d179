"""Doing what a finding's cure says, from whichever bench shows it."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.checks import Cure
from lean_trellis.core.checks.finding import Topic
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.progress import UNWATCHED
from lean_trellis.studio.errands import edit_beside
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
        edit_beside(session, cure.words, MakeChange(change, session.job))

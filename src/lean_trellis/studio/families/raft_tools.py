"""Rafts by hand: which parts share one."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.job.edits import share_raft
from lean_trellis.core.sets import ParameterSet
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session


class RaftTools(HandTools):
    """For which parts a raft is."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.selected_note = muted()
        self.body.addWidget(self.selected_note)
        self.share = button("Share with selected parts", self.share_raft, "One raft under all selected parts",
                            name="shapes.share")  # fmt: skip
        self.alone = button("Own part alone", self.own_raft, "The raft is for its own part", name="shapes.alone")
        self.body.addWidget(row(self.share, self.alone, 1, spacing=5))
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    def share_raft(self) -> None:
        """One raft under all selected parts."""
        selected = self.selected
        self.do(lambda job, key: share_raft(job, key, selected))

    def own_raft(self) -> None:
        """A raft under its own part alone."""
        self.do(lambda job, key: share_raft(job, key, ()))

    def refresh(self) -> None:
        """Which parts it is under."""
        support = self.session.support
        self.share.setEnabled(support is not None and len(self.selected) > 1)
        self.alone.setEnabled(support is not None and bool(support.others))
        names = [] if support is None else [self.session.job.part(part_id).name for part_id in support.parts]
        more = "Select more parts with Ctrl in the list to share it."
        self.selected_note.setText(f"Under {', '.join(names)}. {more}" if names else "")
        self.show_kept("", ())

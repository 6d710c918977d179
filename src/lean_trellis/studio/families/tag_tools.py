"""Tags by hand: one for each part."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.job.edits import tag_every_part, untagged
from lean_trellis.core.sets import ParameterSet
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session


class TagTools(HandTools):
    """Which parts have one."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.note = muted()
        self.body.addWidget(self.note)
        self.every = button("Tag every part", self.tag_every, "A tag like this one for every part that has none",
                            name="shapes.tag_every")  # fmt: skip
        self.body.addWidget(row(self.every, 1))
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    def tag_every(self) -> None:
        """A tag like this one for every part that has none."""
        self.do(tag_every_part)

    def refresh(self) -> None:
        """How many parts have none."""
        without = untagged(self.session.job)
        self.every.setEnabled(self.session.support is not None and bool(without))
        self.note.setText(f"Parts without a tag: {len(without)}." if without else "Every part has a tag.")
        self.show_kept("", ())

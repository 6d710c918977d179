"""The base of what is done to supports by hand: a section of the bench, its modes, what was done and what was lost."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

from lean_trellis.core.job import Edit, Job
from lean_trellis.core.job.edits import drop_hand_work
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import HandWork, Support
from lean_trellis.studio.forms.fields import figure, muted, row, set_role
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.gestures import Pick, Pull, Stroke
from lean_trellis.studio.session import Session


class HandTools(Section):
    """Manual edits to the current support. Families override what they have."""

    gestures: dict[str, tuple[str, float]] = {}  # noqa: RUF012 - read only
    """By the key of a mode: how it draws in the views, and how wide."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, "By hand", is_open=False)
        self.chosen_set = chosen_set
        self.mode_rows: tuple[ModeButtons, ...] = ()
        self.further: tuple[Section, ...] = ()
        """Sections of the bench that belong to the family as well."""

    def add_lost_and_kept(self, name: str) -> None:
        """At the foot: the manual edits, what of it could not be kept, and a way to discard it."""
        self.kept = figure()
        self.body.addWidget(self.kept)
        self.unkept = muted()
        self.body.addWidget(self.unkept)
        self.give_up = button("Discard manual edits", self.drop, "The support is as its values make it",
                              name=f"{name}.drop")  # fmt: skip
        self.body.addWidget(row(self.give_up, 1))

    def drop(self) -> None:
        """Discard all manual edits."""
        self.do(drop_hand_work)

    def do(self, make: Callable[[Job, str], Edit]) -> bool:
        """An edit of the current support. True when it was done."""
        support = self.session.support
        return support is not None and self.session.do(lambda job: make(job, support.id))

    @property
    def made(self) -> Structure | None:
        """The structures of the current support, once known."""
        support = self.session.support
        return None if support is None else self.session.structure(support)

    @property
    def others_selected(self) -> list[str]:
        """The selected parts besides that of the current support."""
        support = self.session.support
        return [] if support is None else [one for one in self.selected if one != support.part_id]

    @property
    def mode(self) -> str:
        """The mode that is on, or nothing."""
        return next((modes.mode for modes in self.mode_rows if modes.mode), "")

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """How a mode draws in the views; nothing for one of another section."""
        return self.gestures.get(mode, ("", 0.0))

    def delete(self) -> bool:
        """Del: delete what is selected of the support. True when there was something."""
        return False

    def take_pick(self, pick: Pick) -> bool:
        """A click in the view while a mode is on. True when it was used up."""
        return False

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A gesture has ended in one of the views."""

    def take_hover(self, pick: Pick) -> None:
        """The pointer rests over a place while a mode asks to know where."""

    def take_pull(self, pull: Pull) -> None:
        """A handle is pulled."""

    def words_of_selected(self) -> str:
        """The figures of the one element that is selected; nothing where there are none."""
        return ""

    def show_kept(self, words: str, reasons: tuple[str, ...]) -> None:
        """Say the manual edits, in `words`, and the reasons why something is not kept, each once."""
        support = self.session.support
        done = support is not None and not support.hand.is_empty
        self.give_up.setVisible(done)
        self.kept.setVisible(done)
        self.kept.setText(f"By hand: {words}")
        set_role(self.unkept, "warn" if reasons else "muted")
        self.unkept.setVisible(bool(reasons))
        self.unkept.setText("\n".join(reasons))


MakeTools: TypeAlias = Callable[[Session, Callable[[], ParameterSet]], HandTools]


def counted_words(*counts: tuple[int, str]) -> str:
    """Counts with what they count, those that are none left out."""
    return ", ".join(f"{count:,} {words}" for count, words in counts if count)


def hand_of(support: Support | None) -> HandWork:
    """The work by hand of a support; none without one."""
    return HandWork() if support is None else support.hand


def stroke_of(drawn: Stroke) -> list[tuple[float, ...]]:
    """The places of a stroke: on the plate (x, y) from the map, on the part (x, y, z) from the view."""
    if drawn.picks:
        return [pick.place for pick in drawn.picks if pick.place is not None and pick.part]
    return list(drawn.places)


def no_grips(_support: Support, _made: Structure, _part: object) -> list[Pull]:
    """Nothing of it is pulled on the map."""
    return []

"""Flank walls by hand: the stretch of the outline that they follow."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from lean_trellis.core.job.edits import change_values
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports.bodies.flank import FlankWall
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools, stroke_of
from lean_trellis.studio.forms.fields import row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.gestures import Pull, Stroke
from lean_trellis.studio.hand_requests import StretchOfOutline
from lean_trellis.studio.session import Session

_MODES = (
    ("band", "Band", "Draw along the part's outline: the wall follows that stretch. Escape ends."),
    ("drag", "Drag", "Drag the squares on the map: the ends of the wall. Escape ends."),
)


class FlankTools(HandTools):
    """Where along the outline the wall runs."""

    gestures = {"band": ("brush", 3.0), "drag": ("pull", 0.0)}  # noqa: RUF012 - read only

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.modes = ModeButtons(_MODES, "shapes")
        self.mode_rows = (self.modes,)
        self.body.addWidget(self.modes)
        self.round = button("Once round", self.go_round, "The wall follows the whole outline", name="shapes.round")
        self.body.addWidget(row(self.round, 1))
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A band has been drawn."""
        places = stroke_of(drawn)
        if self.mode == "band" and len(places) > 1:
            self._follow(places[0][:2], places[-1][:2], towards=places[len(places) // 2][:2])

    def take_pull(self, pull: Pull) -> None:
        """An end was dragged; the edit is made when it is let go."""
        made = self.made
        if pull.is_over and self.mode == "drag" and isinstance(made, FlankWall) and len(made.path) > 1:
            ends = [made.path[0], made.path[-1]]
            ends[pull.bar] = np.array(pull.place[:2])
            self._follow(*(tuple(end.tolist()) for end in ends))

    def _follow(self, begin: Any, end: Any, towards: Any | None = None) -> None:
        """The stretch of the outline between the places nearest to two, on the side that a third one lies on."""
        part, support = self.session.part, self.session.support
        if part is None or support is None:
            return

        def take(values: dict[str, float]) -> None:
            self.session.do(lambda job: change_values(job, support.id, values, "Follow that stretch of the outline"))

        request = StretchOfOutline(part, begin, end, towards)
        self.session.ask("Following the outline", request, take)

    def go_round(self) -> None:
        """The wall follows the whole outline."""
        self.do(lambda job, key: change_values(job, key, {"along_length": None}, "Follow the whole outline"))

    def refresh(self) -> None:
        """What can be done."""
        has_support = self.session.support is not None
        self.modes.allow(has_support)
        self.round.setEnabled(has_support)
        self.show_kept("", ())

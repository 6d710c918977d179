"""Blocks by hand: moved and sized on the map, given a shape of their own, made of another part."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job.edits import become_block, change_values, give_body
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import Support
from lean_trellis.studio.families.load_figures import LoadsSection
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.fields import row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.requests import ReadFiles
from lean_trellis.studio.session import Session

_MODES = (("drag", "Drag", "Drag the squares on the map: the block and its corner. Escape ends."),)


class BlockTools(HandTools):
    """Place, size and shape of a block."""

    gestures = {"drag": ("pull", 0.0)}  # noqa: RUF012 - read only

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.modes = ModeButtons(_MODES, "shapes")
        self.mode_rows = (self.modes,)
        self.body.addWidget(self.modes)
        self.from_file = button("Shape from a file …", self.body_from_file, "Any body as the block's shape",
                                name="shapes.file")  # fmt: skip
        self.from_part = button("Use shape of other selected part", self.body_from_part, "Select the block's part "
                                "first, then with Ctrl the other part", name="shapes.part")  # fmt: skip
        self.whole = button("Turn the other selected part into the block", self.part_becomes, "It keeps its "
                            "place and becomes a support", name="shapes.whole")  # fmt: skip
        for made in (self.from_file, self.from_part, self.whole):
            self.body.addWidget(row(made, 1))
        self.add_lost_and_kept("shapes")
        self.further = (LoadsSection(session),)

    def body_from_file(self) -> None:
        """Any body from a file as the block's shape."""
        chosen, _ = QFileDialog.getOpenFileName(self, "A body for the block", self.session.settings.folder)
        if chosen:
            self.take_file(Path(chosen))

    def take_file(self, path: Path) -> None:
        """The first body of a file becomes the block's shape."""
        support = self.session.support

        def take(answer: tuple[list[tuple[Path, list[Body]]], list[TrellisError]]) -> None:
            good, bad = answer
            if bad:
                self.session.said.emit("stop", str(bad[0]))
            elif good and support is not None:
                body = good[0][1][0]
                self.session.do(lambda job: give_body(job, support.id, body.mesh, body.name))

        self.session.ask(f"Reading {path.name}", ReadFiles((path,)), take)

    def body_from_part(self) -> None:
        """The shape of the other selected part, in its pose."""
        if self.others_selected:
            part = self.session.job.part(self.others_selected[0])
            self.do(lambda job, key: give_body(job, key, part.placed, part.name))

    def part_becomes(self) -> None:
        """The other selected part becomes the block, where it stands."""
        if self.others_selected:
            other = self.others_selected[0]
            self.do(lambda job, key: become_block(job, key, other))

    def take_pull(self, pull: Pull) -> None:
        """The block or its corner was dragged; the edit is made when it is let go."""
        support = self.session.support
        if pull.is_over and support is not None and self.mode == "drag" and pull.handle == "block":
            self._move_block(support, pull)

    def _move_block(self, support: Support, pull: Pull) -> None:
        part = self.session.job.part(support.part_id)
        p: Any = support.parameters
        middle = part.bounds().mean(axis=0)[:2]
        away = np.array(pull.place[:2]) - middle - [p.place_x * (pull.bar == 1), p.place_y * (pull.bar == 1)]
        if pull.bar == 0:
            values = {"place_x": round(float(away[0]), 3), "place_y": round(float(away[1]), 3)}
            self.do(lambda job, key: change_values(job, key, values, "Move a block"))
            return
        turn = np.radians(p.turn)
        own = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) @ away
        size = {
            "size_x": max(round(2 * abs(float(own[0])), 3), 0.1),
            "size_y": max(round(2 * abs(float(own[1])), 3), 0.1),
        }
        self.do(lambda job, key: change_values(job, key, size, "Size a block"))

    def refresh(self) -> None:
        """What can be done."""
        support = self.session.support
        self.modes.allow(support is not None)
        self.from_file.setEnabled(support is not None)
        for made in (self.from_part, self.whole):
            made.setEnabled(bool(self.others_selected))
        self.show_kept("", ())

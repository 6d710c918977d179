"""Picking faces by hand: one, a patch, a plane, all of a kind, in a box or a lasso; and what is made of them."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QCheckBox

from lean_trellis.core.arrays import Longs
from lean_trellis.core.job.edits import add_to_region, region_by_hand, take_from_regions
from lean_trellis.studio.face_requests import FacesAround, FacesAt, FacesInArea
from lean_trellis.studio.forms.fields import NumberField, figure, number_row, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.gestures import Pick, Stroke
from lean_trellis.studio.session import Session

_MODES = (
    ("face", "Face", "Click faces of the current part, in the view or on the map. Escape ends."),
    ("patch", "Patch", "Click to select a smooth patch, up to the angle below. Escape ends."),
    ("plane", "Plane", "Click to select all faces in the plane. Escape ends."),
    ("alike", "Similar", "Click to select every similar patch, such as all bores of one size. Escape ends."),
    ("box", "Box", "Drag a box over the part. Shift and drag turns the view. Escape ends."),
    ("lasso", "Lasso", "Draw around the faces. Shift and drag turns the view. Escape ends."),
)
_AREAS = ("box", "lasso")


def gesture_of_faces(mode: str) -> str:
    """How a mode of picking faces draws in the views."""
    return mode if mode in _AREAS else "click" if mode else ""


class FacesSection(Section):
    """Selected faces are of the current part; they stay selected until others are, or the part changes."""

    def __init__(self, session: Session, *, makes_regions: bool = True) -> None:
        super().__init__(session, "Select faces by hand", is_open=False)
        self.modes = ModeButtons(_MODES, "faces", per_row=4)
        self.body.addWidget(self.modes)
        self.angle = NumberField("°")
        self.angle.setObjectName("faces.angle")
        self.angle.show_value(12)
        self.body.addWidget(number_row("Patch bends up to", self.angle, help_text="From one face to the next."))
        self.takes_away = QCheckBox("Clicks deselect")
        self.takes_away.setObjectName("faces.away")
        self.body.addWidget(row(self.takes_away, 1))
        self.more = button(
            "More", lambda: self._around(more=True), "Grow the selection by one row of faces", name="faces.more"
        )
        self.less = button(
            "Less", lambda: self._around(more=False), "Shrink the selection by one row of faces", name="faces.less"
        )
        self.none = button("Clear", lambda: session.pick_faces(_nothing()), "Clear the selection", name="faces.none")
        self.body.addWidget(row(self.more, self.less, self.none, 1, spacing=5))
        self.words = figure()
        self.body.addWidget(self.words)
        self.new = button("Make a region", self._new, "Make the selected faces a region", name="faces.new")
        self.add = button("Add to region", self._add, "Add the selected faces to the selected region", name="faces.add")
        self.take = button(
            "Remove from region", self._take, "Remove the selected faces from their regions", name="faces.take"
        )
        regions = row(self.new, self.add, 1, spacing=5)
        further = row(self.take, 1)
        for line in (regions, further):
            line.setVisible(makes_regions)
            self.body.addWidget(line)

    # --- picking ---

    def take_pick(self, pick: Pick) -> bool:
        """A click in the 3D view with a tool that picks by clicks."""
        if not self.modes.mode or self.modes.mode in _AREAS:
            return False
        if pick.part:
            self._ask_at(pick.part, pick.face, pick.place or (0.0, 0.0, 0.0))
        return True

    def take_drawn(self, drawn: Stroke) -> None:
        """A click on the map, or an area in either view."""
        part = self.part
        if part is None or not drawn.places:
            return
        if self.modes.mode in _AREAS:
            self._ask(FacesInArea(part, drawn.places, drawn.matrix, drawn.eye))
        elif self.modes.mode:
            self._ask_at(part.id, -1, (*drawn.places[0], -1.0))

    def _ask_at(self, part_id: str, face: int, place: tuple[float, float, float]) -> None:
        if part_id != self.session.selection.part:
            self.session.select(parts=(part_id,))
        tool: Any = self.modes.mode
        self._ask(FacesAt(self.session.job.part(part_id), tool, face, place, self.angle.value))

    def _ask(self, request: FacesAt | FacesInArea) -> None:
        self.session.ask("Selecting faces", request, lambda faces: self._selected(request.part.id, faces))

    def _selected(self, part_id: str, faces: Longs) -> None:
        if part_id != self.session.selection.part:
            return
        chosen = self.session.selected_faces
        if self.takes_away.isChecked():
            faces = np.setdiff1d(chosen, faces)
        elif self.modes.mode in _AREAS or not np.isin(faces, chosen).all():
            faces = np.union1d(chosen, faces)
        else:  # a click on what is selected already takes it away again
            faces = np.setdiff1d(chosen, faces)
        self.session.pick_faces(faces)

    def _around(self, *, more: bool) -> None:
        part = self.part
        if part is not None and len(self.session.selected_faces):
            request = FacesAround(part, self.session.selected_faces, more)
            self.session.ask("Selecting faces", request, self.session.pick_faces)

    # --- regions ---

    def _new(self) -> None:
        self._do(lambda part, faces: lambda job: region_by_hand(job, part, faces))

    def _take(self) -> None:
        self._do(lambda part, faces: lambda job: take_from_regions(job, part, faces))

    def _add(self) -> None:
        part = self.part
        regions = None if part is None else self.session.regions(part)
        chosen = sorted(self.session.selection.regions)
        if regions is None or len(chosen) != 1:
            self.session.said.emit("note", "Select the one region to add them to")
            return
        whole = regions.regions[chosen[0]].faces
        self._do(lambda part, faces: lambda job: add_to_region(job, part, whole, faces))

    def _do(self, make: Any) -> None:
        part = self.part
        if part is not None and self.session.do(make(part.id, self.session.selected_faces)):
            self.session.pick_faces(_nothing())

    def leave(self) -> None:
        """Picking ends; what is selected stays selected."""
        self.modes.end()

    def refresh(self) -> None:
        """How many are selected, and how large they are."""
        part, faces = self.part, self.session.selected_faces
        self.modes.allow(part is not None)
        for widget in (self.more, self.less, self.none, self.new, self.take):
            widget.setEnabled(len(faces) > 0)
        self.add.setEnabled(len(faces) > 0 and len(self.session.selection.regions) == 1)
        area = 0.0 if part is None else float(part.mesh.areas_of(faces).sum())
        count = f"{len(faces):,} face{'s' * (len(faces) != 1)} selected, {area:,.1f} mm²"
        self.words.setText(count if len(faces) else "No faces selected.")


def _nothing() -> Longs:
    return np.zeros(0, np.int64)

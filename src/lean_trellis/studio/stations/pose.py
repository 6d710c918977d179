"""Pose: turn, put a face down, lift by the build offset."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QPushButton

from lean_trellis.core.job.edits import move_part, put_face_down, set_build_offset, turn_part
from lean_trellis.studio.forms.fields import NumberField, figure, head, muted, number_row, row, rule
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.view3d.view import Pick


class PoseStation(Station):
    """How the part in hand stands."""

    key = "pose"
    name = "Pose"
    drags_parts = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.selected = muted()
        self.page.addWidget(self.selected)
        self.page.addWidget(head("Lift"))
        self.offset = NumberField("mm")
        self.offset.setObjectName("pose.offset")
        self.offset.taken.connect(self._set_offset)
        self.page.addWidget(
            number_row("Build offset", self.offset, help_text="Height of the lowest point above the plate. It stays.")
        )
        self.all_parts = QCheckBox("for every part of the build")
        self.page.addWidget(self.all_parts)
        self._offset_note = muted()
        self.page.addWidget(self._offset_note)
        self.page.addWidget(rule())
        self.page.addWidget(head("Turn about the plate's axes"))
        self.degrees = NumberField("°")
        self.degrees.setObjectName("pose.degrees")
        self.degrees.show_value(90)
        self.page.addWidget(number_row("By", self.degrees, help_text="Counter-clockwise, looking against the axis."))
        turns = []
        for axis in "xyz":
            for sign in (-1, 1):
                button = QPushButton(f"{'−' if sign < 0 else '+'}{axis.upper()}")
                button.setObjectName(f"pose.turn.{'minus' if sign < 0 else 'plus'}.{axis}")
                button.setToolTip(
                    f"Turn about {axis.upper()} {'against' if sign < 0 else 'with'} the sense of the axis"
                )
                button.clicked.connect(lambda _, a=axis, s=sign: self._turn(a, s))
                turns.append(button)
        self._turns = turns
        self.page.addWidget(row(*turns, spacing=4))
        self.page.addWidget(rule())
        self.page.addWidget(head("Lay down"))
        self.face_mode = QPushButton("Pick the face that goes down")
        self.face_mode.setCheckable(True)
        self.face_mode.toggled.connect(self._face_mode_changed)
        self.page.addWidget(self.face_mode)
        self._mode_note = muted()
        self.page.addWidget(self._mode_note)
        self.page.addWidget(rule())
        self.page.addWidget(head("Place"))
        self.x, self.y = NumberField("mm"), NumberField("mm")
        for label, field, axis in (("Middle at x", self.x, 0), ("Middle at y", self.y, 1)):
            field.taken.connect(lambda value, axis=axis: self._move(axis, value))
            self.page.addWidget(number_row(label, field))
        self._figures = figure()
        self.page.addWidget(self._figures)
        self.page.addStretch(1)

    # --- edits ---

    def _set_offset(self, value: float) -> None:
        chosen = (
            tuple(p.id for p in self.session.job.parts) if self.all_parts.isChecked() else self.session.selection.parts
        )
        if chosen and not self.session.do(lambda job: set_build_offset(job, chosen, value)):
            self.refresh()

    def _turn(self, axis: str, sign: int) -> None:
        self.degrees._take()
        part = self.session.part
        if part is not None:
            from lean_trellis.studio.forms.numbers import parse_number

            degrees = sign * parse_number(self.degrees.text())
            self.session.do(lambda job: turn_part(job, part.id, axis, degrees))

    def _move(self, axis: int, value: float) -> None:
        part = self.session.part
        if part is not None:
            x, y = (value, part.pose.y) if axis == 0 else (part.pose.x, value)
            self.session.do(lambda job: move_part(job, part.id, x, y))

    def _face_mode_changed(self, is_on: bool) -> None:
        self._mode_note.setText("Click a face of a part. Escape ends." if is_on else "")

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In the mode, the clicked face goes down."""
        if not self.face_mode.isChecked() or not pick.part:
            return False
        self.session.select(parts=(pick.part,))
        self.session.do(lambda job: put_face_down(job, pick.part, pick.face))
        self.face_mode.setChecked(False)
        return True

    def leave(self) -> None:
        """The mode ends."""
        self.face_mode.setChecked(False)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the part in hand."""
        part = self.session.part
        count = len(self.session.selection.parts)
        words = "Pick a part in the view or in the list." if part is None else part.name
        self.selected.setText(words if count < 2 else f"{words} and {count - 1} more")
        for widget in (self.offset, self.degrees, *self._turns, self.face_mode, self.x, self.y):
            widget.setEnabled(part is not None)
        if part is None:
            self._figures.setText("")
            self._offset_note.setText("")
            return
        self.offset.show_value(part.pose.build_offset)
        self.x.show_value(part.pose.x)
        self.y.show_value(part.pose.y)
        usual = self.session.job.material.build_offset
        held = len(self.session.job.supports_of(part.id))
        under = f"with {held} support{'s' * (held > 1)} under it" if held else "no supports under it yet; it stays up"
        self._offset_note.setText(f"The material's own is {usual:g} mm. {under.capitalize()}.")
        low, high = part.bounds()
        width, depth, height = (high - low).tolist()
        self._figures.setText(
            f"{width:.2f} × {depth:.2f} × {height:.2f} mm\n"
            f"lowest {low[2]:.2f} mm, highest {high[2]:.2f} mm above the plate"
        )

    def fact(self) -> Fact:
        """How high the parts are lifted."""
        parts = self.session.job.parts
        if not parts:
            return Fact("open", "no parts yet")
        offsets = sorted({part.pose.build_offset for part in parts})
        words = f"offset {offsets[0]:g} mm" if len(offsets) == 1 else f"offsets {offsets[0]:g} to {offsets[-1]:g} mm"
        return Fact("fine", words)

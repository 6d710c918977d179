"""Parts: import, list, owner, copies, place on the plate."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton, QSizePolicy

from lean_trellis.core.job.edits import arrange_parts, copy_part, describe_part, move_part, remove_parts
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.forms.fields import NumberField, figure, head, muted, number_row, row, set_role
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.stations.tables import PickTable


class PartsStation(Station):
    """The parts of the shared build."""

    key = "parts"
    name = "Parts"
    drags_parts = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        bring = QPushButton("Import…")
        bring.setProperty("role", "main")
        bring.clicked.connect(lambda: self.wanted.emit("import"))
        arrange = QPushButton("Arrange")
        arrange.setToolTip("Place all parts in rows round the plate's middle")
        arrange.clicked.connect(lambda: session.do(arrange_parts))
        self.page.addWidget(row(bring, arrange, 1))
        self._empty = muted(
            "No parts yet. Import files here, or drop them on the window: STL, 3MF, OBJ, PLY, AMF, OFF, STEP."
        )
        self.page.addWidget(self._empty)
        self.table = PickTable(("Part", "Owner", "Mesh"))
        self.table.setObjectName("parts.table")
        self.table.setMinimumHeight(150)
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.table.picked.connect(lambda keys: session.select(parts=tuple(keys)))
        self.page.addWidget(self.table, 1)
        self.selected = head("")
        self.page.addWidget(self.selected)
        self.part_name, self.owner = QLineEdit(), QLineEdit()
        self.owner.setPlaceholderText("nobody named")
        self.part_name.editingFinished.connect(self._rename)
        self.owner.editingFinished.connect(self._set_owner)
        for label, field in (("Name", self.part_name), ("Owner", self.owner)):
            words = QLabel(label)
            words.setFixedWidth(60)
            field.setAccessibleName(label)
            self.page.addWidget(row(words, field))
        self.x, self.y = NumberField("mm"), NumberField("mm")
        for label, field, axis in (("Middle at x", self.x, 0), ("Middle at y", self.y, 1)):
            field.taken.connect(lambda value, axis=axis: self._move(axis, value))
            self.page.addWidget(number_row(label, field, help_text="Where the middle of the part is on the plate."))
        self._figures = figure()
        self.page.addWidget(self._figures)
        self._health = QLabel()
        self._health.setWordWrap(True)
        self.page.addWidget(self._health)
        self._buttons = []
        for words, hint, act in (
            (
                "Copy beside",
                "A copy at the nearest free place",
                lambda part_id: self._copy(part_id, in_place=False),
            ),
            (
                "Copy in place",
                "A copy exactly where the part is",
                lambda part_id: self._copy(part_id, in_place=True),
            ),
            ("Remove", "Remove the part with its supports", self._remove),
        ):
            button = QPushButton(words)
            button.setToolTip(hint)
            button.clicked.connect(lambda _, act=act: act(session.selection.part))
            self._buttons.append(button)
        self.page.addWidget(row(*self._buttons, 1, spacing=6))

    # --- edits ---

    def _rename(self) -> None:
        part = self.session.part
        if part is None or self.part_name.text() == part.name:
            return
        if not self.session.do(lambda job: describe_part(job, part.id, name=self.part_name.text())):
            self.part_name.setText(part.name)

    def _set_owner(self) -> None:
        part = self.session.part
        if part is not None and self.owner.text().strip() != part.owner:
            self.session.do(lambda job: describe_part(job, part.id, owner=self.owner.text()))

    def _move(self, axis: int, value: float) -> None:
        part = self.session.part
        if part is not None:
            x, y = (value, part.pose.y) if axis == 0 else (part.pose.x, value)
            self.session.do(lambda job: move_part(job, part.id, x, y))

    def _copy(self, part_id: str, *, in_place: bool) -> None:
        if self.session.do(lambda job: copy_part(job, part_id, in_place=in_place)):
            self.session.select(parts=(self.session.job.parts[-1].id,))

    def _remove(self, _: str) -> None:
        self.session.do(lambda job: remove_parts(job, self.session.selection.parts))

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the list and the part in hand."""
        job, part = self.session.job, self.session.part
        rows = [(p.id, (p.name, p.owner or "–", self._mesh_words(p))) for p in job.parts]
        self.table.show_rows(rows, self.session.selection.parts)
        self._empty.setVisible(not job.parts)
        count = len(self.session.selection.parts)
        words = "Nothing picked" if part is None else part.name if count == 1 else f"{part.name} and {count - 1} more"
        self.selected.setText(words)
        for widget in (self.part_name, self.owner, self.x, self.y, *self._buttons):
            widget.setEnabled(part is not None)
        self._show_part(part)

    def _show_part(self, part: Part | None) -> None:
        if part is None:
            for field in (self.part_name, self.owner, self.x, self.y):
                field.clear()
            self._figures.setText("")
            self._health.hide()
            return
        if not self.part_name.isModified() or not self.part_name.hasFocus():
            self.part_name.setText(part.name)
        if not self.owner.isModified() or not self.owner.hasFocus():
            self.owner.setText(part.owner)
        self.x.show_value(part.pose.x)
        self.y.show_value(part.pose.y)
        width, depth, height = (part.bounds()[1] - part.bounds()[0]).tolist()
        shown = self.session.shown_part(part)
        volume = (
            ""
            if shown is None
            else f"\n{shown.health.volume_mm3 / 1000:,.2f} cm³, {shown.health.triangles:,} triangles"
        )
        self._figures.setText(f"{width:.2f} × {depth:.2f} × {height:.2f} mm as it stands{volume}")
        self._health.setVisible(shown is not None)
        if shown is not None:
            set_role(self._health, "good" if shown.health.is_sound else "stop")
            self._health.setText(f"Mesh: {shown.health.in_words}")

    def _mesh_words(self, part: Part) -> str:
        shown = self.session.shown_part(part)
        if shown is None:
            return "…"
        return "sound" if shown.health.is_sound else "unsound"

    def fact(self) -> Fact:
        """How many, and whether all are sound."""
        parts = self.session.job.parts
        if not parts:
            return Fact("open", "none yet")
        known = [self.session.shown_part(part) for part in parts]
        owners = len({part.owner for part in parts if part.owner})
        words = f"{len(parts)} part{'s' * (len(parts) > 1)}"
        if owners:
            words += f", {owners} owner{'s' * (owners > 1)}"
        if any(shown is not None and not shown.health.is_sound for shown in known):
            return Fact("stop", f"{words}; a mesh is unsound")
        return Fact("fine" if None not in known else "stale", words)

"""Name, owner and order of the selected parts; hide, lock, group."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import describe_part, describe_parts, flag_parts, group_parts, ungroup_parts
from lean_trellis.core.job.orders import assign_orders, read_orders
from lean_trellis.studio.forms.fields import TextField, figure, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownPart


class WhoSection(Section):
    """Who the parts are and whose."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Name, owner, order")
        self.part_name, self.owner, self.order = TextField(), TextField(), TextField()
        self.owner.setPlaceholderText("Owner")
        self.order.setPlaceholderText("Order number")
        self.part_name.editingFinished.connect(self._rename)
        self.owner.editingFinished.connect(lambda: self._describe("owner", self.owner))
        self.order.editingFinished.connect(lambda: self._describe("order", self.order))
        for label, field in (("Name", self.part_name), ("Owner", self.owner), ("Order", self.order)):
            words = QLabel(label)
            words.setFixedWidth(60)
            field.setAccessibleName(label)
            self.body.addWidget(row(words, field))
        self.figures = figure()
        self.body.addWidget(self.figures)
        self.hide_button = button("Hide", self._hide, "Hidden parts are still built", name="parts.hide")
        self.lock_button = button("Lock", self._lock, "A locked part is not moved or turned", name="parts.lock")
        self.group_button = button(
            "Group", self._group, "Move and turn the selected parts together", name="parts.group"
        )
        self.ungroup_button = button("Ungroup", self._ungroup, "Break up groups and stacks", name="parts.ungroup")
        self._buttons = (self.hide_button, self.lock_button, self.group_button, self.ungroup_button)
        self.body.addWidget(row(*self._buttons, 1, spacing=6))
        self.paste = button(
            "Paste owners and orders", self.paste_table, "From a table in the clipboard: name, owner, order",
            name="parts.paste",
        )  # fmt: skip
        self.body.addWidget(row(self.paste, 1))

    def _rename(self) -> None:
        part = self.part
        if part is None or self.part_name.text() == part.name:
            return
        if not self.session.do(lambda job: describe_part(job, part.id, name=self.part_name.text())):
            self.part_name.setText(part.name)

    def _describe(self, what: str, field: QLineEdit) -> None:
        part = self.part
        if part is None or not field.isModified() or field.text().strip() == getattr(part, what):
            return
        field.setModified(False)
        self.session.do(lambda job: describe_parts(job, self.selected, **{what: field.text()}))

    def _hide(self) -> None:
        part = self.part
        if part is not None:
            self.session.do(lambda job: flag_parts(job, self.selected, is_hidden=not part.is_hidden))

    def _lock(self) -> None:
        part = self.part
        if part is not None:
            self.session.do(lambda job: flag_parts(job, self.selected, is_locked=not part.is_locked))

    def _group(self) -> None:
        self.session.do(lambda job: group_parts(job, self.selected))

    def _ungroup(self) -> None:
        self.session.do(lambda job: ungroup_parts(job, self.selected))

    def paste_table(self) -> None:
        """Take owners and orders from the table in the clipboard."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        try:
            assigned = assign_orders(self.session.job, read_orders(clipboard.text()))
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self.session.do(lambda _: assigned.edit)
        missing = f"; no part is named {', '.join(assigned.unknown[:4])}" if assigned.unknown else ""
        self.session.said.emit("fine", f"{assigned.edit.title}{missing}")

    def refresh(self) -> None:
        """Show the current part."""
        part = self.part
        for widget in (self.part_name, self.owner, self.order, *self._buttons):
            widget.setEnabled(part is not None)
        self.paste.setEnabled(bool(self.session.job.parts))
        if part is None:
            for field in (self.part_name, self.owner, self.order):
                field.clear()
            self.figures.setText("")
            return
        for field, text in ((self.part_name, part.name), (self.owner, part.owner), (self.order, part.order)):
            if not field.isModified() or not field.hasFocus():
                field.setText(text)
        self.part_name.setEnabled(len(self.selected) == 1)
        self.hide_button.setText("Show" if part.is_hidden else "Hide")
        self.lock_button.setText("Unlock" if part.is_locked else "Lock")
        self.group_button.setEnabled(len(self.selected) > 1)
        belongs = bool(part.group) or self.session.job.stack_of(part.id) is not None
        self.ungroup_button.setEnabled(belongs)
        size = UNITS.size((part.bounds()[1] - part.bounds()[0]).tolist())
        shown = self.session.shown_part(part)
        self.figures.setText(f"{size} {UNITS.name}, in this pose{_volume_of(shown)}")


def _volume_of(shown: ShownPart | None) -> str:
    """A line of volume and triangles, once they are known."""
    if shown is None:
        return ""
    volume = shown.health.enclosed_mm3
    enclosed = "no volume" if volume is None else f"{volume / 1000:,.2f} cm³"
    return f"\n{enclosed}, {shown.health.triangles:,} triangles"

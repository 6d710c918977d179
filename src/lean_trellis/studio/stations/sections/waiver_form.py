"""Accepting stops in writing: who, why, until when; and taking that back."""

from __future__ import annotations

from datetime import date

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.checks import waiver_of
from lean_trellis.core.checks.grouping import FindingGroup
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits import require_day, waive, withdraw_waivers
from lean_trellis.studio.forms.fields import TextField, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session


class WaiverForm(QWidget):
    """Shown below a group of stops: a form while one is open, the waiver where they are covered."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._group: FindingGroup | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.who, self.reason, self.expires = TextField(), TextField(), TextField()
        for field, name, words, hint in (
            (self.who, "waiver.who", "Who accepts it", "Name"),
            (self.reason, "waiver.reason", "Why it may be built all the same", "Why it may be built all the same"),
            (self.expires, "waiver.expires", "Last day of the waiver", "Until (year-month-day)"),
        ):
            field.setObjectName(name)
            field.setAccessibleName(words)
            field.setPlaceholderText(hint)
        self.who.setText(session.settings.person)
        self.expires.setFixedWidth(150)
        hint = "Accept in writing; it stays until the value gets worse by 1 % or the place moves"
        self.waive = button("Waive", self._waive, hint, name="waiver.waive")
        self.withdraw = button("Withdraw waiver", self._withdraw, "The stops stand again", name="waiver.withdraw")
        self.said = muted()
        self._form = QWidget()
        form = QVBoxLayout(self._form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(6)
        form.addWidget(self.reason)
        form.addWidget(row(self.who, self.expires, self.waive, spacing=6))
        column.addWidget(self.said)
        column.addWidget(self.withdraw)
        column.addWidget(self._form)

    def show_group(self, group: FindingGroup | None) -> None:
        """Show what can be done about a group."""
        self._group = group
        is_stop = group is not None and group.first.severity == "stop"
        self.setVisible(is_stop and not self.session.job.is_released)
        if group is None or not is_stop:
            return
        waived = [waiver for waiver in group.waivers if waiver is not None]
        still = len(group.open)
        self._form.setVisible(bool(still))
        self.waive.setText("Waive" if len(group.findings) == 1 else f"Waive all {still}")
        self.withdraw.setVisible(bool(waived))
        if waived:
            last = waived[-1]
            until = f", until {last.expires}" if last.expires else ""
            self.said.setText(f"Waived by {last.who}: {last.reason}{until}")
        else:
            self.said.setText("No cure fits? A stop can be accepted in writing:")

    def _waive(self) -> None:
        group = self._group
        if group is None or not group.open:
            return
        try:
            expires = require_day("last day", self.expires.text())
        except EditError as problem:
            self.session.said.emit("stop", str(problem))
            return
        if expires and date.fromisoformat(expires) < date.today():
            self.session.said.emit("stop", f"The waiver would have ended on {expires}: give a later day, or none")
            return
        who, reason = self.who.text(), self.reason.text()
        job = self.session.job
        waivers = [waiver_of(one, job, who=who, reason=reason, expires=expires) for one in group.open]
        if self.session.do(lambda job: waive(job, waivers)):
            self.session.settings.person = who.strip()
            self.reason.clear()

    def _withdraw(self) -> None:
        if self._group is not None:
            gone = [waiver for waiver in self._group.waivers if waiver is not None]
            self.session.do(lambda job: withdraw_waivers(job, gone))

"""The shared build by owner: who has what in it, who is ready, whom a fault would reach; parts of other builds."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from lean_trellis.core.checks import open_stops
from lean_trellis.core.job.edits import merge_builds, remove_parts, set_due, set_order_lot, taken_out
from lean_trellis.core.job.files import SUFFIX
from lean_trellis.core.job.job import Job
from lean_trellis.core.release.owners import OwnerShare, owner_shares
from lean_trellis.studio.forms.fields import TextField, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import ShowBoard
from lean_trellis.studio.requests import OpenJob, SaveJob
from lean_trellis.studio.session import Session


class OwnersPage(QWidget):
    """A row an owner; what is done with selected parts goes to another build."""

    asks = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shares: tuple[OwnerShare, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.table = PickTable(("Owner", "Parts", "Time", "EUR", "State"), several=False, stretch=0,
                               widths={1: 48, 2: 52, 3: 56, 4: 70})  # fmt: skip
        self.table.setObjectName("owners.table")
        self.table.setAccessibleName("Owners in this build")
        self.table.setMinimumHeight(150)
        self.table.selected.connect(self._select)
        column.addWidget(self.table)
        self.said = muted()
        column.addWidget(self.said)
        self.due, self.lot = TextField(), TextField()
        for field, name, words, hint in (
            (self.due, "owners.due", "Day by which the build is due", "year-month-day"),
            (self.lot, "owners.lot", "Lot that the order of the selected parts asks for", "any lot"),
        ):
            field.setObjectName(name)
            field.setAccessibleName(words)
            field.setToolTip(words)
            field.setPlaceholderText(hint)
        self.due.editingFinished.connect(lambda: session.do(lambda job: set_due(job, self.due.text())))
        self.lot.editingFinished.connect(self._set_lot)
        column.addWidget(row("Due", self.due, "Lot asked for", self.lot, spacing=6))
        hints = {
            "move": "Save the selected parts as a job, with pose, supports and waivers, and take them out of this one",
            "merge": "Add the parts of another job, with pose, supports and waivers",
            "board": "Builds of the shop: put this one there, take parts of others",
        }
        self.move_out = button("Move to another build…", self._move, hints["move"], name="owners.move")
        self.merge = button("Merge a build…", self._merge, hints["merge"], name="owners.merge")
        self.board = button("Build board…", lambda: self.asks.emit(ShowBoard()), hints["board"], name="owners.board")
        column.addWidget(row(self.move_out, self.merge, 1, spacing=6))
        column.addWidget(row(self.board, 1))
        column.addStretch(1)

    def refresh(self) -> None:
        """Show the owners as they are now."""
        session, job = self.session, self.session.job
        estimate, findings = session.layers.estimate(), session.findings()
        stops = open_stops(findings or (), job, date.today())
        self._shares = owner_shares(job, estimate, stops) if estimate is not None else ()
        rows = [(number, (one.owner, len(one.parts), f"{one.time_share:.0%}",
                          f"{one.cost:,.0f}", _state(one, is_known=findings is not None)))
                for number, one in enumerate(self._shares)]  # fmt: skip
        owner = self._owner_of_selection()
        selected = [number for number, one in enumerate(self._shares) if one.owner == owner]
        self.table.show_rows(rows, selected)
        self._tell(self._shares[selected[0]] if selected else None)
        if not self.due.hasFocus():
            self.due.setText(job.due)
        part = session.part
        if not self.lot.hasFocus():
            self.lot.setText(part.lot if part is not None else "")
        has_parts = bool(session.selection.parts) and not job.is_released
        self.move_out.setEnabled(has_parts and len(session.selection.parts) < len(job.parts))
        self.merge.setEnabled(not job.is_released)
        self.lot.setEnabled(has_parts)

    def _owner_of_selection(self) -> str:
        part = self.session.part
        if part is None:
            return ""
        return next((one.owner for one in self._shares if part.name in one.parts), "")

    def _tell(self, share: OwnerShare | None) -> None:
        if not self._shares:
            self.said.setText("Import parts first." if not self.session.job.parts else "Estimating …")
            return
        if share is None:
            self.said.setText("Choose an owner: their parts are selected.")
            return
        orders = f" Orders: {', '.join(share.orders)}." if share.orders else ""
        reached = f" A fault would reach {', '.join(share.threatens)}." if share.threatens else (
            " A fault would reach nobody else's parts.")  # fmt: skip
        self.said.setText(
            f"{', '.join(share.parts)}.{orders} Parts {share.volume_mm3 / 1000:,.2f} cm³, supports "
            f"{share.support_mm3 / 1000:,.2f} cm³.{reached}"
        )

    def _select(self, keys: list[int]) -> None:
        if keys and keys[0] < len(self._shares):
            names = set(self._shares[keys[0]].parts)
            ids = tuple(part.id for part in self.session.job.parts if part.name in names)
            if set(ids) != set(self.session.selection.parts):
                self.session.select(parts=ids)

    def _set_lot(self) -> None:
        ids = self.session.selection.parts
        if ids and self.session.job.part(ids[0]).lot != self.lot.text().strip():
            self.session.do(lambda job: set_order_lot(job, ids, self.lot.text()))

    # --- to and from other builds ---

    def _move(self) -> None:
        start = str(Path(self.session.folder) / f"{self.session.job.name}, next{SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the selected parts as a build", start, f"Jobs (*{SUFFIX})")
        if chosen:
            path = Path(chosen)
            self.move_to(path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX))

    def move_to(self, path: Path) -> None:
        """Save the selected parts as a job; when that is safe on disk they leave this one."""
        session, job, ids = self.session, self.session.job, self.session.selection.parts
        other = taken_out(job, ids, path.stem)

        def saved(_: Path) -> None:
            if session.job is job and session.do(lambda job: remove_parts(job, list(ids))):
                session.said.emit("fine", f"{len(ids)} part{'s' * (len(ids) != 1)} moved to {path.name}")
            elif session.job is not job:
                session.said.emit("note", f"Saved in {path.name}; the job has moved on: nothing was removed")

        session.ask(f"Saving {path.name}", SaveJob(other, path), saved)

    def _merge(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Merge a build", self.session.folder, f"Jobs (*{SUFFIX})")
        if chosen:
            self.merge_from(Path(chosen))

    def merge_from(self, path: Path) -> None:
        """Add the parts of another job; what does not go together is named."""
        session = self.session

        def opened(other: Job) -> None:
            before = len(session.job.parts)
            if session.do(lambda job: merge_builds(job, other)):
                session.select(parts=tuple(part.id for part in session.job.parts[before:]))
                session.said.emit("fine", f"{len(other.parts)} parts of {path.stem} added; Release lists what overlaps")

        session.ask(f"Opening {path.name}", OpenJob(path), opened)


def _state(share: OwnerShare, *, is_known: bool) -> str:
    if not is_known:
        return "checking"
    return "ready" if share.is_ready else f"{share.stops} stop{'s' * (share.stops != 1)}"

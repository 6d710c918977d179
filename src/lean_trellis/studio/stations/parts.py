"""Parts: import, list with owners and state; sections for what is done with the picked ones."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHeaderView, QLineEdit, QPushButton

from lean_trellis.core.checks import Finding
from lean_trellis.core.formats.body import KNOWN_FILES
from lean_trellis.core.job.edits import remove_parts
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.forms.fields import ChoiceField, head, muted, row
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.arrange import ArrangeSection
from lean_trellis.studio.stations.sections.copies import CopiesSection
from lean_trellis.studio.stations.sections.file import FileSection
from lean_trellis.studio.stations.sections.measure import MeasureSection
from lean_trellis.studio.stations.sections.mesh import MeshSection
from lean_trellis.studio.stations.sections.section import Section
from lean_trellis.studio.stations.sections.shape import ShapeSection
from lean_trellis.studio.stations.sections.size import SizeSection
from lean_trellis.studio.stations.sections.who import WhoSection
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.stations.tables import PickTable
from lean_trellis.studio.view3d.view import Pick

_COLUMNS = ("Part", "Mesh", "Pose", "Held", "Owner", "Order", "Copies", "Size mm", "cm³")
_GROUPINGS = [("", "all"), ("owner", "by owner"), ("order", "by order"), ("group", "by group")]
_STATIONS = {
    "Mesh": {"mesh_unsound"},
    "Pose": {"pose_out_of_range", "outside_volume", "keep_out", "parts_overlap", "too_near", "stack_gap"},
}


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
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Remove the picked parts with their supports")
        self.remove.clicked.connect(lambda: session.do(lambda job: remove_parts(job, session.selection.parts)))
        self.page.addWidget(row(bring, self.remove, 1))
        self._empty = muted(f"No parts yet. Import here, or drop on the window, {KNOWN_FILES}.")
        self.page.addWidget(self._empty)
        self.filter, self.grouping = QLineEdit(), ChoiceField()
        self.filter.setObjectName("parts.filter")
        self.filter.setPlaceholderText("Filter by name, owner, order")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(lambda _: self.refresh())
        self.grouping.setObjectName("parts.grouping")
        self.grouping.offer(_GROUPINGS, "")
        self.grouping.chosen.connect(lambda _: self.refresh())
        self._filter_row = row(self.filter, self.grouping, spacing=6)
        self.page.addWidget(self._filter_row)
        self.table = PickTable(_COLUMNS)
        self.table.setObjectName("parts.table")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        for column in (1, 2, 3):
            self.table.horizontalHeader().setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            self.table.horizontalHeader().resizeSection(column, 44)
        self.table.setFixedHeight(186)
        self.table.setToolTip("✓ fine, ▲ caution, ⬣ stop; ◌ hidden, ⊥ locked. Headings sort.")
        self.table.doubleClicked.connect(lambda _: QTimer.singleShot(0, self._rename))
        self.table.picked.connect(lambda keys: session.select(parts=tuple(keys)))
        self.page.addWidget(self.table)
        self.selected = head("")
        self.page.addWidget(self.selected)
        self.who, self.file, self.mesh = WhoSection(session), FileSection(session), MeshSection(session)
        self.size_section, self.copies = SizeSection(session), CopiesSection(session)
        self.arrange, self.measure, self.shape = ArrangeSection(session), MeasureSection(session), ShapeSection(session)
        self.measure.measured.connect(self.size_section.show_measure)
        self.sections: tuple[Section, ...] = (
            self.who, self.mesh, self.file, self.measure, self.size_section, self.shape, self.copies, self.arrange,
        )  # fmt: skip
        for section in self.sections:
            section.asks.connect(self.asks)
            self.page.addWidget(section)
        self.page.addStretch(1)

    def _rename(self) -> None:
        """A double click in the list: on to the name field."""
        self.who.heading.setChecked(True)
        self.who.part_name.setFocus()
        self.who.part_name.selectAll()

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the list and the part in hand."""
        job, part = self.session.job, self.session.part
        wanted = self.filter.text().lower().split()
        shown = [p for p in job.parts if all(any(w in t.lower() for t in (p.name, p.owner, p.order)) for w in wanted)]
        key = str(self.grouping.currentData())
        if key:
            shown = sorted(shown, key=lambda p: (getattr(p, key) == "", getattr(p, key)))
        findings = self.session.findings()
        self.table.show_rows([(p.id, self._cells(p, findings)) for p in shown], self.session.selection.parts)
        self._empty.setVisible(not job.parts)
        self._filter_row.setVisible(bool(job.parts))
        self.remove.setEnabled(part is not None)
        count = len(self.session.selection.parts)
        words = "Nothing picked" if part is None else part.name if count == 1 else f"{part.name} and {count - 1} more"
        self.selected.setText(words)
        for section in self.sections:
            section.refresh()

    def _cells(self, part: Part, findings: tuple[Finding, ...] | None) -> tuple[object, ...]:
        width, depth, height = (part.bounds()[1] - part.bounds()[0]).tolist()
        shown = self.session.shown_part(part)
        signs = f"{' ◌' if part.is_hidden else ''}{' ⊥' if part.is_locked else ''}"
        alike = sum(other.nominal_mesh is part.nominal_mesh for other in self.session.job.parts)
        volume = "…" if shown is None else round(shown.health.volume_mm3 / 1000, 2)
        return (
            f"{part.name}{signs}",
            "…" if shown is None else "✓" if shown.health.is_sound else "⬣",
            _mark(part, findings, _STATIONS["Pose"]),
            _mark(part, findings, None),
            part.owner or "–",
            part.order or "–",
            alike,
            f"{width:.0f} × {depth:.0f} × {height:.0f}",
            volume,
        )

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

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In a mode, the click is the mode's."""
        return self.measure.take_pick(pick) or self.shape.take_pick(pick)

    def end_mode(self) -> bool:
        """Escape: end the mode that is on. True when there was one."""
        return self.measure.end_mode() or self.shape.end_mode()

    def leave(self) -> None:
        """Marks and modes end."""
        for section in self.sections:
            section.leave()


def _mark(part: Part, findings: tuple[Finding, ...] | None, codes: set[str] | None) -> str:
    """How a part stands with some checks; with None, with all that are of no other column."""
    if findings is None:
        return "…"
    others = set().union(*_STATIONS.values())
    mine = [
        f.severity for f in findings
        if f.part_id == part.id and (f.code in codes if codes is not None else f.code not in others)
    ]  # fmt: skip
    return "⬣" if "stop" in mine else "▲" if "caution" in mine else "✓"

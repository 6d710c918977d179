"""The sheet of parts under the view: who, whose, how many, how large, how each stands; typed into where it stands."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHeaderView, QLineEdit, QVBoxLayout

from lean_trellis.core.checks import Finding
from lean_trellis.core.job import Edit, Job
from lean_trellis.core.job.edits import describe_part, describe_parts
from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.forms.fields import ChoiceField, muted, row
from lean_trellis.studio.forms.qt import head_of
from lean_trellis.studio.forms.section import Sheet
from lean_trellis.studio.forms.tables import HIDDEN, LOCKED, NOTHING, PickTable
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownPart

_COLUMNS = ("Part", "Owner", "Order", "Copies", "Size", "cm³", "Mesh", "Pose", "Checks")
_WIDTHS = (-1, 130, 76, 58, 92, 54, 51, 47, 63)
_INCH_WIDE = 128
_TYPED = {0: "name", 1: "owner", 2: "order"}
_GROUPINGS = [("", "not grouped"), ("owner", "by owner"), ("order", "by order"), ("group", "by group")]
_POSE_CODES = {"pose_out_of_range", "outside_volume", "keep_out", "parts_overlap", "too_near", "stack_gap"}
_MESH_CODES = {"mesh_unsound"}


class PartsSheet(Sheet):
    """All parts of the shared build as a table over the width of the view."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 6)
        layout.setSpacing(6)
        self.filter, self.grouping, self.count = QLineEdit(), ChoiceField(), muted()
        self.filter.setObjectName("parts.filter")
        self.filter.setPlaceholderText("Filter by name, owner, order")
        self.filter.setClearButtonEnabled(True)
        self.filter.setMinimumWidth(210)
        self.filter.textChanged.connect(lambda _: self.refresh())
        self.grouping.setObjectName("parts.grouping")
        self.grouping.offer(_GROUPINGS, "")
        self.grouping.chosen.connect(lambda _: self.refresh())
        self.count.setWordWrap(False)
        self._filter_row = row(self.filter, self.grouping, 1, self.count, spacing=6)
        layout.addWidget(self._filter_row)
        self.table = PickTable(_COLUMNS, typed=_TYPED)
        self.table.setObjectName("parts.table")
        self.table.setToolTip(
            "Double click or F2 on a name, an owner or an order changes it; with several selected, all of them. "
            "✓ fine, ▲ caution, ⬣ stop; ◌ hidden, ⊥ locked. Headings sort."
        )
        header = head_of(self.table)
        for column, width in enumerate(_WIDTHS):
            if width > 0:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Interactive)
                header.resizeSection(column, width)
        UNITS.changed.connect(self._fit_size)
        self.table.selected.connect(lambda keys: session.select(parts=tuple(keys)))
        self.table.typed.connect(self._typed)
        layout.addWidget(self.table, 1)
        self._empty = muted("The parts of the build: name, owner, order, size and state.")
        layout.addWidget(self._empty)

    def _fit_size(self) -> None:
        size = _COLUMNS.index("Size")
        head_of(self.table).resizeSection(size, _INCH_WIDE if UNITS.is_inch else _WIDTHS[size])

    def _typed(self, key: str, what: str, text: str) -> None:
        """A name is of one part; an owner or an order of all selected ones, when the row is one of them."""
        chosen = self.session.selection.parts
        change: Callable[[Job], Edit]
        if what == "name":
            change = lambda job: describe_part(job, key, name=text)  # noqa: E731 - one of two
        else:
            change = lambda job: describe_parts(job, chosen if key in chosen else (key,), **{what: text})  # noqa: E731
        self.session.do(change)
        self.refresh()

    def refresh(self) -> None:
        """Show the parts that pass the filter."""
        job = self.session.job
        wanted = self.filter.text().lower().split()
        shown = [p for p in job.parts if all(any(w in t.lower() for t in (p.name, p.owner, p.order)) for w in wanted)]
        key = str(self.grouping.currentData())
        if key:
            shown = sorted(shown, key=lambda p: (getattr(p, key) == "", getattr(p, key)))
        findings = self.session.unwaived()
        self.table.rename_column(_COLUMNS.index("Size"), f"Size {UNITS.name}")
        self.table.show_rows([(p.id, self._cells(p, findings)) for p in shown], self.session.selection.parts)
        for widget in (self.table, self._filter_row):
            widget.setVisible(bool(job.parts))
        self._empty.setVisible(not job.parts)
        selected, total = len(self.session.selection.parts), len(job.parts)
        some = f"{len(shown)} of {total} shown, " if len(shown) < total else f"{total} parts, " if total > 1 else ""
        self.count.setText(f"{some}{selected} selected")

    def _cells(self, part: Part, findings: tuple[Finding, ...] | None) -> tuple[object, ...]:
        size = UNITS.size((part.bounds()[1] - part.bounds()[0]).tolist(), 0)
        shown = self.session.shown_part(part)
        volume = shown.health.enclosed_mm3 if shown else None
        signs = f"{HIDDEN if part.is_hidden else ''}{LOCKED if part.is_locked else ''}"
        return (
            f"{part.name}{signs}",
            part.owner or NOTHING,
            part.order or NOTHING,
            sum(other.nominal_mesh is part.nominal_mesh for other in self.session.job.parts),
            size,
            "…" if shown is None else NOTHING if volume is None else round(volume / 1000, 2),
            _mesh_mark(shown, self.session.faults(part)),
            _mark(part, findings, lambda code: code in _POSE_CODES),
            _mark(part, findings, lambda code: code not in _POSE_CODES | _MESH_CODES),
        )


def _mesh_mark(shown: ShownPart | None, faults: tuple[MeshFault, ...] | None) -> str:
    """How a mesh stands: faults are looked for in the part that is selected, and stay known."""
    if shown is None:
        return "…"
    return "⬣" if not shown.health.is_sound else "▲" if faults else "✓"


def _mark(part: Part, findings: tuple[Finding, ...] | None, counts: Callable[[str], bool]) -> str:
    """How a part stands with the checks whose code counts."""
    if findings is None:
        return "…"
    mine = [finding.severity for finding in findings if finding.part_id == part.id and counts(finding.code)]
    return "⬣" if "stop" in mine else "▲" if "caution" in mine else "✓"

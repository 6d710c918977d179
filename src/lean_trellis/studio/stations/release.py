"""Release: every finding with place, value, limit, cause and cures; export."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFileDialog,
    QPushButton,
    QRadioButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from lean_trellis.core.checks import Cure, Finding
from lean_trellis.core.checks.changes import cure_of_all
from lean_trellis.core.checks.trying import TRIED
from lean_trellis.core.release.export import ExportFormat, ExportRequest, What
from lean_trellis.studio.cures import apply_cure
from lean_trellis.studio.forms.fields import ChoiceField, figure, muted, row, set_role
from lean_trellis.studio.forms.tables import PickTable, ten_rows
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.requests import TryCures
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import Fact, Station

_MEASURES = ("mm", "mm²", "mm³", "°", "°C")
_LONG_WORDS = 44
_SIGNS = {"stop": "⬣", "caution": "▲", "note": "●"}
_FORMATS = [
    ("3mf", "3MF, named objects"),
    ("stl", "STL, one solid"),
    ("amf", "AMF, named objects"),
    ("obj", "OBJ, named objects"),
    ("ply", "PLY, one solid"),
]


def _short(finding: Finding) -> str:
    """What was found in a few words with its measure; the whole message stands below the list."""
    words = finding.title.capitalize()
    if finding.value is None:
        return words
    return f"{words}, {_measure(finding.value, finding.unit, is_short=True)}"


def _measure(value: float, unit: str, *, is_short: bool = False) -> str:
    """A measured value or a limit with its unit: counts without digits, other measures with two at most."""
    is_count = unit not in _MEASURES and float(value).is_integer()
    whole_from, tenths_from = (10, 1) if is_short else (1000, 1000)
    digits = 0 if is_count or abs(value) >= whole_from else 1 if unit == "°" or abs(value) >= tenths_from else 2
    return f"{value:,.{digits}f}{'' if unit == '°' else ' '}{unit}".rstrip()


def _in_lines(words: str) -> str:
    """What a cure does on one line, and what it brings below where both do not fit."""
    return words.replace(": ", "\n", 1) if len(words) > _LONG_WORDS else words


class ReleaseStation(Station):
    """The findings of the whole build, and the files that leave."""

    key = "release"
    name = "Release"
    has_tabs = True
    shows_angles = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.verdict = muted()
        self.head.addWidget(self.verdict)
        self._chosen: Finding | None = None
        self._tried: tuple[Finding, tuple[Cure, ...]] | None = None
        self._add_findings(self.tabs.add_page("findings", "Findings"))
        self._add_export(self.tabs.add_page("export", "Export"))

    def _add_findings(self, page: QVBoxLayout) -> None:
        self.table = PickTable(("", "Part", "Finding"), several=False, stretch=2, widths={0: 28, 1: 102})
        self.table.setObjectName("release.table")
        self.table.setMinimumHeight(ten_rows())
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.table.selected.connect(self._choose)
        page.addWidget(self.table, 1)
        self.message, self.measured, self.cause = figure(), figure(), muted()
        for widget in (self.message, self.measured, self.cause):
            page.addWidget(widget)
        self.cures = QWidget()
        self._cure_list = QVBoxLayout(self.cures)
        self._cure_list.setContentsMargins(0, 0, 0, 0)
        page.addWidget(self.cures)
        self.source = muted()
        page.addWidget(self.source)
        self.not_examined = muted()
        page.addWidget(self.not_examined)

    def _add_export(self, page: QVBoxLayout) -> None:
        self.file_format, self.what = ChoiceField(), ChoiceField()
        self.file_format.setObjectName("release.format")
        self.what.setObjectName("release.what")
        self.file_format.offer(_FORMATS, "3mf")
        self.what.offer([("all", "Parts and supports"), ("parts", "Parts only"), ("supports", "Supports only")], "all")
        for words, field in (("Format", self.file_format), ("Content", self.what)):
            field.setAccessibleName(words)
            field.setMinimumContentsLength(20)
            page.addWidget(row(words, 1, field))
        self.merged, self.separate = QRadioButton("One file"), QRadioButton("One file for each body")
        self.merged.setChecked(True)
        group = QButtonGroup(self)
        for choice in (self.merged, self.separate):
            group.addButton(choice)
        page.addWidget(row(self.merged, self.separate, 1))
        self.each_bar, self.beams = QCheckBox("Each bar as its own body"), QCheckBox("Bars as beams (3MF)")
        self.each_bar.setToolTip("What bars share is one more body")
        self.beams.setToolTip("Centre lines and radii, by the beam lattice extension of 3MF")
        page.addWidget(self.each_bar)
        page.addWidget(self.beams)
        self.export_button = QPushButton("Export…")
        self.export_button.setProperty("role", "main")
        self.export_button.clicked.connect(self._ask_and_export)
        page.addWidget(row(1, self.export_button))
        self.note = muted()
        page.addWidget(self.note)
        page.addStretch(1)

    # --- findings ---

    def _choose(self, keys: list[int]) -> None:
        findings = self.session.findings()
        self._chosen = findings[keys[0]] if keys and findings is not None and keys[0] < len(findings) else None
        chosen = self._chosen
        if chosen is not None:
            if chosen.part_id:
                self.session.select(parts=(chosen.part_id,))
            if chosen.support_id:
                self.session.select(support=chosen.support_id)
            if chosen.at_mm is not None:
                self.asks.emit(Fly(chosen.at_mm))
        self._show_chosen()
        if chosen is not None and chosen.code in TRIED and (self._tried is None or self._tried[0] != chosen):
            self._try_cures(chosen)

    def _try_cures(self, finding: Finding) -> None:
        """Work out beside the window what the cures of a finding would bring."""

        def tried(cures: tuple[Cure, ...]) -> None:
            self._tried = finding, cures
            if self._chosen == finding:
                self._show_chosen()

        self.session.ask("Trying cures", TryCures(finding, self.session.job), tried)

    def show_finding(self, finding: Finding) -> None:
        """Open a finding of the list, as a click on its row does."""
        findings = self.session.findings() or ()
        if finding in findings:
            self.tabs.show_page("findings")
            self._choose([findings.index(finding)])
            self.refresh()

    def _show_chosen(self) -> None:
        while (item := self._cure_list.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        chosen = self._chosen
        for widget in (self.message, self.measured, self.cause, self.cures):
            widget.setVisible(chosen is not None)
        self.source.setVisible(chosen is not None and bool(chosen.source))
        if chosen is None:
            return
        set_role(self.message, {"stop": "stop", "caution": "warn", "note": "good"}[chosen.severity])
        self.message.setText(f"{chosen.part}: {chosen.message}")
        measured = "no support" if chosen.value is None else _measure(chosen.value, chosen.unit)
        limit = "" if chosen.limit is None else f", limit {_measure(chosen.limit, chosen.unit)}"
        place = "" if chosen.at_mm is None else "\nat x {:.1f}  y {:.1f}  z {:.1f}".format(*chosen.at_mm)
        self.measured.setText(f"Measured: {measured}{limit}{place}")
        self.cause.setText(f"Cause: {chosen.cause}.")
        self.source.setText(f"Limit: {chosen.source}.")
        cures = self._tried[1] if self._tried is not None and self._tried[0] == chosen else chosen.cures
        for cure in cures:
            for offered in (cure, cure_of_all(cure, chosen, self.session.findings() or ())):
                if offered is not None:
                    button = QPushButton(_in_lines(offered.words))
                    button.clicked.connect(lambda _, c=offered: self.apply_cure(c))
                    self._cure_list.addWidget(button)

    def apply_cure(self, cure: Cure) -> None:
        """Do what a cure says."""
        apply_cure(self.session, cure, self.wanted.emit)

    # --- export ---

    def show_export(self) -> None:
        """Open the tab with the files that leave."""
        self.tabs.show_page("export")
        self.export_button.setFocus()

    def _ask_and_export(self) -> None:
        folder, suffix = self.session.folder, str(self.file_format.currentData())
        if self.separate.isChecked():
            chosen = QFileDialog.getExistingDirectory(self, "Export into a folder", folder)
        else:
            start = str(Path(folder) / f"{self.session.job.name}.{suffix}")
            chosen, _ = QFileDialog.getSaveFileName(self, "Export to a file", start, f"*.{suffix}")
        if chosen:
            self.export_to(Path(chosen))

    def export_to(self, path: Path) -> None:
        """Export with the choices on the bench."""
        suffix = str(self.file_format.currentData())
        merged = self.merged.isChecked()
        as_beams = self.beams.isChecked() and suffix == "3mf"
        if merged and path.suffix.lower() != f".{suffix}":
            path = path.with_name(f"{path.name}.{suffix}")
        what = cast(What, str(self.what.currentData()))
        self.session.export(
            ExportRequest(path, cast(ExportFormat, suffix), what, merged, self.each_bar.isChecked(), as_beams)
        )

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the findings."""
        findings = self.session.findings()
        self.export_button.setEnabled(bool(self.session.job.parts))
        if findings is None:
            has_parts, is_checking = bool(self.session.job.parts), self.session.is_checking()
            waiting = self.session.unchecked_words() if has_parts else "Nothing to check: import parts first."
            self.verdict.setText(waiting)
            self.not_examined.hide()
            set_role(self.verdict, "muted" if is_checking or not has_parts else "warn")
            self.table.show_rows([], [])
            self._chosen = None
            self._show_chosen()
            self.note.setText("")
            return
        self.not_examined.show()
        stops = sum(f.severity == "stop" for f in findings)
        cautions = sum(f.severity == "caution" for f in findings)
        set_role(self.verdict, "stop" if stops else "warn" if cautions else "good")
        counts = f"{stops} stop{'s' * (stops != 1)}, {cautions} caution{'s' * (cautions != 1)}"
        if stops:
            self.verdict.setText(f"Not ready: {counts}.")
        else:
            self.verdict.setText(f"Ready: {counts}." if findings else "Ready: no findings.")
        if self._chosen not in findings:
            self._chosen = None
            self._show_chosen()
        selected = [findings.index(self._chosen)] if self._chosen is not None else []
        rows = [(n, (_SIGNS[f.severity], f.part, _short(f))) for n, f in enumerate(findings)]
        self.table.show_rows(rows, selected)
        self.note.setText("You can export before the build is ready." if stops else "")

    def fact(self) -> Fact:
        """Ready or not."""
        findings = self.session.findings()
        if findings is None:
            if not self.session.job.parts:
                return Fact("open", "no parts yet")
            return Fact("stale", "checking …" if self.session.is_checking() else "not checked")
        stops = sum(f.severity == "stop" for f in findings)
        cautions = sum(f.severity == "caution" for f in findings)
        if stops:
            return Fact("stop", f"{stops} stop{'s' * (stops > 1)}, {cautions} caution{'s' * (cautions != 1)}")
        return Fact(
            "look" if cautions else "fine",
            f"ready, {cautions} caution{'s' * (cautions != 1)}" if cautions else "ready",
        )

"""Files of parts and supports in open formats."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QFileDialog, QPushButton, QRadioButton, QVBoxLayout, QWidget

from lean_trellis.core.release.export import ExportFormat, ExportRequest, What
from lean_trellis.studio.forms.fields import ChoiceField, muted, row
from lean_trellis.studio.session import Session

_FORMATS = [
    ("3mf", "3MF, named objects"),
    ("stl", "STL, one solid"),
    ("amf", "AMF, named objects"),
    ("obj", "OBJ, named objects"),
    ("ply", "PLY, one solid"),
]


class ExportPage(QWidget):
    """Which format, what, in one file or several."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(6)
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

    def show_note(self, words: str) -> None:
        """Say what matters about exporting now."""
        self.export_button.setEnabled(bool(self.session.job.parts))
        self.note.setText(words)

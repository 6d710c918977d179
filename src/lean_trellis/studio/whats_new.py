"""What is new in this version, as a page beside the work."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from lean_trellis import __version__

_PAGE = Path(__file__).parent / "whats_new.md"
_SIZE = (640, 520)


class WhatsNew(QDialog):
    """The page; it stays open while one tries what it says."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"New in version {__version__}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.page = QTextBrowser()
        self.page.setMarkdown(_PAGE.read_text("utf-8"))
        closing = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        closing.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(self.page)
        layout.addWidget(closing)
        self.resize(*_SIZE)

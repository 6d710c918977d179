"""The tabs of a bench: one page is open, each scrolls for itself, and all keep their places."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QTabWidget, QVBoxLayout, QWidget


class BenchTabs(QTabWidget):
    """Pages known by a key. Ctrl+Tab goes from one to the next."""

    def __init__(self) -> None:
        super().__init__()
        self.setDocumentMode(True)
        self.setUsesScrollButtons(False)
        self._keys: list[str] = []

    def add_page(self, key: str, words: str) -> QVBoxLayout:
        """A page with a scroll of its own, to be filled from the top."""
        scroll, page = scrolled()
        scroll.setObjectName(f"tab.{key}")
        self.addTab(scroll, words)
        self._keys.append(key)
        return page

    @property
    def key(self) -> str:
        """The key of the open page."""
        return self._keys[self.currentIndex()]

    def show_page(self, key: str) -> None:
        """Open a page. Raises ValueError for a key that there is none of."""
        self.setCurrentIndex(self._keys.index(key))

    def set_words(self, key: str, words: str) -> None:
        """What is written on a tab."""
        place = self._keys.index(key)
        if self.tabText(place) != words:
            self.setTabText(place, words)


def scrolled() -> tuple[QScrollArea, QVBoxLayout]:
    """A page that scrolls up and down, with the margins of a bench."""
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setFrameShape(QFrame.Shape.NoFrame)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    page = QWidget()
    layout = QVBoxLayout(page)
    layout.setContentsMargins(12, 6, 12, 8)
    layout.setSpacing(6)
    scroll.setWidget(page)
    return scroll, layout

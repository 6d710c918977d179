"""A group of fields under a heading that opens and closes."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget


class Fold(QWidget):
    """A heading with a body below it; add widgets to `body`."""

    def __init__(self, words: str, *, is_open: bool = True) -> None:
        super().__init__()
        self._words = words
        self.heading = QPushButton()
        self.heading.setProperty("role", "fold")
        self.heading.setCheckable(True)
        self._inside = QWidget()
        self.body = QVBoxLayout(self._inside)
        self.body.setContentsMargins(0, 4, 0, 8)
        self.body.setSpacing(5)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.heading)
        layout.addWidget(self._inside)
        self.heading.toggled.connect(self._toggled)
        self.heading.setChecked(is_open)
        self._toggled(is_open)

    def _toggled(self, is_open: bool) -> None:
        self._inside.setVisible(is_open)
        self.heading.setText(f"{'▾' if is_open else '▸'}  {self._words}")

    def stay_open(self) -> None:
        """The body alone, without its heading: where a tab says what it is."""
        self.heading.setChecked(True)
        self.heading.hide()

    @property
    def is_open(self) -> bool:
        """Whether the body shows."""
        return self.heading.isChecked()

    def set_words(self, words: str) -> None:
        """Another heading."""
        self._words = words
        self._toggled(self.is_open)

"""The bases of what stations are made of: sections of a bench, and what is shown under the view."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QWidget

from lean_trellis.core.parts.part import Part
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.session import Session


class Section(Fold):
    """A fold of a bench. `asks` passes on a message of what only the window can do."""

    asks = pyqtSignal(object)

    def __init__(self, session: Session, words: str, *, is_open: bool = True) -> None:
        super().__init__(words, is_open=is_open)
        self.session = session

    def refresh(self) -> None:
        """Show the session as it is."""

    @property
    def part(self) -> Part | None:
        """The current part."""
        return self.session.part

    @property
    def selected(self) -> tuple[str, ...]:
        """The selected parts, the current one first."""
        return self.session.selection.parts

    def leave(self) -> None:
        """Another station opens: modes end."""


def button(words: str, act: Callable[[], Any], hint: str = "", *, name: str = "") -> QPushButton:
    """A button that does something when it is pressed."""
    made = QPushButton(words)
    made.setToolTip(hint)
    made.setObjectName(name)
    made.clicked.connect(lambda _: act())
    return made


class Sheet(QWidget):
    """What a station shows under the view while it is open."""

    def refresh(self) -> None:
        """Show the session as it is."""

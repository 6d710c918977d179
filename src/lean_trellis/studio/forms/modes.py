"""Modes as buttons of which at most one is down; Escape or the button ends it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from lean_trellis.studio.forms.fields import muted, row

_NAME = "modes"


class ModeButtons(QWidget):
    """Modes as (key, words, what to do); `changed` gives the key of the mode that is on now, or nothing.

    What to do stands under the buttons, or behind them with `in_line`.
    """

    changed = pyqtSignal(str)

    def __init__(
        self, modes: Sequence[tuple[str, str, str]], name: str, *, in_line: bool = False, per_row: int = 6
    ) -> None:
        super().__init__()
        self.setObjectName(_NAME)
        self._hints = {key: hint for key, _, hint in modes}
        self.buttons: dict[str, QPushButton] = {}
        for key, words, _ in modes:
            made = QPushButton(words)
            made.setObjectName(f"{name}.{key}")
            made.setCheckable(True)
            made.toggled.connect(lambda is_on, key=key: self._toggled(key, is_on))
            self.buttons[key] = made
        self.note = muted()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        if in_line:
            self.note.setWordWrap(False)
            layout.addWidget(row(*self.buttons.values(), self.note, 1, spacing=5))
        else:
            every = list(self.buttons.values())
            for first in range(0, len(every), per_row):
                layout.addWidget(row(*every[first : first + per_row], 1, spacing=5))
            layout.addWidget(self.note)
        self.say("")

    @property
    def mode(self) -> str:
        """The mode that is on, or nothing."""
        return next((key for key, made in self.buttons.items() if made.isChecked()), "")

    def _toggled(self, key: str, is_on: bool) -> None:
        if is_on:
            for other, made in self.buttons.items():
                if other != key:
                    made.setChecked(False)
        self.say(self._hints.get(self.mode, ""))
        self.changed.emit(self.mode)

    def say(self, words: str) -> None:
        """What to do next; nothing takes no room."""
        self.note.setText(words)
        self.note.setVisible(bool(words))

    def end(self) -> bool:
        """End the mode that is on. True when there was one."""
        was_on = bool(self.mode)
        for made in self.buttons.values():
            made.setChecked(False)
        return was_on

    def allow(self, is_allowed: bool) -> None:
        """Whether modes can be begun."""
        for made in self.buttons.values():
            made.setEnabled(is_allowed)


def modes_in(holder: QWidget) -> list[ModeButtons]:
    """All of them within a widget, by their name: looked for by class, every object would be made one of Python."""
    return [modes for modes in holder.findChildren(QWidget, _NAME) if isinstance(modes, ModeButtons)]

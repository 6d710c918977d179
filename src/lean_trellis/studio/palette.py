"""Find an action, a setting or a value: type a few letters, press Return."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True)
class Findable:
    """Something that can be found: what it is called, what it does, its keys."""

    title: str
    run: Callable[[], object]
    keys: str = ""
    is_enabled: bool = True


def findable_actions(actions: list[QAction]) -> list[Findable]:
    """The actions of the menus."""
    return [
        Findable(one.text().replace("&", "").rstrip("…"), one.trigger, one.shortcut().toString(), one.isEnabled())
        for one in actions
    ]


class ActionPalette(QDialog):
    """A list of everything that can be found, which narrows as one types."""

    def __init__(self, entries: list[Findable], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("palette")
        self._entries = entries
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find an action, a setting or a value")
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.nothing = QLabel("Nothing fits. Try fewer letters, or another word for it.")
        self.nothing.setProperty("role", "muted")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        layout.addWidget(self.nothing)
        self.resize(430, 330)
        self.field.textChanged.connect(self._narrow)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(lambda _: self._run())
        self._narrow("")

    def _narrow(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for entry in self._entries:
            if all(word in entry.title.lower() for word in words):
                item = QListWidgetItem(f"{entry.title}    {entry.keys}" if entry.keys else entry.title)
                item.setData(Qt.ItemDataRole.UserRole, entry)
                if not entry.is_enabled:
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.nothing.setVisible(not self.list.count())

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is None:
            return
        self.accept()
        if item.flags():
            item.data(Qt.ItemDataRole.UserRole).run()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and down move in the list while one types; Return runs."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run()
                return True
        return super().eventFilter(watched, event)

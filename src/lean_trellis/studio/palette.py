"""Find an action: type a few letters, press Return."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class ActionPalette(QDialog):
    """A list of all actions that narrows as one types."""

    def __init__(self, actions: list[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("palette")
        self._actions = actions
        self.field = QLineEdit()
        self.field.setPlaceholderText("Find an action")
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.resize(430, 330)
        self.field.textChanged.connect(self._narrow)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(lambda _: self._run())
        self._narrow("")

    def _narrow(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for action in self._actions:
            title = action.text().replace("&", "").rstrip("…")
            if all(word in title.lower() for word in words):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{title}    {keys}" if keys else title)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _run(self) -> None:
        item = self.list.currentItem()
        self.accept()
        if item is not None and item.flags():
            item.data(Qt.ItemDataRole.UserRole).trigger()

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

"""Keys and gestures on one sheet, beside the work: it stays open while one tries them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from lean_trellis.studio.actions import ACTIONS, MENUS

_GESTURES = (
    ("Select", "left click"),
    ("Select more", "Ctrl + left click"),
    ("Turn the view", "left drag"),
    ("Move the selected part (Parts, Pose)", "left drag on it"),
    ("Pan", "Shift + left drag, or middle drag"),
    ("Zoom at the pointer", "wheel"),
    ("End a mode, then cancel what runs", "Escape"),
)


class KeysSheet(QDialog):
    """Gestures first, then the keys of each menu in two columns."""

    def __init__(self, stations: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and gestures")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        groups = [("Mouse", [*_GESTURES, ("Open a station", f"Alt+1 to Alt+{stations}")])]
        for menu in MENUS:
            rows = [(entry.title.rstrip("…."), entry.shortcut) for entry in ACTIONS if entry.menu == menu]
            groups.append((menu, [row for row in rows if row[1]]))
        columns: list[list[tuple[str, list[tuple[str, str]]]]] = [[], []]
        for group in groups:
            if group[1]:
                min(columns, key=lambda column: sum(len(rows) + 2 for _, rows in column)).append(group)
        page = QWidget()
        beside = QHBoxLayout(page)
        beside.setSpacing(36)
        for column in columns:
            beside.addLayout(_column(column))
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(page)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        closing = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        closing.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(area)
        layout.addWidget(closing)
        wanted = page.sizeHint()
        self.resize(wanted.width() + 60, min(wanted.height() + 80, int(0.9 * parent.height())))


def _column(groups: list[tuple[str, list[tuple[str, str]]]]) -> QVBoxLayout:
    layout = QVBoxLayout()
    for title, rows in groups:
        head = QLabel(title)
        head.setProperty("role", "head")
        head.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        layout.addWidget(head)
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        grid.setHorizontalSpacing(18)
        grid.setColumnStretch(0, 1)
        for number, (what, keys) in enumerate(rows):
            grid.addWidget(QLabel(what), number, 0)
            grid.addWidget(QLabel(keys), number, 1)
        layout.addLayout(grid)
    layout.addStretch(1)
    return layout

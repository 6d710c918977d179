"""What an empty job shows in place of a bare plate: import, and the demos as pictures."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from lean_trellis.core.demo import DEMOS
from lean_trellis.studio.forms.fields import muted, row, title
from lean_trellis.studio.session import Session

PICTURES = Path(__file__).parent / "demos"
PICTURE = QSize(200, 112)


class StartPage(QWidget):
    """Asks for actions by their ids: `import`, `open`, `demo_metal` and so on."""

    asked = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAttribute(Qt.WidgetAttribute.WA_NativeWindow)  # as VTK's own: else it lies below the view
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 14, 16, 12)
        column.setSpacing(8)
        column.addWidget(title("Start"))
        self.import_button = QPushButton("Import parts…")
        self.import_button.setProperty("role", "main")
        self.import_button.clicked.connect(lambda: self.asked.emit("import"))
        self.open_button = QPushButton("Open job…")
        self.open_button.clicked.connect(lambda: self.asked.emit("open"))
        hint = QLabel("or drop files on the window")
        hint.setProperty("role", "muted")
        column.addWidget(row(self.import_button, self.open_button, hint, 1))
        column.addSpacing(4)
        column.addWidget(muted("Or try a demo build. Each has one problem left to resolve."))
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(4)
        self.demos: dict[str, QToolButton] = {}
        for number, (name, demo) in enumerate(DEMOS.items()):
            made = self.demos[name] = _card(name, demo.title, demo.story)
            made.clicked.connect(lambda _, name=name: self.asked.emit(f"demo_{name}"))
            words = muted(demo.story)
            words.setFixedWidth(PICTURE.width() + 16)
            below, across = divmod(number, 2)
            grid.addWidget(made, 2 * below, across)
            grid.addWidget(words, 2 * below + 1, across)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid)
        column.addStretch(1)
        self.setFocusProxy(self.import_button)

    @property
    def is_wanted(self) -> bool:
        """Whether the job is as empty as a new one."""
        session = self._session
        return not session.job.parts and session.path is None and not session.undo_title


def _card(name: str, words: str, story: str) -> QToolButton:
    made = QToolButton()
    made.setObjectName(f"start.{name}")
    made.setProperty("role", "card")
    made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
    made.setText(words)
    made.setAccessibleName(f"{words}: {story}")
    made.setToolTip(story)
    made.setIcon(QIcon(QPixmap(str(PICTURES / f"{name}.png"))))
    made.setIconSize(PICTURE)
    made.setFixedSize(PICTURE.width() + 16, PICTURE.height() + 36)
    made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    return made

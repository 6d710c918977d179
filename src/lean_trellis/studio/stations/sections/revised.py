"""A revised file before it is taken: a picture and a list of what is kept, changed and lost."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from lean_trellis.core.arrays import Floats
from lean_trellis.core.revision import RevisedFile
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.part_requests import Revise
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import DAY, rgb
from lean_trellis.studio.thumbnails import drawn

_SIZE = (300, 190)
_SIGNS = {"kept": "✓ kept", "changed": "● changed", "lost": "✕ lost"}
_TABLE_PX = 170


class RevisedPart(QWidget):
    """Hidden while there is no file to be looked at."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._asked: tuple[Revise, RevisedFile] | None = None
        self.words = muted()
        self.words.setObjectName("revised.words")
        self.picture = QLabel()
        self.picture.setAccessibleName("The revised part: new surface marked, what is gone beside it")
        self.key = muted("Ochre: new or moved surface. Plum: surface that is gone.")
        self.table = PickTable(("What", "", "How"), several=False, stretch=2)
        self.table.setObjectName("revised.rows")
        self.table.setAccessibleName("What is kept, changed and lost")
        self.table.setFixedHeight(_TABLE_PX)
        self.accept = button("Accept", self._accept, "The revised file takes the part's place, as one step",
                             name="revised.accept")  # fmt: skip
        self.accept.setProperty("role", "main")
        self.refuse = button("Keep the part as it is", self._end, name="revised.refuse")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 4)
        column.setSpacing(5)
        for widget in (self.words, self.picture, self.key, self.table, row(self.accept, self.refuse, 1, spacing=6)):
            column.addWidget(widget)
        self.hide()

    def show_revision(self, request: Revise, revision: RevisedFile) -> None:
        """Show what a file comes to."""
        self._asked = request, revision
        part = request.job.part(request.part_id)
        lost = sum(one.state == "lost" for one in revision.rows)
        count = f"{lost} thing{'s' * (lost != 1)} would be lost" if lost else "nothing would be lost"
        self.words.setText(f"{request.path.name} in place of {part.name}: {count}.")
        self.picture.setPixmap(QPixmap.fromImage(_drawn(revision, part.pose.matrix)))
        rows = [(number, (one.what, _SIGNS[one.state], one.words)) for number, one in enumerate(revision.rows)]
        self.table.show_rows(rows, [])
        self.show()

    def _accept(self) -> None:
        if self._asked is None:
            return
        request, revision = self._asked
        if self.session.job is not request.job:
            self.session.said.emit("note", "The job has moved on: compare the file again")
            self._end()
        elif self.session.do(lambda _: revision.edit):
            part = request.job.part(request.part_id)
            self.session.said.emit("fine", f"{part.name} is now {request.path.name}, in the same pose")
            self._end()

    def _end(self) -> None:
        self._asked = None
        self.hide()

    def refresh(self) -> None:
        """What is shown is of the job as it was compared: once that has changed it is over."""
        if self._asked is not None and self.session.job is not self._asked[0].job:
            self._end()


def _drawn(revision: RevisedFile, rotation: Floats) -> QImage:
    """The revised mesh with its new faces marked, and of the one before only what is gone."""
    tints = {key: np.array(rgb(colour)) for key, colour in (
        ("same", DAY.part_tints[0]), ("fresh", DAY.ochre), ("gone", DAY.plum))}  # fmt: skip
    colours = np.where(revision.fresh[:, None], tints["fresh"], tints["same"])
    shapes = [(revision.after, colours)]
    if revision.gone.any():
        gone = revision.before.with_faces(revision.gone)
        shapes.append((gone, np.tile(tints["gone"], (len(gone.faces), 1))))
    return drawn(shapes, rotation, _SIZE)

"""A trial beside the job as it is now: a second 3D view and a second layer, with one camera and one current layer."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.job.job import Trial
from lean_trellis.studio.section_cut import SectionPlane
from lean_trellis.studio.session import Session
from lean_trellis.studio.strip.layer_sheet import LayerSheet
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.view3d.view import BuildView


class _Second(QWidget):
    """The view of one trial. It has a session of its own, which shares what is known; nothing in it is changed."""

    def __init__(self, session: Session, trial: Trial, tokens: Tokens) -> None:
        super().__init__()
        self.session = Session(session.library, session.settings, self, graph=session.graph)
        self.session.replace_job(trial.job, None)
        self.session.layers.want()
        self.view, self.sheet = BuildView(self.session, tokens), LayerSheet(self.session, has_legend=False)
        self.view.setAccessibleName(f"3D view of trial {trial.name}")
        self.sheet.setAccessibleName(f"Layer of trial {trial.name}")
        self.sheet.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)
        self.sheet.set_tokens(tokens)
        self.session.derived_changed.connect(self.sheet.refresh)
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(_named(trial.name))
        column.addWidget(self.view, 1)

    def finish(self) -> None:
        """It goes: the view lets go of its canvas, the worker ends."""
        self.hide()
        self.view.finish()
        self.session.close()
        self.sheet.deleteLater()
        self.deleteLater()


def _named(words: str) -> QLabel:
    made = QLabel(words)
    made.setAlignment(Qt.AlignmentFlag.AlignHCenter)
    return made


class SideBySide(QWidget):
    """The job's own 3D view and, while a trial is shown, that of the trial beside it.

    `below` holds what is shown under the views, and beside it the layer of the trial.
    """

    def __init__(self, session: Session, view: BuildView, sheets: QWidget, tokens: Tokens) -> None:
        super().__init__()
        self._session, self._view, self._tokens = session, view, tokens
        self._second: _Second | None = None
        self._plane: SectionPlane | None = None
        self._now = _named("Now")
        self._now.hide()
        own = QVBoxLayout()
        own.setSpacing(0)
        own.addWidget(self._now)
        own.addWidget(view, 1)
        self._views = QHBoxLayout(self)
        self._views.setContentsMargins(0, 0, 0, 0)
        self._views.setSpacing(0)
        self._views.addLayout(own, 1)
        self.below = QWidget()
        self._sheets = QHBoxLayout(self.below)
        self._sheets.setContentsMargins(0, 0, 0, 0)
        self._sheets.setSpacing(2)
        self._sheets.addWidget(sheets, 1)
        sheets.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)

    @property
    def second(self) -> BuildView | None:
        """The view of the trial, if one is shown."""
        return None if self._second is None else self._second.view

    @property
    def second_session(self) -> Session | None:
        """What that view shows."""
        return None if self._second is None else self._second.session

    def show_trial(self, trial: Trial | None) -> None:
        """Show a trial beside the job, in place of one before; None ends it."""
        if self._second is not None:
            self._view.looked_from.disconnect(self._second.view.follow)
            self._second.finish()
            self._second = None
        self._now.setVisible(trial is not None)
        if trial is None:
            return
        second = self._second = _Second(self._session, trial, self._tokens)
        self._views.addWidget(second, 1)
        self._sheets.addWidget(second.sheet, 1)
        second.show()
        second.view.start(warms_up=False)
        second.view.follow(self._view.eye)
        second.view.looked_from.connect(self._view.follow)
        self._view.looked_from.connect(second.view.follow)
        self.cut_at(self._plane)
        self.refresh()

    def cut_at(self, plane: SectionPlane | None) -> None:
        """The job's own view is cut open there: so is the other."""
        self._plane = plane
        if self._second is not None:
            self._second.session.cut_open(plane)
            self._second.view.scene.set_section(plane)
            self._second.view.refresh()

    def refresh(self) -> None:
        """Show the layer that the job's own sheet shows."""
        number = self._session.layers.number
        if self._second is not None and number is not None:
            self._second.session.layers.show(number)
            self._second.sheet.refresh()

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        if self._second is not None:
            self._second.view.set_tokens(tokens)
            self._second.sheet.set_tokens(tokens)
            self._second.view.refresh()

"""What frames the window: the header with job and shop, the status line with task, message and figures."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QSizePolicy, QWidget

from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import Tokens

_MESSAGE_MS = 12_000
_SHOWN_AFTER_MS = 150
"""What is done sooner is not shown as a task: the line would only flicker."""


def _quiet(text: str = "") -> QPushButton:
    button = QPushButton(text)
    button.setProperty("role", "quiet")
    return button


class Header(QWidget):
    """Job, saved or not; machine, material, layer height; the way to the action search."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 5, 10, 5)
        self.job_name, self.saved_mark, self.shop_words = QLabel(), QLabel(), QLabel()
        self.job_name.setProperty("role", "title")
        self.saved_mark.setProperty("role", "muted")
        self.find_action = _quiet("Find an action   Ctrl+K")
        self.find_action.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.job_name)
        layout.addWidget(self.saved_mark)
        layout.addSpacing(18)
        layout.addWidget(self.shop_words)
        layout.addStretch(1)
        layout.addWidget(self.find_action)

    def refresh(self) -> None:
        """Show the job as it is."""
        session, job = self._session, self._session.job
        self.job_name.setText(job.name)
        self.saved_mark.setText("" if session.is_saved else "not saved" if session.path is None else "changed")
        self.shop_words.setText(f"{job.machine.name}  ·  {job.material.name}  ·  {job.layer_height:g} mm layers")


class StatusLine(QWidget):
    """The running task with its cancel, what was last said, stops and cautions, support volume."""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__()
        self._session, self._tokens = session, tokens
        self._next_words = ""
        self.setObjectName("statusline")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(32)
        self.task_words, self.message, self.supports_words = QLabel(), QLabel(), QLabel()
        self.next_step = _quiet()
        self.next_step.setObjectName("status.next")
        self.next_step.setToolTip("Do the next step (Ctrl+J)")
        self.next_step.hide()
        self.progress = QProgressBar()
        self.progress.setFixedWidth(120)
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 100)
        self.cancel = _quiet("Cancel  Esc")
        self.cancel.clicked.connect(session.cancel)
        self.findings_words = _quiet()
        self.findings_words.setToolTip("Open the findings")
        self.findings_words.setAccessibleName("Findings")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 0, 12, 0)
        self._row = layout
        # A long message must not make the window wider: it is cut off here and whole in the tooltip.
        self.message.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        for widget in (self.task_words, self.next_step, self.progress, self.cancel):
            layout.addWidget(widget)
        layout.addWidget(self.message, 1)
        layout.addWidget(self.findings_words)
        layout.addWidget(self.supports_words)
        self._silence = single_shot(self, _MESSAGE_MS)
        self._silence.timeout.connect(self._fall_silent)
        self._begins = single_shot(self, _SHOWN_AFTER_MS)
        self._begins.timeout.connect(self._show_task)
        self._task = ""
        session.task_started.connect(self._task_started)
        session.task_progress.connect(self._task_progressed)
        session.task_ended.connect(self._task_ended)
        session.said.connect(self.say)
        session.replaced.connect(self._fall_silent)  # what was said was of the job before
        self._task_ended()

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens

    def refresh(self) -> None:
        """Show the figures of the build as it is."""
        session = self._session
        findings = session.unwaived()
        if findings is None:
            words = "checking …" if session.is_checking() else "not checked"
            self.findings_words.setText(words if session.job.parts else "")
        else:
            stops = sum(finding.severity == "stop" for finding in findings)
            cautions = sum(finding.severity == "caution" for finding in findings)
            self.findings_words.setText(f"⬣ {_counted(stops, 'stop')}   ▲ {_counted(cautions, 'caution')}")
        estimate = session.layers.estimate()
        takes = "" if estimate is None else f"   {hours_in_words(estimate.build_seconds)}"
        self.supports_words.setText(f"supports {session.volume_words(session.job.supports)}{takes}")

    def show_next(self, words: str) -> None:
        """Say what to do next, while no task is running."""
        self._next_words = words
        self.next_step.setText(f"Next: {words}")
        self.next_step.setVisible(bool(words) and self.progress.isHidden())
        if self.progress.isHidden():
            self.task_words.setText("" if words else "Ready")
            self.task_words.setVisible(not words)

    def _task_started(self, title: str) -> None:
        self._task = title
        self.progress.setValue(0)
        if self.progress.isHidden():
            self._begins.start()
        else:
            self._say_task()

    def _show_task(self) -> None:
        self.next_step.hide()
        for widget in (self.task_words, self.progress, self.cancel):
            widget.show()
        self._say_task()

    def _task_progressed(self, share: float, words: str) -> None:
        self.progress.setValue(round(share * 100))
        if words:
            self._task = words[:1].upper() + words[1:]
            self._say_task()

    def _say_task(self) -> None:
        """Say what runs, with room for it from the first moment on."""
        if not self.progress.isHidden() and self._task != self.task_words.text():
            self.task_words.setText(self._task)
            self._row.activate()

    def _task_ended(self) -> None:
        self._begins.stop()
        self.progress.hide()
        self.cancel.hide()
        self.show_next(self._next_words)

    def _fall_silent(self) -> None:
        self.say("", "")

    def finish(self) -> None:
        """The window closes: nothing more is said."""
        self._silence.stop()
        self._begins.stop()

    def say(self, kind: str, words: str) -> None:
        """Say what happened, for a while; the whole of it is in the tooltip."""
        signs = {"stop": "⬣ ", "fine": "✓ ", "note": ""}
        self.message.setText(f"{signs.get(kind, '')}{words}")
        self.message.setToolTip(words)
        colour = {"stop": self._tokens.stop, "fine": self._tokens.fine}.get(kind, self._tokens.muted)
        if self.message.styleSheet() != f"color: {colour}":
            self.message.setStyleSheet(f"color: {colour}")
        if words:
            self._silence.start()


def _counted(count: int, what: str) -> str:
    return f"{count:,} {what}" if count == 1 else f"{count:,} {what}s"

"""What blocks the current support, each with its cures."""

from __future__ import annotations

from textwrap import wrap

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from lean_trellis.core.checks import Cure, Finding
from lean_trellis.core.checks.changes import TakeSet, cure_of_all
from lean_trellis.core.checks.set_changes import CODE as SET_CHANGED
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.supports import Support
from lean_trellis.studio.cures import apply_cure
from lean_trellis.studio.forms.fields import muted, set_role
from lean_trellis.studio.requests import TryCures
from lean_trellis.studio.session import Session

_ROLES = {"stop": "stop", "caution": "warn", "note": "good"}
_IN_TROUBLE = frozenset({"bar_no_way", "walls_end_in_air", "raft_hole_closed", "raft_too_thick"})
"""Findings that the family's own words of trouble are about."""

_LETTERS = 52
_OF_PART = frozenset({"tips_over", "warp"})
"""Findings on a part that a support mends."""

_Problem = tuple[str, str, tuple[Cure, ...]]
"""How it looks, what is said, and what can be done about it."""


class Problems(QWidget):
    """A box for each problem and a button for each of its cures; a line where there is none."""

    wanted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: list[_Problem] | None = None
        self._tried: dict[Cure, Cure] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self.boxes: list[QLabel] = []
        self.cures: dict[str, QPushButton] = {}
        """The buttons by their words."""

    def show_support(self, support: Support | None) -> int:
        """Show the problems of a support; how many there are."""
        problems = self._of_part() if support is None else self._of(support)
        if problems != self._shown:
            self._shown, self._tried = problems, {}
            self._fill(problems)
        return len(problems)

    @property
    def text(self) -> str:
        """All that is said."""
        return "\n".join(box.text() for box in self.boxes)

    def _of_part(self) -> list[_Problem]:
        """Without a support: what one could mend."""
        part_id = self._session.selection.part
        mine = [f for f in self._session.findings() or () if f.part_id == part_id and f.code in _OF_PART]
        return _by_code(mine)

    def _of(self, support: Support) -> list[_Problem]:
        session = self._session
        problem, totals = session.problem_of(support), session.totals(support)
        if isinstance(problem, Cancelled):
            return [("warn", "Generating this support was cancelled: what is drawn is out of date. F5 resumes it.", ())]
        if problem is not None:
            return [("stop", f"{problem}  Nothing was generated.", ())]
        mine = [f for f in session.findings() or () if f.support_id == support.id]
        mine += [f for f in session.findings() or () if f.part_id == support.part_id and f.code in _OF_PART]
        mine += [f for f in session.findings() or () if f not in mine and _is_behind(support, f)]
        problems: list[_Problem] = []
        if totals is not None and totals.trouble:
            about = [finding for finding in mine if finding.code in _IN_TROUBLE]
            mine = [finding for finding in mine if finding not in about]
            problems.append(("warn", totals.trouble, _cures(about)))
        return problems + _by_code(mine)

    def _fill(self, problems: list[_Problem]) -> None:
        while (item := self._column.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.boxes, self.cures = [], {}
        if not problems:
            self._column.addWidget(muted("Nothing blocks this support."))
        for role, words, cures in problems:
            box = QLabel(words)
            box.setWordWrap(True)
            set_role(box, role)
            self.boxes.append(box)
            self._column.addWidget(box)
            for cure in cures:
                shown = self._tried.get(cure, cure)
                made = self.cures[cure.words] = QPushButton("\n".join(wrap(shown.words, _LETTERS)))
                made.clicked.connect(lambda _, cure=cure: self._press(cure))
                self._column.addWidget(made)

    def _press(self, cure: Cure) -> None:
        """Do what a cure says; what another version of a set would change is shown in numbers first."""
        behind = [f for f in self._session.findings() or () if f.code == SET_CHANGED and cure in f.cures]
        if not behind or cure in self._tried:
            apply_cure(self._session, cure, self.wanted.emit)
            return

        def tried(cures: tuple[Cure, ...]) -> None:
            self._tried = {cure: cures[0]}
            self._fill(self._shown or [])

        self._session.ask("Trying the set", TryCures(behind[0], self._session.job), tried)


def _is_behind(support: Support, finding: Finding) -> bool:
    """Whether a finding says that the set of a support has a later version."""
    return finding.code == SET_CHANGED and any(
        isinstance(cure.change, TakeSet) and cure.change.there.name == support.set_name
        and support.set_version < cure.change.there.version
        for cure in finding.cures
    )  # fmt: skip


def _by_code(findings: list[Finding]) -> list[_Problem]:
    """One problem for all findings of a code, the first in words."""
    problems: list[_Problem] = []
    for code in dict.fromkeys(finding.code for finding in findings):
        alike = [finding for finding in findings if finding.code == code]
        more = f" And {len(alike) - 1} more like it." if len(alike) > 1 else ""
        first = alike[0]
        words = first.message[:1].upper() + first.message[1:]
        problems.append((_ROLES[first.severity], f"{words}.{more}", _cures(alike)))
    return problems


def _cures(findings: list[Finding]) -> tuple[Cure, ...]:
    """What can be done here, each once."""
    every: list[Cure] = []
    for finding in findings:
        for cure in finding.cures:
            if cure.change is not None:
                whole = cure_of_all(cure, finding, findings)
                every += [cure] if whole is None else [cure, whole]
    return tuple({cure.words: cure for cure in reversed(every)}.values())[::-1]

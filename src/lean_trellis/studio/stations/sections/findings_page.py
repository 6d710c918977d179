"""The findings of a build: grouped by cause, filtered, each with value, limit, cause, cures and waiver."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.checks import Cure, Finding, not_examined
from lean_trellis.core.checks.changes import cure_of_all
from lean_trellis.core.checks.finding import CODE_TITLES, Topic
from lean_trellis.core.checks.grouping import FindingGroup, about, grouped
from lean_trellis.core.job.job import Job
from lean_trellis.studio.cures import apply_cure
from lean_trellis.studio.forms.fields import ChoiceField, figure, muted, row, set_role
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable, ten_rows
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.requests import TryCures
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.waiver_form import WaiverForm

_MEASURES = ("mm", "mm²", "mm³", "°", "°C")
_LONG_WORDS = 44
_SIGNS = {"stop": "⬣", "caution": "▲", "note": "●"}
_WAIVED = "◇"
_BESIDE = frozenset({
    "thin_wall", "area_jump", "recoater_edge", "too_near", "parts_overlap", "outside_volume", "keep_out", "tips_over",
    "too_flexible", "mesh_unsound", "pose_out_of_range", "load_across_layers", "trapped", "stack_gap",
})  # fmt: skip
"""Findings whose places are no undersides."""


class FindingsPage(QWidget):
    """The list, and below it what is known of the group that is chosen, a place at a time."""

    asks = pyqtSignal(object)

    def __init__(self, session: Session, show: Callable[[Topic], None]) -> None:
        super().__init__()
        self.session, self._show_topic = session, show
        self.groups: tuple[FindingGroup, ...] = ()
        self._chosen: FindingGroup | None = None
        self._place = 0
        self._tried: tuple[tuple[Finding, Job], tuple[Cure, ...]] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.whose, self.kind = ChoiceField(), ChoiceField()
        for field, name, words in ((self.whose, "findings.whose", "Parts"), (self.kind, "findings.kind", "Kind")):
            field.setObjectName(name)
            field.setAccessibleName(f"Findings by {words.lower()}")
            field.setMinimumContentsLength(12)
            field.chosen.connect(lambda _: self.refresh())
        column.addWidget(row(self.whose, self.kind, 1, spacing=6))
        self.table = PickTable(("", "Part", "Finding"), several=False, stretch=2, widths={0: 42, 1: 92})
        self.table.setObjectName("release.table")
        self.table.setMinimumHeight(ten_rows())
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.table.selected.connect(self._choose)
        column.addWidget(self.table, 1)
        self._add_details(column)

    def _add_details(self, column: QVBoxLayout) -> None:
        self.before = button("◀", lambda: self._step(-1), "The place before", name="findings.before")
        self.after = button("▶", lambda: self._step(1), "The next place", name="findings.after")
        self.before.setAccessibleName("The place before")
        self.after.setAccessibleName("The next place")
        self.places = muted()
        self.places.setWordWrap(False)
        self._steps = row(self.before, self.after, self.places, 1, spacing=6)
        column.addWidget(self._steps)
        self.message, self.measured, self.cause = figure(), figure(), muted()
        for widget in (self.message, self.measured, self.cause):
            column.addWidget(widget)
        self.cures = QWidget()
        self._cure_list = QVBoxLayout(self.cures)
        self._cure_list.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.cures)
        self.waiver = WaiverForm(self.session)
        column.addWidget(self.waiver)
        self.source, self.not_examined = muted(), muted()
        column.addWidget(self.source)
        column.addWidget(self.not_examined)

    # --- choosing ---

    @property
    def chosen(self) -> Finding | None:
        """The finding that is shown: of the chosen group the place that was stepped to."""
        if self._chosen is None:
            return None
        return self._chosen.findings[min(self._place, len(self._chosen.findings) - 1)]

    def _choose(self, keys: list[int]) -> None:
        self._chosen = self.groups[keys[0]] if keys and keys[0] < len(self.groups) else None
        self._place = 0
        self._go()

    def _step(self, by: int) -> None:
        if self._chosen is not None:
            self._place = (self._place + by) % len(self._chosen.findings)
            self._go()

    def _go(self) -> None:
        """Select what the finding is about, fly there, and show what is known of it."""
        chosen = self.chosen
        if chosen is not None:
            if chosen.part_id:
                self.session.select(parts=(chosen.part_id,))
            if chosen.support_id:
                self.session.select(support=chosen.support_id)
            if chosen.at_mm is not None:
                self.asks.emit(Fly(chosen.at_mm, is_underside=chosen.code not in _BESIDE))
        self._show_chosen()
        if chosen is not None and self._cures_of(chosen) is chosen.cures and _may_be_tried(chosen):
            self._try_cures(chosen)

    def _try_cures(self, finding: Finding) -> None:
        """Work out beside the window what the cures of a finding would bring."""
        request = TryCures(finding, self.session.job)

        def tried(cures: tuple[Cure, ...]) -> None:
            self._tried = (finding, request.job), cures
            if self.chosen == finding:
                self._show_chosen()

        self.session.ask("Trying cures", request, tried, instead=True)

    def _cures_of(self, finding: Finding) -> tuple[Cure, ...]:
        """Its cures with what they bring, where that is known of the job as it is now."""
        known = self._tried
        is_known = known is not None and known[0][0] == finding and known[0][1] is self.session.job
        return known[1] if known is not None and is_known else finding.cures

    def show_finding(self, finding: Finding) -> None:
        """Open a finding of the list, as a click on its row does; filters that hide it are taken off."""
        for number, group in enumerate(self.groups):
            if finding in group.findings:
                self._choose([number])
                self._place = group.findings.index(finding)
                self._go()
                self.refresh()
                return
        if self.whose.currentData() or self.kind.currentData():
            self.whose.setCurrentIndex(0)
            self.kind.setCurrentIndex(0)
            self.refresh()
            self.show_finding(finding)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the findings as they are now."""
        findings, job = self.session.findings(), self.session.job
        unseen = not_examined(job)
        self.not_examined.setVisible(bool(unseen) and findings is not None)
        self.not_examined.setText(f"Not examined: {', '.join(unseen)}. Note it at Setup.")
        if findings is None:
            self.groups, self._chosen = (), None
            self.table.show_rows([], [])
            self._show_chosen()
            return
        groups = grouped(findings, job, date.today())
        self._offer_filters(groups)
        owner, part_id = _owner_or_part(str(self.whose.currentData() or ""))
        self.groups = about(groups, job, owner=owner, part_id=part_id, code=str(self.kind.currentData() or ""))
        before = self.chosen
        self._chosen = next((one for one in self.groups if before in one.findings), None) if before else None
        if self._chosen is not None and before is not None:
            self._place = self._chosen.findings.index(before)
        selected = [self.groups.index(self._chosen)] if self._chosen is not None else []
        self.table.show_rows([(number, _cells(group)) for number, group in enumerate(self.groups)], selected)
        self._show_chosen()

    def _offer_filters(self, groups: tuple[FindingGroup, ...]) -> None:
        job = self.session.job
        owners = dict.fromkeys(part.owner for part in job.parts if part.owner)
        whose = [("", "All parts"), *((f"owner {owner}", owner) for owner in owners),
                 *((f"part {part.id}", part.name) for part in job.parts)]  # fmt: skip
        kinds = sorted({one.first.code for one in groups}, key=lambda code: CODE_TITLES.get(code, code))
        self.whose.offer(whose, str(self.whose.currentData() or ""))
        self.kind.offer([("", "All kinds"), *((code, CODE_TITLES.get(code, code).capitalize()) for code in kinds)],
                        str(self.kind.currentData() or ""))  # fmt: skip

    def _show_chosen(self) -> None:
        while (item := self._cure_list.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        chosen, group = self.chosen, self._chosen
        for part in (self.message, self.measured, self.cause, self.cures):
            part.setVisible(chosen is not None)
        self.source.setVisible(chosen is not None and bool(chosen.source))
        self._steps.setVisible(group is not None and len(group.findings) > 1)
        self.waiver.show_group(group)
        if chosen is None or group is None:
            return
        self.places.setText(f"Place {self._place + 1} of {len(group.findings)}")
        set_role(self.message, {"stop": "stop", "caution": "warn", "note": "good"}[chosen.severity])
        self.message.setText(f"{chosen.part}: {chosen.message}")
        measured = "no support" if chosen.value is None else measure(chosen.value, chosen.unit)
        limit = "" if chosen.limit is None else f", limit {measure(chosen.limit, chosen.unit)}"
        place = "" if chosen.at_mm is None else "\nat x {:.1f}  y {:.1f}  z {:.1f}".format(*chosen.at_mm)
        self.measured.setText(f"Measured: {measured}{limit}{place}")
        self.cause.setText(f"Cause: {chosen.cause}.")
        self.source.setText(f"Limit: {chosen.source}.")
        for cure in self._cures_of(chosen):
            for offered in (cure, cure_of_all(cure, chosen, self.session.findings() or ())):
                if offered is not None:
                    made = QPushButton(_in_lines(offered.words))
                    made.clicked.connect(lambda _, c=offered: self.apply_cure(c))
                    self._cure_list.addWidget(made)

    def apply_cure(self, cure: Cure) -> None:
        """Do what a cure says."""
        apply_cure(self.session, cure, self._show_topic)


def _cells(group: FindingGroup) -> tuple[str, str, str]:
    """The sign with the number of places where there are several, the part, what was found."""
    first, count = group.first, len(group.findings)
    sign = _WAIVED if group.is_waived else _SIGNS[first.severity]
    words = f"Waived: {first.title}" if group.is_waived else _short(first)
    return f"{sign} {count}" if count > 1 else sign, first.part, words


def _short(finding: Finding) -> str:
    """What was found in a few words with its measure; the whole message stands below the list."""
    words = finding.title.capitalize()
    if finding.value is None:
        return words
    return f"{words}, {measure(finding.value, finding.unit, is_short=True)}"


def measure(value: float, unit: str, *, is_short: bool = False) -> str:
    """A measured value or a limit with its unit: counts without digits, other measures with two at most."""
    is_count = unit not in _MEASURES and float(value).is_integer()
    whole_from, tenths_from = (10, 1) if is_short else (1000, 1000)
    digits = 0 if is_count or abs(value) >= whole_from else 1 if unit == "°" or abs(value) >= tenths_from else 2
    return f"{value:,.{digits}f}{'' if unit == '°' else ' '}{unit}".rstrip()


def _in_lines(words: str) -> str:
    """What a cure does on one line, and what it brings below where both do not fit."""
    return words.replace(": ", "\n", 1) if len(words) > _LONG_WORDS else words


def _owner_or_part(key: str) -> tuple[str, str]:
    kind, _, name = key.partition(" ")
    return (name, "") if kind == "owner" else ("", name)


def _may_be_tried(finding: Finding) -> bool:
    return any(cure.change is not None for cure in finding.cures)

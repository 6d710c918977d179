"""Find the best: values of a recipe's rule tried on the current part, the trade-offs as a scatter, one to be taken."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import Edit, keep_trial
from lean_trellis.core.job.job import Job
from lean_trellis.core.search.best_values import FIGURES, Candidate, FoundValues, SearchWish
from lean_trellis.core.search.candidates import OpenValue, levels
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, Use
from lean_trellis.core.supports.common.parameters import Declared
from lean_trellis.studio.errands import do_beside
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, muted, number_row, row
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.scatter import Points, Scatter, shown_figure
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.recipe_requests import FindBest
from lean_trellis.studio.session import Session

_TABLE_PX = 96
_STEPS = 6
_SPREAD = 1.6
"""A range offered at first reaches from the value over this to the value times this."""


class FindBestSection(Fold):
    """The open values of the rule that is current, the search, what it found."""

    saved = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__("Find the best values", is_open=False)
        self.session = session
        self._recipe: Recipe | None = None
        self._rule = ""
        self._opened: dict[str, OpenValue] = {}
        self._values: FoundValues | None = None
        self._job: Job | None = None
        self._chosen = -1
        self.value = ChoiceField()
        self.value.setObjectName("best.value")
        self.value.setMinimumContentsLength(16)
        self.value.chosen.connect(lambda _: self._offer_range())
        self.low, self.high = NumberField(width=58), NumberField(width=58)
        self.low.setObjectName("best.low")
        self.high.setObjectName("best.high")
        self.add = button("Open", self._open, "Try this value over the range", name="best.open")
        self.table = PickTable(("Open value", "Tried"), several=False, stretch=1)
        self.table.setObjectName("best.values")
        self.table.setAccessibleName("Open values")
        self.table.setFixedHeight(_TABLE_PX)
        self.close_one = button("Fix again", self._close, "Do not try the selected value", name="best.close")
        self.most, self.seconds = NumberField(width=58), NumberField("s", width=58)
        self.most.show_value(120)
        self.seconds.show_value(60)
        self.go = button("Search", self.search, "Tries combinations on the current part; the job stays as it is",
                         name="best.go")  # fmt: skip
        self.across, self.up = ChoiceField(), ChoiceField()
        titles = [(key, words) for key, (words, _) in FIGURES.items()]
        for choice, current, name in ((self.across, "volume_mm3", "to the right"), (self.up, "contact_mm2", "upwards")):
            choice.offer(titles, current)
            choice.setAccessibleName(f"Figure {name}")
            choice.setMinimumContentsLength(10)
            choice.chosen.connect(lambda _: self.refresh())
        self.scatter = Scatter()
        self.scatter.setObjectName("best.scatter")
        self.scatter.selected.connect(self._choose)
        self._axes = row(self.up, "over", self.across, 1, spacing=6)
        self.words = muted()
        self.words.setObjectName("best.words")
        self.title = TextField()
        self.title.setObjectName("best.title")
        self.title.setAccessibleName("Name of the trial or set")
        self.title.setPlaceholderText("Name of the trial or set")
        self.take = button("Take", self._take, "Support the part with these values", name="best.take")
        self.take.setProperty("role", "main")
        self.keep = button("Keep as trial", self._keep, name="best.keep")
        self.save = button("Save as set", self._save, "The values of the rule's set as a set of your own",
                           name="best.save")  # fmt: skip
        self._taking: tuple[QWidget, ...] = (self.title, row(self.take, self.keep, self.save, 1, spacing=5))
        for widget in (
            row("Value", self.value, 1), row("from", self.low, "to", self.high, self.add, 1, spacing=5), self.table,
            row(self.close_one, 1), number_row("Combinations at most", self.most), number_row("Time", self.seconds),
            row(self.go, 1), self._axes, self.scatter, self.words, *self._taking,
        ):  # fmt: skip
            self.body.addWidget(widget)

    # --- what is open ---

    def show_recipe(self, recipe: Recipe | None, rule: str) -> None:
        """Of which rule values can be opened."""
        if recipe != self._recipe or rule != self._rule:
            self._recipe, self._rule = recipe, rule
            self._opened = {}
        self.refresh()

    def _use(self) -> Use | None:
        if self._recipe is None or not any(rule.name == self._rule for rule in self._recipe.rules):
            return None
        uses = self._recipe.rule(self._rule).uses
        return uses[0] if uses and uses[0].set in self.session.sets.every() else None

    def _declared(self) -> dict[str, Declared]:
        use = self._use()
        if use is None:
            return {}
        declared = type(self.session.sets.every()[use.set].parameters).declared()
        return {one.key: one for one in declared if one.kind in ("number", "count", "choice", "switch")}

    def _offer_range(self) -> None:
        """A range round the value that the rule has."""
        known, use = self._declared().get(str(self.value.currentData())), self._use()
        is_number = known is not None and known.kind in ("number", "count")
        self.low.setEnabled(is_number)
        self.high.setEnabled(is_number)
        if known is None or use is None or not is_number:
            self.low.show_value(None)
            self.high.show_value(None)
            return
        now = float(getattr(use.parameters(self.session.sets.every()), known.key) or 0)
        least, most = known.least or 0.0, known.most if known.most is not None else now * _SPREAD
        self.low.show_value(round(max(now / _SPREAD, least), 2))
        self.high.show_value(round(min(now * _SPREAD, most), 2))

    def _open(self) -> None:
        known = self._declared().get(str(self.value.currentData()))
        if known is None:
            return
        try:
            if known.kind == "choice":
                values: tuple[float | int | bool | str, ...] = known.choices
            elif known.kind == "switch":
                values = (False, True)
            else:
                values = levels(self.low.value, self.high.value, _STEPS)
                if known.kind == "count":
                    values = tuple(dict.fromkeys(round(float(value)) for value in values))
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self._opened[known.key] = OpenValue(self._rule, 0, known.key, values)
        self.refresh()

    def _close(self) -> None:
        for key in self.table.selected_keys():
            self._opened.pop(key, None)
        self.refresh()

    # --- the search ---

    def search(self) -> None:
        """Try combinations beside the window."""
        part, recipe, job = self.session.part, self._recipe, self.session.job
        if part is None or recipe is None:
            return
        try:
            most, seconds = round(self.most.value), self.seconds.value
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        wish = SearchWish(job, part.id, recipe, dict(self.session.sets.every()), tuple(self._opened.values()),
                          min(max(most, 1), 2000), max(seconds, 1.0))  # fmt: skip

        def show(values: FoundValues) -> None:
            self._values, self._job, self._chosen = values, job, -1
            if not values.best:
                self.session.said.emit("caution", "None of those that were checked is without a stop")
            self.refresh()

        self.session.ask(f"Finding the best values for {part.name}", FindBest(wish), show)

    def _choose(self, place: int) -> None:
        self._chosen = place
        self.refresh()

    def _candidate(self) -> Candidate | None:
        return self._values.candidates[self._chosen] if self._values is not None and self._chosen >= 0 else None

    def _is_of_now(self) -> bool:
        part = self.session.part
        return (
            self._values is not None and self._job is not None and part is not None
            and self._values.wish.part_id == part.id and self._job.part(part.id) == part
        )  # fmt: skip

    def _edit(self, name: str = "") -> None:
        """Make the supports of the chosen candidate beside the window, in the job as it is; keep them under a name."""
        values, number = self._values, self._chosen
        if values is not None and number >= 0:
            now = replace(values, wish=replace(values.wish, job=self.session.job))
            do_beside(
                self.session, "Taking found values", partial(_with_candidate, results=now, number=number, name=name)
            )

    def _take(self) -> None:
        self._edit()

    def _keep(self) -> None:
        self._edit(self.title.text().strip() or f"found {self._chosen + 1}")
        self.title.clear()

    def _save(self) -> None:
        candidate, use, results = self._candidate(), self._use(), self._values
        if candidate is None or use is None or results is None:
            return
        base = self.session.sets.every()[use.set]
        values = {one.key: value for one, value in zip(results.wish.opened, candidate.values, strict=True)}
        try:
            parameters = use.parameters(self.session.sets.every()).with_values(values)
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        title = self.title.text()

        def save() -> ParameterSet:
            saved = replace(base, parameters=parameters)
            return self.session.sets.save_as(saved, title, note="found by trying values")

        def done(kept: ParameterSet) -> None:
            self.title.clear()
            self.session.said.emit("fine", f"Saved {kept.title}")
            self.saved.emit(kept.name)

        self.session.library_work.ask(save, done)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show what is open and what was found."""
        declared = self._declared()
        current = str(self.value.currentData())
        self.value.offer([(key, one.label) for key, one in declared.items()], current if current in declared else "")
        if current not in declared:
            self._offer_range()
        labels = {key: declared[key].label if key in declared else key for key in self._opened}
        rows = [(key, (labels[key], _tried(one))) for key, one in self._opened.items()]
        self.table.show_rows(rows, self.table.selected_keys())
        self.close_one.setEnabled(bool(self._opened))
        self.go.setEnabled(self.session.part is not None and bool(self._opened))
        shows = self._is_of_now() and self._values is not None and bool(self._values.best)
        for widget in (self._axes, self.scatter):
            widget.setVisible(shows)
        candidate = self._candidate()
        for widget in self._taking:
            widget.setVisible(shows and candidate is not None)
        self.words.setText(self._words_of(candidate, shows=shows))
        if shows and self._values is not None:
            axes = str(self.across.currentData()), str(self.up.currentData())
            self.scatter.show_points(_points(self._values), axes, self._chosen)

    def _words_of(self, candidate: Candidate | None, *, shows: bool) -> str:
        if not shows or self._values is None:
            return "Open one value or more of the rule above; the best without stops are shown."
        results = self._values
        if candidate is None:
            untried = f", {results.untried} not tried for want of time" if results.untried else ""
            return f"{len(results.candidates)} tried{untried}; {len(results.best)} without stops. Click one."
        declared = self._declared()
        values = [f"{declared[one.key].label if one.key in declared else one.key} {value}"
                  for one, value in zip(results.wish.opened, candidate.values, strict=True)]  # fmt: skip
        figures = [f"{words.lower()} {shown_figure(candidate.figures[key])} {unit}".rstrip()
                   for key, (words, unit) in FIGURES.items() if key in candidate.figures]  # fmt: skip
        return f"{', '.join(values)}: {', '.join(figures)}."


def _with_candidate(job: Job, *, results: FoundValues, number: int, name: str) -> Edit:
    """The job with the supports of a candidate, or with these kept as a trial where there is a name."""
    edit = results.edit(number)
    return keep_trial(job, name, edit.job) if name else edit


def _tried(one: OpenValue) -> str:
    return ", ".join(f"{value:g}" if isinstance(value, float) else str(value) for value in one.values)


def _points(values: FoundValues) -> Points:
    """The best as points; a figure that is not known of one is drawn as the worst that is known."""
    table = np.array([[one.figures.get(key, np.nan) for key in FIGURES] for one in values.candidates], np.float64)
    known = np.where(np.isnan(table), -np.inf, table).max(axis=0)
    table = np.where(np.isnan(table), np.where(np.isfinite(known), known, 0.0), table)
    best = np.array(values.best, np.int64)
    return Points(FIGURES, table, best, best[:9])

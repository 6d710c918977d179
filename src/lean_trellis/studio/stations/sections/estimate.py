"""What the build takes by cause, by body, part or owner, and what would save most."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.job import Job
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.layers.estimate import Estimate, Share
from lean_trellis.core.search.savings import Saving
from lean_trellis.studio.forms.fields import ChoiceField, head, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.requests import FindSavings
from lean_trellis.studio.session import Session

_BY = [("body", "By body"), ("part", "By part with its supports"), ("owner", "By owner")]


class EstimateSection(QWidget):
    """Time and cost by cause, shares, savings."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.causes = PickTable(("What it takes", "Time", "EUR"), several=False)
        self.bodies = PickTable(("Whose", "Time", "g"), several=False)
        self.causes.setObjectName("layers.causes")
        self.bodies.setObjectName("layers.bodies")
        self.causes.setAccessibleName("Time and cost by cause")
        self.bodies.setAccessibleName("Shares of time and material")
        column.addWidget(self.causes, 3)
        self.by = ChoiceField()
        self.by.setObjectName("layers.by")
        self.by.setAccessibleName("Shares by")
        self.by.offer(_BY, "body")
        self.by.chosen.connect(lambda _: self.refresh())
        column.addWidget(row(self.by, 1))
        column.addWidget(self.bodies, 2)
        self.look = button("What would save most?", self._look, "Each is computed as a build", name="savings.look")
        self.take = button("Take it", self._take, "Make the chosen change; undo takes it back", name="savings.take")
        column.addWidget(head("Savings"))
        column.addWidget(row(self.look, 1, self.take, spacing=6))
        self.savings = PickTable(("Change", "Time", "EUR"), several=False)
        self.savings.setObjectName("savings.table")
        self.savings.setAccessibleName("What would save most")
        self.savings.selected.connect(lambda _: self._show_words())
        column.addWidget(self.savings, 2)
        self.words = muted("Own paths and material of each; speeds, rates and prices are values at Setup.")
        column.addWidget(self.words)
        self._found: tuple[Saving, ...] = ()
        self._found_for: Job | None = None

    # --- savings ---

    def _look(self) -> None:
        job = self.session.job

        def found(savings: tuple[Saving, ...]) -> None:
            self._found, self._found_for = savings, job
            self.refresh()
            self.session.said.emit("note", f"{len(savings)} savings found" if savings else "Nothing saves anything")

        self.session.ask("Looking for savings", FindSavings(job), found)

    def _chosen(self) -> Saving | None:
        keys = self.savings.selected_keys()
        return self._found[keys[0]] if keys and keys[0] < len(self._found) else None

    def _take(self) -> None:
        chosen = self._chosen()
        if chosen is not None:
            self.session.do(chosen.edit)

    def _show_words(self) -> None:
        chosen = self._chosen()
        self.take.setEnabled(chosen is not None)
        if chosen is not None:
            fewer = f" and {chosen.material_changes} changes of material" if chosen.material_changes > 0 else ""
            more = f"; {chosen.cautions_more} more cautions" if chosen.cautions_more > 0 else ""
            self.words.setText(f"{chosen.words} saves {hours_in_words(chosen.seconds)}{fewer}{more}.".capitalize())

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the estimate of the job as it is; savings only as long as they are of this very job."""
        if self._found_for is not self.session.job:
            self._found = ()
        self.look.setEnabled(bool(self.session.job.parts))
        self.savings.show_rows(
            [(number, (one.words, hours_in_words(one.seconds), f"{one.cost:,.2f}"))
             for number, one in enumerate(self._found)], self.savings.selected_keys(),
        )  # fmt: skip
        self.take.setEnabled(self._chosen() is not None)
        estimate = self.session.layers.estimate()
        if estimate is None:
            self.causes.show_rows([], [])
            self.bodies.show_rows([], [])
            return
        times = [(f"time {cause}", (cause.capitalize(), hours_in_words(seconds), ""))
                 for cause, seconds in estimate.seconds_by.items() if seconds > 0]  # fmt: skip
        money = [
            (f"cost {cause}", (cause.capitalize(), "", f"{value:,.2f}")) for cause, value in estimate.costs.items()
        ]
        self.causes.show_rows([*times, *money], [])
        self.bodies.show_rows(
            [(f"{number}", (name, hours_in_words(seconds), f"{grams:,.1f}"))
             for number, (name, seconds, grams) in enumerate(self._shares(estimate))], [],
        )  # fmt: skip

    def _shares(self, estimate: Estimate) -> Iterator[tuple[str, float, float]]:
        """Name, seconds and grams of each body, of each part with its supports, or of each owner."""
        by = str(self.by.currentData())
        if by == "body":
            yield from ((one.name, one.seconds, one.grams) for one in estimate.shares)
            return
        groups: dict[str, list[Share]] = {}
        for one in estimate.shares:
            groups.setdefault(self._group(one, by), []).append(one)
        for name, mine in groups.items():
            yield name or "nobody", sum(one.seconds for one in mine), sum(one.grams for one in mine)

    def _group(self, share: Share, by: str) -> str:
        """What a share is counted with."""
        if by == "owner":
            return share.owner
        job = self.session.job
        if share.kind == "support":
            return job.part(job.support(share.id).part_id).name
        return share.name

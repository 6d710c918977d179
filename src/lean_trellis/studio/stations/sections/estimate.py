"""What the build takes: by cause; by body, part or owner."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.layers.estimate import Estimate, Share
from lean_trellis.studio.forms.fields import ChoiceField, muted, row
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.session import Session

_BY = [("body", "By body"), ("part", "By part with its supports"), ("owner", "By owner")]


class EstimateSection(QWidget):
    """Time and cost by cause, and shares."""

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
        column.addWidget(muted("Own paths and material of each; speeds, rates and prices are values at Setup."))

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the estimate of the job as it is."""
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

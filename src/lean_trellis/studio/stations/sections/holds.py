"""What holds the build at the current layer: each support and the plate, and the holds that are used most there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.parts.part import Part
from lean_trellis.core.strength.growth_use import GrowthUse
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.studio.forms.fields import head, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import NOTHING, PickTable
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.session import Session

_MOST_USED = 12


class HoldsSection(QWidget):
    """The build so far: what stands, what holds it, how much of its strength each hold uses at this layer."""

    asks = pyqtSignal(object)
    chosen = pyqtSignal(int)
    """The number of a layer to go to."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.words = muted()
        self.words.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.go = button("Go there", self._go, "Make the layer of greatest danger the current one", name="holds.go")
        column.addWidget(row(self.words, self.go, spacing=6))
        self.table = PickTable(("Support", "Here", "Most"), several=False, stretch=0)
        self.table.setObjectName("holds.table")
        self.table.setAccessibleName("What holds the build at this layer")
        column.addWidget(self.table, 2)
        column.addWidget(head("Used most at this layer"))
        self.worst = PickTable(("Place, mm", "Part", "Used"), several=False, stretch=0)
        self.worst.setObjectName("holds.worst")
        self.worst.setAccessibleName("Holds used most at this layer")
        self.worst.selected.connect(self._fly)
        column.addWidget(self.worst, 2)
        column.addWidget(muted("1 is the whole strength. The bond to the plate counts as a hold."))

    def _go(self) -> None:
        profile, danger = self.session.layers.profile(), self.session.layers.danger()
        if profile is not None and danger is not None and danger.worst is not None:
            self.chosen.emit(int(profile.numbers[danger.worst]))

    def _fly(self, keys: list[tuple[float, float, float]]) -> None:
        if keys:
            self.asks.emit(Fly(keys[0]))

    def refresh(self) -> None:
        """Show what is known of the current layer."""
        self._show_danger()
        height = self._height()
        rows: list[tuple[str, tuple[object, ...]]] = []
        holds: list[tuple[float, tuple[float, float, float], str]] = []
        for part in self.session.job.parts:
            use = self.session.layers.growth(part)
            if use is None or height is None:
                continue
            at = int(use.rows_at(np.array([height]))[0])
            rows += self._rows_of(part, use, at)
            if at >= 0:
                holds += _holds_of(part, use, at)
        self.table.show_rows(sorted(rows, key=lambda entry: entry[1][1] == NOTHING), [])
        holds.sort(key=lambda entry: -entry[0])
        self.worst.show_rows(
            [(place, (f"{place[0]:.1f}  {place[1]:.1f}  {place[2]:.1f}", name, round(used, 3)))
             for used, place, name in holds[:_MOST_USED]], [],
        )  # fmt: skip

    def _height(self) -> float | None:
        profile, number = self.session.layers.profile(), self.session.layers.number
        if profile is None or not len(profile) or number is None:
            return None
        return float(profile.tops[profile.place_of(number)])

    def _show_danger(self) -> None:
        profile, danger = self.session.layers.profile(), self.session.layers.danger()
        is_known = profile is not None and danger is not None and len(danger.used) == len(profile)
        worst = danger.worst if is_known and danger is not None else None
        self.go.setEnabled(worst is not None)
        if not self.session.job.parts:
            self.words.setText("No parts yet.")
        elif not is_known:
            self.words.setText("Working out loads by height …")
        elif worst is None:
            self.words.setText("Nothing is loaded while this is built.")
        else:
            assert profile is not None
            assert danger is not None
            name = self.session.job.part(danger.ids[danger.parts[worst]]).name
            self.words.setText(
                f"Greatest danger: {danger.used[worst]:.2f} of its strength at "
                f"{UNITS.length(float(profile.tops[worst]))}, {name}"
            )

    def _rows_of(self, part: Part, use: GrowthUse, at: int) -> Iterator[tuple[str, tuple[object, ...]]]:
        """A row for the plate and each support of a part; `at` is the level, -1 where nothing acts on it."""
        if len(use.plate) and use.plate.max() > 0:
            here = NOTHING if at < 0 else f"{use.plate[at]:.2f}"
            yield f"{part.id} plate", (f"{part.name}: the plate", here, f"{use.plate.max():.2f}")
        for support in self.session.job.supports_of(part.id):
            usage = use.supports.get(support.id)
            if usage is None or not usage.used.size:
                continue
            here = NOTHING if at < 0 else f"{usage.used[at].max():.2f}"
            words = f"{part.name}: {spec_of(support).title.lower()}"
            yield support.id, (words, here, f"{usage.used.max():.2f}")


def _holds_of(part: Part, use: GrowthUse, at: int) -> Iterator[tuple[float, tuple[float, float, float], str]]:
    """The most used holds of a part at a level: how much, where, whose."""
    for usage in use.supports.values():
        if usage.used.shape[1]:
            for number in np.argsort(-usage.used[at], kind="stable")[:_MOST_USED].tolist():
                if usage.used[at, number] > 0:
                    x, y, z = usage.places[number].tolist()
                    yield float(usage.used[at, number]), (x, y, z), part.name

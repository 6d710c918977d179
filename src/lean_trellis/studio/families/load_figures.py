"""Figures of supports that are not made of bars: what they are coloured by, the ten most loaded contacts, constants."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel

from lean_trellis.core.strength.figures import FIGURES, USED_WORDS, GripFigures
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.studio.families.bar_figures import FigureLegend
from lean_trellis.studio.forms.fields import ChoiceField, figure, muted, row
from lean_trellis.studio.forms.section import Section
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import ColourBy, Fly
from lean_trellis.studio.session import Session


class LoadsSection(Section):
    """What the contacts of the current support carry."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Figures", is_open=False)
        self.choice = ChoiceField()
        self.choice.setObjectName("loads.colour")
        self.choice.offer([("", "plain"), *((key, words) for key, (words, _) in FIGURES.items())], "")
        self.choice.chosen.connect(self._colour)
        self.body.addWidget(row(QLabel("Colour by"), self.choice, 1))
        self.legend = FigureLegend()
        self.body.addWidget(self.legend)
        self.words = figure()
        self.body.addWidget(self.words)
        self.table = PickTable(
            ("Contact", "Used", "By", "N"), several=False, stretch=2, widths={0: 70, 1: 48, 3: 60}
        )  # fmt: skip
        self.table.setObjectName("loads.worst")
        self.table.setFixedHeight(316)
        self.table.selected.connect(self._fly)
        self.body.addWidget(self.table)
        self.source = muted()
        self.body.addWidget(self.source)

    @property
    def _figures(self) -> GripFigures | None:
        support = self.session.support
        return None if support is None else self.session.grip_figures(support)

    def _colour(self, key: str) -> None:
        self.asks.emit(ColourBy(str(self.choice.currentData())))
        self.refresh()

    def _fly(self, keys: list[int]) -> None:
        figures = self._figures
        if figures is not None and keys and keys[0] < len(figures.used):
            x, y, z = figures.places[keys[0]].tolist()
            self.asks.emit(Fly((x, y, z)))

    def refresh(self) -> None:
        """Show the figures of the current support."""
        support, figures = self.session.support, self._figures
        key = str(self.choice.currentData())
        self.legend.setVisible(bool(key) and figures is not None)
        if key:
            self.legend.show_range(self.session.figure_range(key), FIGURES[key][1])
        has_figures = figures is not None and len(figures.used) > 0
        self.table.setVisible(has_figures)
        self.source.setVisible(has_figures)
        if support is None or figures is None or not has_figures:
            self.words.setText("Select a support in the list." if support is None else "Working out loads …")
            if support is not None and figures is not None:
                self.words.setText(f"{spec_of(support).title} touches the part nowhere: it carries nothing.")
            self.table.show_rows([], [])
            return
        self.words.setText(loads_in_words(figures))
        self.table.show_rows([
            (number, (number + 1, float(figures.used[number]), USED_WORDS[int(figures.used_by[number])],
                      float(figures.loads_n[number])))
            for number in figures.worst.tolist()
        ], [])  # fmt: skip
        self.source.setText(f"Constants: {figures.source}.")


def loads_in_words(figures: GripFigures) -> str:
    """The greatest of each figure over a support."""
    over = int((figures.used > 1).sum())
    verdict = f"{over} contact{'s' * (over != 1)} would fail" if over else "no contact is overloaded"
    return (
        f"{verdict}: highest utilisation {100 * float(figures.used.max()):,.0f} %\n"
        f"load up to {float(figures.loads_n.max()):,.2f} N on {len(figures.used):,} contacts"
    )

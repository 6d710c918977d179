"""Figures of bars: what they are coloured by with its legend, and the ten most loaded."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from lean_trellis.core.job.edits import Edit, change_support
from lean_trellis.core.job.job import Job
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.bars.facts.figures import FIGURES, USED_WORDS, BarFigures
from lean_trellis.core.supports.bars.facts.report import way_in_words
from lean_trellis.core.supports.bars.offer import TreeOffer
from lean_trellis.core.supports.bars.parameters import bar_parameters
from lean_trellis.core.supports.bars.struts import ON_PART, ON_TRUNK, Bars
from lean_trellis.studio.forms.fields import ChoiceField, figure, muted, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.hand_requests import OfferTrees
from lean_trellis.studio.messages import ColourBy, Fly
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import DAY, Tokens

_STANDS = {0: "the plate", ON_PART: "the part", ON_TRUNK: "a trunk"}


class FigureLegend(QWidget):
    """What the colours of bars mean: a band from the least to the greatest value."""

    def __init__(self) -> None:
        super().__init__()
        self.tokens: Tokens = DAY
        self._limits, self._unit = (0.0, 1.0), ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """One row."""
        return QSize(240, 30)

    def show_range(self, limits: tuple[float, float], unit: str) -> None:
        """Show other limits."""
        self._limits, self._unit = limits, unit
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the band with both ends and its middle."""
        painter, t = QPainter(self), self.tokens
        width = self.width() - 2
        band = QLinearGradient(0, 0, width, 0)
        for place, colour in ((0.0, t.verdigris), (0.5, t.straw), (1.0, t.stop)):
            band.setColorAt(place, QColor(colour))
        painter.fillRect(QRectF(0, 2, width, 9), band)
        painter.setPen(QColor(t.muted))
        low, high = self._limits
        sides = Qt.AlignmentFlag
        for side, value in ((sides.AlignLeft, low), (sides.AlignHCenter, (low + high) / 2), (sides.AlignRight, high)):
            painter.drawText(QRectF(0, 13, width, 16), side, f"{value:,.3g} {self._unit}".strip())


class FiguresSection(Section):
    """Figures of the bars of the current support."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Figures", is_open=False)
        self.choice = ChoiceField()
        self.choice.setObjectName("figures.colour")
        offered = [("", "plain"), *((key, words) for key, (words, _) in FIGURES.items())]
        self.choice.offer(offered, "")
        self.choice.chosen.connect(self._colour)
        self.body.addWidget(row(QLabel("Colour bars by"), self.choice, 1))
        self.legend = FigureLegend()
        self.body.addWidget(self.legend)
        self.words = figure()
        self.body.addWidget(self.words)
        hint = "Make the same bars joined into trees, and compare"
        self.offer_trees = button("What would trees save?", self._ask_for_trees, hint, name="figures.trees")
        self.join_trees = button("Join into trees", self._join, name="figures.join")
        self.offered = figure()
        self.body.addWidget(row(self.offer_trees, self.join_trees, 1))
        self.body.addWidget(self.offered)
        self._offer: tuple[Support, Bars, TreeOffer] | None = None
        columns, widths = ("Bar", "Used", "By", "N", "Free mm"), {0: 54, 1: 48, 3: 54, 4: 68}
        self.table = PickTable(columns, several=False, stretch=2, widths=widths)
        self.table.setObjectName("figures.worst")
        self.table.setFixedHeight(316)
        self.table.selected.connect(self._fly)
        self.body.addWidget(self.table)
        self.source = muted()
        self.body.addWidget(self.source)

    def _ask_for_trees(self) -> None:
        support, job = self.session.support, self.session.job
        bars = None if support is None else self.session.bars(support)
        if support is None or bars is None:
            return

        def answered(offer: TreeOffer) -> None:
            self._offer = (support, bars, offer)
            self.refresh()

        self.session.ask("Making trees to compare", OfferTrees(job, support), answered)

    def _join(self) -> None:
        if self._offer is None:
            return
        support, _, offer = self._offer

        def edit(job: Job) -> Edit:
            for key, value in offer.values:
                job = change_support(job, support.id, key, value).job
            return Edit("Join into trees", job)

        self.session.do(edit)

    def _show_offer(self, support: Support | None, bars: Bars | None) -> None:
        """The offer, as long as it is for the bars as they are now."""
        may = support is not None and bars is not None and len(bars) > 1 and bar_parameters(support).join == "off"
        known = self._offer[2] if self._offer is not None and self._offer[1] is bars else None
        self.offer_trees.setVisible(may)
        self.join_trees.setVisible(may and known is not None and known.saves)
        self.offered.setVisible(may and known is not None)
        self.offered.setText("" if known is None else str(known))

    def _colour(self, key: str) -> None:
        self.asks.emit(ColourBy(str(self.choice.currentData())))
        self.refresh()

    def _fly(self, keys: list[int]) -> None:
        """To the bar, which is selected then."""
        support = self.session.support
        bars = None if support is None else self.session.bars(support)
        if bars is None or not keys or keys[0] >= len(bars):
            return
        self.session.select(bars=frozenset(keys))
        x, y, z = ((bars.holds[keys[0]] + bars.centres[keys[0], 0]) / 2).tolist()
        self.asks.emit(Fly((x, y, z)))

    def refresh(self) -> None:
        """Show the figures of the current support."""
        support = self.session.support
        bars = None if support is None else self.session.bars(support)
        figures = None if support is None or bars is None else self.session.figures(support)
        self._show_offer(support, bars)
        key = str(self.choice.currentData())
        self.legend.setVisible(bool(key) and figures is not None)
        if key:
            self.legend.show_range(self.session.figure_range(key), FIGURES[key][1])
        has_figures = figures is not None and len(figures.used) > 0
        self.table.setVisible(has_figures)
        self.source.setVisible(has_figures)
        if figures is None or bars is None or not has_figures:
            self.words.setText("Select a support in the list." if support is None else "Working out loads …")
            if figures is not None:
                self.words.setText("There is no bar.")
            self.table.show_rows([], [])
            return
        self.words.setText(support_in_words(figures))
        rows = [
            (number, (number + 1, float(figures.used[number]), USED_WORDS[int(figures.used_by[number])],
                      float(figures.loads_n[number]), float(figures.free_mm[number])))
            for number in figures.worst.tolist()
        ]  # fmt: skip
        self.table.show_rows(rows, list(self.session.selection.bars))
        self.source.setText(f"Constants: {figures.source}.")


def support_in_words(figures: BarFigures) -> str:
    """The greatest of each figure over a support."""
    over = int((figures.used > 1).sum())
    verdict = f"{over} bar{'s' * (over != 1)} would fail" if over else "no bar is overloaded"
    slender, free = float(figures.slenderness.max()), float(figures.free_mm.max())
    return (
        f"{verdict}: highest utilisation {100 * float(figures.used.max()):,.0f} %\n"
        f"slenderness up to {slender:,.0f}, free over up to {free:.1f} mm\n"
        f"load up to {float(figures.loads_n.max()):,.2f} N, {float(figures.loads_n.sum()):,.1f} N in all"
    )


def bar_in_words(bars: Bars, figures: BarFigures | None, bar: int) -> str:
    """Everything that is known of one bar, in a few lines."""
    region = int(bars.regions[bar])
    serves = f"serves region {region + 1}" if region >= 0 else "serves no region"
    lines = [
        f"Bar {bar + 1}: {bars.lengths_mm[bar]:.2f} mm long, contact {bars.contact_areas_mm2[bar]:.3f} mm²",
        f"stands on {_STANDS[int(bars.landings[bar])]}, {serves}",
        f"way: {way_in_words(bars, bar)}",
    ]
    if figures is not None and bar < len(figures.used):
        lines.append(
            f"leans {figures.leans_deg[bar]:.0f}°, free over {figures.free_mm[bar]:.1f} mm, slenderness "
            f"{figures.slenderness[bar]:.0f}"
        )
        lines.append(
            f"load {figures.loads_n[bar]:.2f} N, uses {100 * figures.used[bar]:.0f} % of its strength, by "
            f"{USED_WORDS[int(figures.used_by[bar])]}"
        )
    return "\n".join(lines)


def selected_words(which: list[int], support: Support | None, bars: Bars | None) -> str:
    """What of a support is selected, in a line."""
    if support is None or bars is None:
        return "Select a support in the list, or press Add to start one with the set above."
    if not which:
        return "No bar selected. Click one; Ctrl adds more."
    if len(which) > 1:
        return f"{len(which):,} bars selected"
    number = int(bars.by_hand[which[0]])
    kind = "generated" if number < 0 else "locked" if support.hand.bars[number].is_locked else "by hand"
    return f"Bar {which[0] + 1} selected, {kind}"

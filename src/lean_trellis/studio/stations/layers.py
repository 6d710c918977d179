"""Layers: the current layer, step by step, and what the build takes."""

from __future__ import annotations

import math
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QPushButton, QSizePolicy, QVBoxLayout

from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.layers.machine_files import LAYER_SUFFIXES
from lean_trellis.core.layers.profile import Profile
from lean_trellis.studio.forms.fields import NumberField, figure, head, muted, number_row, row
from lean_trellis.studio.forms.qt import head_of
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import CutAbove
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.estimate import EstimateSection
from lean_trellis.studio.stations.sections.holds import HoldsSection
from lean_trellis.studio.stations.sections.paths import PathsSection
from lean_trellis.studio.stations.sections.savings import SavingsSection
from lean_trellis.studio.stations.sections.thin import ThinSection
from lean_trellis.studio.stations.sections.trials import TrialsSection
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.strip.layer_sheet import LayerSheet
from lean_trellis.studio.theme import Tokens

_PLAY_MS = 60
_KIND_SIGNS = {"part": "part", "support": "support", "separator": "separator"}


class LayersStation(Station):
    """The build as layers."""

    key = "layers"
    name = "Layers"
    codes = frozenset({"area_jump", "thin_wall", "layer_height", "out_of_date"})
    has_tabs = True
    drags_tower = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.sheet: LayerSheet = LayerSheet(session)
        self.where = muted()
        self.put_beside_heading(self.where)
        self.write = QPushButton("Write machine file …")
        self.write.setProperty("role", "main")
        self.write.clicked.connect(lambda _: self._ask_and_write())
        self.play = QPushButton("Play")
        self.play.setCheckable(True)
        self.play.setToolTip("Step upward by itself. Escape ends.")
        self.play.toggled.connect(self._play)
        self.head.addWidget(row(self.write, self.play, 1, spacing=6))
        self.total = figure()
        self.total.setWordWrap(False)
        self.total.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.head.addWidget(self.total)
        self.saved = muted()
        self.saved.setWordWrap(False)
        self.saved.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.saved.setFixedHeight(18)  # with and without words: what is below stays where it is
        self.head.addWidget(self.saved)
        self._estimates: list[Estimate] = []
        """The last two that were shown: before and after an edit."""
        session.job_shown.connect(self._estimates.clear)
        self._timer = QTimer(self)
        self._timer.setInterval(_PLAY_MS)
        self._timer.timeout.connect(lambda: self.step(1))
        self._cut: float | None = None
        self._add_layer(self.tabs.add_page("layer", "Layer"))
        self.holds = HoldsSection(session)
        self.holds.asks.connect(self.asks)
        self.holds.chosen.connect(self.go_to)
        self.tabs.add_page("holds", "Holds").addWidget(self.holds, 1)
        self.thin = ThinSection(session)
        self.thin.asks.connect(self.asks)
        self.thin.chosen.connect(self._go_to_height)
        self.tabs.add_page("thin", "Thin").addWidget(self.thin, 1)
        self.own_paths = PathsSection(session)
        self.own_paths.picking_changed.connect(self.sheet.pick_next)
        self.sheet.pointed_at.connect(self.own_paths.take_place)
        self.tabs.add_page("paths", "Paths").addWidget(self.own_paths, 1)
        self.estimate = EstimateSection(session)
        self.savings = SavingsSection(session)
        page = self.tabs.add_page("estimate", "Estimate")
        page.addWidget(self.estimate, 3)
        page.addWidget(self.savings, 2)
        self.trials = TrialsSection(session)
        self.trials.asks.connect(self.asks)
        self.tabs.add_page("trials", "Trials").addWidget(self.trials, 1)

    def _add_layer(self, page: QVBoxLayout) -> None:
        self.number, self.height_field = NumberField(), NumberField("mm")
        self.number.setObjectName("layers.number")
        self.height_field.setObjectName("layers.height")
        self.number.taken.connect(self._go_to_place)
        self.height_field.taken.connect(self._go_to_height)
        page.addWidget(number_row("Layer", self.number, help_text="Its number from the lowest, which is 1."))
        page.addWidget(number_row("Upper side at", self.height_field, help_text="Along the layers' normal."))
        steps = ((-10, "−10"), (-1, "−1"), (1, "+1"), (10, "+10"))
        buttons = [
            button(words, partial(self.step, count), f"{words} layers", name=f"layers.step{count}")
            for count, words in steps
        ]
        for one in buttons:
            one.setFixedWidth(52)
        page.addWidget(row(*buttons, 1, spacing=4))
        self.parts, self.supports = QCheckBox("Parts"), QCheckBox("Supports")
        self.dots = QCheckBox("Holds")
        self.dots.setToolTip("Every hold so far, coloured by how much of its strength it uses at this layer")
        for name, box in (("parts", self.parts), ("supports", self.supports), ("holds", self.dots)):
            box.setChecked(True)
            box.setObjectName(f"layers.{name}")
            box.toggled.connect(lambda is_on, name=name: self._show_kind(name, is_on=is_on))
        self.lifts = QCheckBox("Lift away what is above")
        self.lifts.setObjectName("layers.lifts")
        self.lifts.setChecked(True)
        self.lifts.toggled.connect(lambda _: self._show_cut())
        page.addWidget(row("Show", self.parts, self.supports, self.dots, 1, spacing=8))
        page.addWidget(row(self.lifts, 1))
        self.paths = QCheckBox("Paths of the machine")
        self.paths.setObjectName("layers.paths")
        self.paths.setToolTip("As wide as they are built, coloured by what they are for")
        self.paths.toggled.connect(self._show_paths)
        page.addWidget(row(self.paths, 1))
        page.addWidget(head("In this layer"))
        self.facts = PickTable(("", ""), several=False, stretch=0)
        self.facts.setObjectName("layers.facts")
        self.facts.setAccessibleName("In this layer")
        head_of(self.facts).hide()
        page.addWidget(self.facts, 1)

    # --- stepping ---

    def go_to(self, number: int) -> None:
        """Make a layer the current one by its number from 0; the nearest there is."""
        profile = self.session.layers.profile()
        if profile is not None and len(profile):
            number = int(profile.numbers[profile.place_of(number)])
        self.session.layers.show(number)
        if self.isVisible():
            self._show_cut()
        self.refresh()

    def step(self, count: int) -> None:
        """So many layers up, or down. At the top playing ends."""
        before = self.session.layers.number
        self.go_to((before or 0) + count)
        if self.session.layers.number == before:
            self.play.setChecked(False)

    def _go_to_place(self, place: float) -> None:
        """The layer that is so many from the lowest, which is 1; the nearest there is."""
        profile = self.session.layers.profile()
        if profile is not None and len(profile):
            self.go_to(int(profile.numbers[min(max(round(place) - 1, 0), len(profile) - 1)]))

    def _go_to_height(self, height_mm: float) -> None:
        """The layer at a height; before any is cut, the one that will be there."""
        profile, job = self.session.layers.profile(), self.session.job
        if profile is not None and len(profile):
            self.go_to(profile.number_at(height_mm))
        elif profile is None and job.parts:
            first = job.layer_height if job.first_layer is None else job.first_layer
            self.go_to(math.ceil((height_mm - first) / job.layer_height - 1e-6))

    def _play(self, is_on: bool) -> None:
        self.play.setText("Stop" if is_on else "Play")
        if is_on:
            self._timer.start()
        else:
            self._timer.stop()

    def end_mode(self) -> bool:
        """Escape ends playing, or picking an outline. True when one was on."""
        was_on = self.play.isChecked()
        self.play.setChecked(False)
        return self.own_paths.end_mode() or was_on

    def leave(self) -> None:
        """What was lifted away comes back; playing ends."""
        self.end_mode()
        self._cut = None
        self.trials.leave()
        self.asks.emit(CutAbove(None))

    def _show_kind(self, name: str, *, is_on: bool) -> None:
        self.sheet.shows[name] = is_on
        self._want_paths()
        self.sheet.update()

    def _show_paths(self, is_on: bool) -> None:
        self.sheet.shows["paths"] = is_on
        self._want_paths()
        self.sheet.update()

    def _want_paths(self) -> None:
        """Only of what is shown paths are laid."""
        shows = self.sheet.shows
        self.session.layers.want_paths(
            parts=shows["paths"] and shows["parts"], supports=shows["paths"] and shows["supports"]
        )

    def _show_cut(self) -> None:
        """Lift away what lies above the current layer."""
        profile, number = self.session.layers.profile(), self.session.layers.number
        height = None
        if self.lifts.isChecked() and profile is not None and len(profile) and number is not None:
            height = float(profile.tops[profile.place_of(number)]) - self.session.job.layer_height / 2
        if height != self._cut:
            self._cut = height
            self.asks.emit(CutAbove(height))

    # --- files ---

    def _ask_and_write(self) -> None:
        job = self.session.job
        own = LAYER_SUFFIXES[job.machine.process]
        start = str(Path(self.session.folder) / f"{job.name}{own}")
        kinds = {".cli": "Common layer interface (*.cli)", ".zip": "Masks (*.zip)", ".gcode": "G-code (*.gcode)"}
        chosen, _ = QFileDialog.getSaveFileName(
            self.window(), "Write machine file", start, f"{kinds[own]};;3MF with slices (*.3mf)"
        )
        if chosen:
            self.session.write_layers(Path(chosen))

    # --- what is shown ---

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self.sheet.set_tokens(tokens)

    def refresh(self) -> None:
        """Show the current layer and the estimate."""
        session = self.session
        session.layers.want()
        profile, estimate = session.layers.profile(), session.layers.estimate()
        middle = session.layers.middle() if session.layers.number is None else None
        if middle is not None:
            session.layers.show(middle)  # it can be shown before the others are cut
        if profile is not None and len(profile):
            number = session.layers.number
            if number is None or not profile.numbers[0] <= number <= profile.numbers[-1]:
                session.layers.show(int(profile.numbers[len(profile) // 2 if number is None else -1]))
            if self.isVisible():
                self._show_cut()
        self._show_where(profile)
        self._show_facts(profile, estimate)
        self._show_estimate(estimate)
        self.holds.refresh()
        self.thin.refresh()
        self.own_paths.refresh()
        self.estimate.refresh()
        self.savings.refresh()
        self.trials.refresh()
        self.write.setEnabled(bool(session.job.parts))
        self.paths.setEnabled(session.job.machine.process != "vat")
        self.play.setEnabled(profile is not None and len(profile) > 1)
        self.sheet.refresh()

    def _show_where(self, profile: Profile | None) -> None:
        number = self.session.layers.number
        is_known = profile is not None and len(profile) > 0 and number is not None
        if not self.session.job.parts:
            self.where.setText("no parts yet")
        elif not is_known:
            self.where.setText(self.waiting("cutting …"))
        if is_known:
            assert profile is not None
            assert number is not None
            place = profile.place_of(number)
            top = float(profile.tops[place])
            self.where.setText(f"{place + 1} of {len(profile)}")
            self.number.show_value(place + 1)
            self.height_field.show_value(round(top, 4))
        else:
            self.number.show_value(None)
            self.height_field.show_value(None)

    def _show_facts(self, profile: Profile | None, estimate: Estimate | None) -> None:
        number = self.session.layers.number
        rows: list[tuple[str, tuple[str, str]]] = []
        if profile is not None and len(profile) and number is not None:
            place = profile.place_of(number)
            rows = [("parts", ("Parts", f"{profile.part_mm2[place]:,.1f} mm²")),
                    ("supports", ("Supports", f"{profile.support_mm2[place]:,.1f} mm²"))]  # fmt: skip
            shown = self.session.layers.shown(number)
            if shown is not None:
                marks = shown.marks
                rows += [("hanging", ("Hangs over the layer below", f"{marks.hanging_mm2:,.2f} mm²")),
                         ("islands", ("Pieces that begin in the air", f"{len(marks.islands)}")),
                         ("thin", ("Places too thin", f"{len(marks.thin)}"))]  # fmt: skip
            danger = self.session.layers.danger()
            if danger is not None and len(danger.used) == len(profile) and danger.parts[place] >= 0:
                rows += [("used", ("Most used of its strength", f"{danger.used[place]:.2f}"))]
            if estimate is not None:
                times = estimate.assembly.layer_seconds
                rows += [("takes", ("This layer takes", hours_in_words(float(times[place])))),
                         ("elapsed", ("Until it is done", hours_in_words(float(times[: place + 1].sum())))),
                         ("left", ("Left after it", hours_in_words(float(times[place + 1 :].sum()))))]  # fmt: skip
        self.facts.show_rows(rows, [])

    def _show_saved(self, estimate: Estimate | None) -> None:
        """What the last edit has changed."""
        if estimate is not None and (not self._estimates or self._estimates[-1] is not estimate):
            self._estimates.append(estimate)
            del self._estimates[:-2]
        if estimate is None or len(self._estimates) < 2:
            self.saved.setText("")
            return
        before, after = self._estimates
        seconds = after.build_seconds - before.build_seconds
        changes = after.material_changes - before.material_changes
        words = [f"{'−' if seconds < 0 else '+'}{hours_in_words(abs(seconds))}",
                 f"{after.material_grams - before.material_grams:+.1f} g", f"{after.cost - before.cost:+,.2f} EUR",
                 *([f"{changes:+} changes"] if changes else [])]  # fmt: skip
        self.saved.setText(f"by the last edit {' · '.join(words)}".replace("-", "−"))

    def _show_estimate(self, estimate: Estimate | None) -> None:
        self._show_saved(estimate)
        if estimate is None:
            self.total.setText(self.waiting("Estimating …") if self.session.job.parts else "")
            return
        changes = f" · {estimate.material_changes} changes" if estimate.material_changes else ""
        self.total.setText(
            f"{hours_in_words(estimate.build_seconds)} · {estimate.material_grams:,.0f} g · "
            f"{estimate.cost:,.2f} EUR{changes}"
        )

    def fact(self) -> Fact:
        """How many layers there are, and how long they take."""
        if not self.session.job.parts:
            return Fact("open", "no parts yet")
        profile, estimate = self.session.layers.profile(), self.session.layers.estimate()
        if profile is None:
            return Fact("open", "not cut yet")
        if estimate is None:
            is_coming = self.session.layers.is_wanted
            return Fact("stale" if is_coming else "open", f"{len(profile):,} layers{', estimating …' * is_coming}")
        return Fact(self.mark(), f"{len(profile):,} layers, {hours_in_words(estimate.build_seconds)}")

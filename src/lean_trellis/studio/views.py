"""What the window does with its views: eye, section, map, measuring, what is shown, tools that draw."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import move_part
from lean_trellis.studio.bench import Bench
from lean_trellis.studio.forms.modes import modes_in
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.gestures import Pick, Stroke
from lean_trellis.studio.measure_bar import MeasureBar
from lean_trellis.studio.messages import (
    ColourBy,
    CutAbove,
    Fly,
    Ghost,
    Measure,
    PreviewAngles,
    ShowBeside,
    ShowFault,
    ShowPoints,
    ViewMessage,
)  # fmt: skip
from lean_trellis.studio.section_cut import SectionPlane
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import LOW_EDGE, LOW_POINT, SELF_SUPPORTING, signs_of
from lean_trellis.studio.side_by_side import SideBySide
from lean_trellis.studio.stations.layers import LayersStation
from lean_trellis.studio.stations.station import Station
from lean_trellis.studio.strip.height_strip import HeightStrip
from lean_trellis.studio.strip.strip_marks import StripMark
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.export import export_map
from lean_trellis.studio.underside.map import UndersideMap
from lean_trellis.studio.view3d.scene import Scene
from lean_trellis.studio.view3d.view import BuildView
from lean_trellis.studio.viewbar import ViewBar

_INSET_PX = 8


class Views(QSplitter):
    """The 3D view with its bars above; under it a station's sheet or the underside map."""

    measured = pyqtSignal(float)
    vertical_changed = pyqtSignal()
    looked = pyqtSignal()
    """The eye has gone to the other side of the plate, or back."""
    resized = pyqtSignal()

    def __init__(self, session: Session, bench: Bench, tokens: Tokens) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self.session, self._bench, self._tokens = session, bench, tokens
        self._check: Callable[..., None] = _unchecked
        self.view, self.map = BuildView(session, tokens), UndersideMap(session, tokens)
        self.viewbar, self.measure_bar = ViewBar(tokens), MeasureBar(session)
        self.measure_bar.hide()
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.strip = HeightStrip(session, tokens)
        self.sheets = QStackedWidget()
        self.beside = SideBySide(session, self.view, self.sheets, tokens)
        beside = QHBoxLayout()
        beside.setSpacing(0)
        beside.addWidget(self.beside, 1)
        beside.addWidget(self.strip)
        column.addLayout(beside, 1)
        column.addWidget(self.measure_bar)
        column.addWidget(self.viewbar)
        for station in bench.stations:
            if station.sheet is not None:
                self.sheets.addWidget(station.sheet)
            if station.inset is not None:
                self._hold_inset(station.inset)
        self.sheets.addWidget(self.map)
        self.setHandleWidth(3)
        self.addWidget(upper)
        self.addWidget(self.beside.below)
        self.setStretchFactor(0, 1)
        self.setStretchFactor(1, 0)
        self.setSizes([480, 224])
        self.setChildrenCollapsible(False)
        self._connect()

    def _hold_inset(self, inset: QWidget) -> None:
        """Keep a small widget in the lower left corner of the 3D view."""
        inset.hide()
        inset.setParent(self.view)
        inset.setAttribute(Qt.WidgetAttribute.WA_NativeWindow)  # as VTK's own: else it lies below it
        self.view.installEventFilter(self)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """What lies over the views goes with them."""
        super().resizeEvent(event)
        self.resized.emit()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Insets stay in their corner when the view changes its size."""
        if watched is self.view and event is not None and event.type() == QEvent.Type.Resize:
            for station in self._bench.stations:
                if station.inset is not None:
                    size = station.inset.sizeHint()
                    station.inset.setGeometry(
                        _INSET_PX, self.view.height() - size.height() - _INSET_PX, size.width(), size.height()
                    )
                    station.inset.raise_()
        return super().eventFilter(watched, event)

    def start_anew(self) -> None:
        """Another job: the whole of it is in view, and nothing said of the one before is left."""
        self.view.start_anew()
        self.view.fit()
        self.viewbar.where.setText("")
        self.measure_bar.words.setText("")

    def _connect(self) -> None:
        self.view.selected.connect(self._selected)
        self.view.part_dragged.connect(self._part_dragged)
        self.view.pointed.connect(self.viewbar.where.setText)
        self.view.drawn.connect(self._drawn_in_view)
        self.map.pointed.connect(self.viewbar.where.setText)
        layers = self._bench.of(LayersStation)
        layers.sheet.pointed.connect(self.viewbar.where.setText)
        self.strip.chosen.connect(layers.go_to)
        self.strip.marked.connect(self._go_to_mark)
        self.view.hovered.connect(lambda pick: self.station.take_hover(pick))
        self.map.hovered.connect(self._hovered_on_map)
        self.map.bar_selected.connect(lambda support, bars, adds: self.station.take_bar_pick(support, bars, adds=adds))
        for views in (self.view, self.map):
            views.pulled.connect(lambda pull: self.station.take_pull(pull))
        self.map.drawn.connect(lambda gesture, places: self._drawn(gesture, Stroke(places=tuple(places))))
        self.viewbar.section.changed.connect(self._section_moved)
        self.measure_bar.shows_points.connect(self.view.show_points)
        self.measure_bar.measured.connect(self.measured)
        self._bench.tool_changed.connect(self._take_tool)
        for modes in modes_in(self._bench):
            modes.changed.connect(self._station_mode_changed)

    @property
    def station(self) -> Station:
        """The open station."""
        return self._bench.station

    def switches(self) -> dict[str, Callable[[bool], object]]:
        """What the switches of the views do, by their ids."""
        scene = self.view.scene
        return {
            "below": lambda _: self._look_below(),
            "section": self._show_section,
            "map": self._show_map,
            "vertical": self._count_from_vertical,
            "inches": self._show_inches,
            "measure": self._measure,
            "show_plate": lambda is_on: self._show(scene, "shows_plate", is_on),
            "show_parts": lambda is_on: self._show(scene, "shows_parts", is_on),
            "show_supports": lambda is_on: self._show(scene, "shows_supports", is_on),
        }

    def handlers(self) -> dict[str, Callable[[], object]]:
        """What the plain actions of the views do, by their ids."""
        sides = ("front", "right", "top", "below", "corner")
        return {f"look_{side}": partial(self.view.look, side) for side in sides} | {
            "fit": self.view.fit,
            "swap_map": self._swap_map,
            "fit_map": self.map.fit,
            "save_map": self._save_map,
        }

    def show_switches(self, check: Callable[..., None]) -> None:
        """`check(id, is_on=…)` shows a switch as on or off, from now on."""
        self._check = check

    # --- under the view ---

    def _show_sheet(self) -> None:
        """Under the view: the station's sheet, or the underside map where the station has it and it is not put away."""
        station = self.station
        shows_map = station.shows_map and not self.session.settings.map_hidden
        lower = 300 if station.sheet is None else 224
        if (station.sheet is not None or shows_map) and self.sheets.currentWidget() is not (station.sheet or self.map):
            whole = sum(self.sizes())
            self.setSizes([whole - lower, lower])
        self.beside.below.setVisible(station.sheet is not None or shows_map)  # else the view takes its room
        if station.sheet is not None:
            self.sheets.setCurrentWidget(station.sheet)
        elif shows_map:
            self.sheets.setCurrentWidget(self.map)
        self._check("map", is_on=shows_map)

    # --- picking ---

    def _selected(self, pick: Pick, adds: bool) -> None:
        if self.measure_bar.take_pick(pick):
            return
        if self.station.take_pick(pick, adds=adds):
            return
        if pick.part:
            chosen = self.session.selection.parts
            if adds:
                rest = tuple(part for part in chosen if part != pick.part)
                self.session.select(parts=rest if pick.part in chosen else (pick.part, *rest))
            else:
                self.session.select(parts=(pick.part,))
        elif not adds and not pick.support:
            self.session.select(parts=(), regions=frozenset(), support="")

    def _part_dragged(self, part_id: str, x: float, y: float) -> None:
        self.session.do(lambda job: move_part(job, part_id, x, y))
        self.viewbar.where.setText("")

    # --- tools that draw ---

    def _take_tool(self, gesture: str, brush_mm: float) -> None:
        """A tool of the open bench draws in both views."""
        for view in (self.view, self.map):
            view.end_gesture()
            view.hovers = gesture == "hover"
            view.gesture = "click" if gesture == "hover" else gesture
            view.brush_mm = brush_mm

    def _hovered_on_map(self, place: tuple[float, float]) -> None:
        """The pointer rests on the map: over the current part, seen from straight below."""
        self.station.take_hover(Pick(part=self.session.selection.part, place=(*place, -1.0)))

    def _drawn_in_view(self, gesture: str, what: list[Any]) -> None:
        if gesture == "brush":
            self._drawn(gesture, Stroke(picks=tuple(what)))
            return
        x, y, z = self.view.eye_place().tolist()
        self._drawn(gesture, Stroke(places=tuple(what), matrix=self.view.projection(), eye=(x, y, z)))

    def _drawn(self, gesture: str, drawn: Stroke) -> None:
        self.station.take_drawn(gesture, drawn)

    def _station_mode_changed(self, mode: str) -> None:
        """A mode of a bench takes the clicks: measuring ends."""
        if mode and self.measure_bar.isVisible():
            self.switch_measuring(is_on=False)

    def _look_below(self) -> None:
        self._check("below", is_on=self.view.toggle_below())
        self.looked.emit()

    # --- the section ---

    def _show_section(self, is_on: bool) -> None:
        bar = self.viewbar.section
        low, high = self.view.scene.bounds()
        bar.show_range(tuple(low.tolist()), tuple(high.tolist()))
        bar.setVisible(is_on)
        if is_on:
            bar.tell()
        else:
            self._cut_at(None)

    def _section_moved(self, axis: int, place: float) -> None:
        self._cut_at(SectionPlane(axis, place))

    def _cut_above(self, height_mm: float | None) -> None:
        """What lies above a height is lifted away; without one the section is as its bar says."""
        self.view.scene.move(is_moving=True)  # what is heavy is shown lightly while layers are stepped through
        if height_mm is not None:
            self._cut_at(SectionPlane(2, height_mm, self.session.job.machine.layer_normal))
        elif self.viewbar.section.isVisible():
            self.viewbar.section.tell()
        else:
            self._cut_at(None)

    def _cut_at(self, plane: SectionPlane | None) -> None:
        self.session.cut_open(plane)
        self.view.scene.set_section(plane)
        self.view.refresh()
        self.beside.cut_at(plane)

    def _go_to_mark(self, mark: StripMark) -> None:
        """Say what a mark of the strip is, and bring its place into sight if it has one."""
        severity = mark.kind if mark.kind in ("stop", "caution") else "note"
        self.session.said.emit(severity, mark.words)
        if mark.at_mm is not None:
            self.take(Fly(mark.at_mm))

    # --- the map ---

    def _show_map(self, is_on: bool) -> None:
        self.session.settings.map_hidden = not is_on
        self._show_sheet()

    def _swap_map(self) -> None:
        """What is under the view becomes large, or small again."""
        upper, lower = self.sizes()
        whole = upper + lower
        self.setSizes([whole - 224, 224] if lower > whole / 2 else [180, whole - 180])

    def _save_map(self) -> None:
        """Save the underside map for the shop floor."""
        job = self.session.job
        start = str(Path(self.session.folder) / f"{job.name}, underside.svg")
        chosen, _ = QFileDialog.getSaveFileName(
            self.window(), "Save the underside map", start, "Drawings (*.svg *.png)"
        )
        if not chosen:
            return
        path = Path(chosen)
        path = path if path.suffix.lower() in (".svg", ".png") else path.with_name(f"{path.name}.svg")
        title = f"{job.name}: underside, {job.machine.name}, {job.material.name}"
        try:
            export_map(self.map, path, title)
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self.session.said.emit("fine", f"Saved {path.name}")

    def _show_inches(self, is_on: bool) -> None:
        self.session.settings.inches = is_on
        UNITS.show_inches(is_on=is_on)
        self.map.update()
        self.vertical_changed.emit()

    def _count_from_vertical(self, is_on: bool) -> None:
        self.session.settings.angles_from_vertical = is_on
        self.vertical_changed.emit()

    # --- measuring, what is shown ---

    def _measure(self, is_on: bool) -> None:
        self.measure_bar.setVisible(is_on)
        if is_on:
            self.station.end_mode()
            self.measure_bar.begin()
        else:
            self.measure_bar.end_mode()
            self.view.show_points([])

    def switch_measuring(self, *, is_on: bool) -> None:
        """Begin or end measuring."""
        self._check("measure", is_on=is_on)
        self._measure(is_on)

    def _show(self, scene: Scene, switch: str, is_on: bool) -> None:
        setattr(scene, switch, is_on)
        self.map.shows_supports = scene.shows_supports
        self.map.refresh()
        self.view.refresh()

    def end_mode(self) -> bool:
        """End what is being measured, or the mode of the open station. True when there was one."""
        if self.measure_bar.end_mode():
            return True
        if self.measure_bar.isVisible():
            self.switch_measuring(is_on=False)
            return True
        return bool(self.station.end_mode())

    # --- in step with the rest ---

    def take_station(self) -> None:
        """Another station is open: show what it works with."""
        self.viewbar.where.setText("")
        station = self.station
        self._show_sheet()
        self.view.scene.shows_angles = station.shows_angles
        self.view.may_drag_parts, self.view.may_drag_tower = station.drags_parts, station.drags_tower
        self.view.scene.shows_tilt = station.shows_tilt
        self.map.picks_bars = station.picks_bars
        self.view.clear_mark()

    def take(self, message: ViewMessage) -> None:
        """Do what a bench asks for."""
        match message:
            case Fly(place, is_underside):
                self.view.fly_to(place, is_underside=is_underside)
                self.map.fly_to(place[0], place[1])
            case PreviewAngles(angles):
                self.view.scene.preview_angles = angles
                self.view.refresh()
            case ShowFault(fault):
                self.view.show_fault(fault)
            case Ghost(bars, is_way):
                self.view.show_ghost(bars, is_way=is_way)
                self.map.show_ghost(bars, is_way=is_way)
            case ColourBy(figure):
                self.view.scene.figure = figure
                self.view.refresh()
            case ShowPoints(points):
                self.view.show_points(list(points))
            case CutAbove(height):
                self._cut_above(height)
            case ShowBeside(trial):
                self.beside.show_trial(trial)
            case Measure():
                self.switch_measuring(is_on=True)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.view.set_tokens(tokens)
        self.map.set_tokens(tokens)
        self.strip.set_tokens(tokens)
        self.beside.set_tokens(tokens)
        self.refresh()
        self.view.refresh()

    def refresh(self) -> None:
        """Bring the bars round the views in step with the session."""
        job, session = self.session.job, self.session
        self.measure_bar.refresh()
        self.strip.update()
        self.beside.refresh()
        shows_angles = self.station.shows_angles and bool(job.parts)
        self.viewbar.legend.setVisible(shows_angles)
        if shows_angles:
            shown = session.part or job.parts[0]
            angles = job.critical_angle(shown), job.watch_angle(shown)
            self.viewbar.legend.show_angles(*angles, self._signs(), self._tokens)
        light = [session.shown_part(entry) for entry in job.parts]
        simplified = sum(1 for entry in light if entry is not None and entry.shown.is_stand_in)
        self.viewbar.simplified.setText("view simplified, figures exact" if simplified else "")

    def _signs(self) -> tuple[str, ...]:
        """What else than angles the colours and lines on parts mean, of all that are shown."""
        known = [self.session.regions(part) for part in self.session.job.parts if not part.is_hidden]
        signs = signs_of(region for entry in known if entry is not None for region in entry.regions)
        return tuple(words for words in (LOW_EDGE, LOW_POINT, SELF_SUPPORTING) if words in signs)

    def finish(self) -> None:
        """The window closes."""
        self.beside.show_trial(None)
        self.view.finish()


def _unchecked(_name: str, *, is_on: bool) -> None:
    """No menu shows the switches yet."""

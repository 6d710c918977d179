"""What the window does with its views: eye, section, map, measuring, what is shown, tools that draw."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QSplitter, QStackedWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.studio.file_window import FileWindow
from lean_trellis.studio.gestures import Drawn, Pick
from lean_trellis.studio.measure_bar import MeasureBar
from lean_trellis.studio.underside.export import export_map
from lean_trellis.studio.underside.map import UndersideMap
from lean_trellis.studio.viewbar import ViewBar


class ViewWindow(FileWindow):
    """The part of the main window that knows of the 3D view and the underside map."""

    if TYPE_CHECKING:  # what the window adds to it

        @property
        def station(self) -> Any:
            """The open station."""

        def refresh(self) -> None:
            """Bring everything round the view in step with the session."""

    actions_by_id: dict[str, QAction]
    map: UndersideMap
    viewbar: ViewBar
    measure_bar: MeasureBar
    sheets: QStackedWidget
    halves: QSplitter

    # --- under the view ---

    def _show_sheet(self) -> None:
        """Under the view: the station's sheet, or the underside map where the station has it and it is not put away."""
        station = self.station
        shows_map = station.shows_map and not self.session.settings.map_hidden
        lower = 300 if station.sheet is None else 224
        if (station.sheet is not None or shows_map) and self.sheets.currentWidget() is not (station.sheet or self.map):
            whole = sum(self.halves.sizes())
            self.halves.setSizes([whole - lower, lower])
        self.sheets.setVisible(station.sheet is not None or shows_map)
        if station.sheet is not None:
            self.sheets.setCurrentWidget(station.sheet)
        elif shows_map:
            self.sheets.setCurrentWidget(self.map)
        self.actions_by_id["map"].setChecked(shows_map)
        self.actions_by_id["map"].setEnabled(station.shows_map)

    # --- tools that draw ---

    def _take_tool(self, gesture: str, brush_mm: float) -> None:
        """A tool of the open bench draws in both views."""
        for view in (self.view, self.map):
            view.end_gesture()
            view.hovers = gesture == "hover"
            view.gesture = "click" if gesture == "hover" else gesture
            view.brush_mm = brush_mm

    def _hovered_on_map(self, place: tuple[float, float]) -> None:
        """The pointer rests on the map: over the part in hand, seen from straight below."""
        self.station.take_hover(Pick(part=self.session.selection.part, place=(*place, -1.0)))

    def _drawn_in_view(self, gesture: str, what: list[Any]) -> None:
        if gesture == "brush":
            self._drawn(gesture, Drawn(picks=tuple(what)))
            return
        x, y, z = self.view.eye_place().tolist()
        self._drawn(gesture, Drawn(places=tuple(what), matrix=self.view.projection(), eye=(x, y, z)))

    def _drawn(self, gesture: str, drawn: Drawn) -> None:
        self.station.take_drawn(gesture, drawn)

    def _station_mode_changed(self, mode: str) -> None:
        """A mode of a bench takes the clicks: measuring ends."""
        if mode and self.measure_bar.isVisible():
            self.actions_by_id["measure"].trigger()

    # --- the eye and the section ---

    def do_below(self) -> None:
        """Look from below, or back."""
        self.actions_by_id["below"].setChecked(self.view.toggle_below())

    def do_fit(self) -> None:
        """See everything."""
        self.view.fit()

    def do_section(self) -> None:
        """Section plane on or off."""
        is_on = self.actions_by_id["section"].isChecked()
        bar = self.viewbar.section
        low, high = self.view.scene.bounds()
        bar.show_range(tuple(low.tolist()), tuple(high.tolist()))
        bar.setVisible(is_on)
        if is_on:
            bar._tell()
        else:
            self.view.scene.set_section(None)
            self.view.refresh()

    def _section_moved(self, axis: int, place: float) -> None:
        self.view.scene.set_section(axis, place)
        self.view.refresh()

    # --- the map ---

    def do_map(self) -> None:
        """Underside map shown or put away."""
        self.session.settings.map_hidden = not self.actions_by_id["map"].isChecked()
        self._show_sheet()

    def do_swap_map(self) -> None:
        """What is under the view becomes large, or small again."""
        upper, lower = self.halves.sizes()
        whole = upper + lower
        self.halves.setSizes([whole - 224, 224] if lower > whole / 2 else [180, whole - 180])

    def do_fit_map(self) -> None:
        """See everything on the map."""
        self.map.fit()

    def do_save_map(self) -> None:
        """Save the underside map for the shop floor."""
        job = self.session.job
        start = str(Path(self.session.settings.folder) / f"{job.name}, underside.svg")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the underside map", start, "Drawings (*.svg *.png)")
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

    def do_vertical(self) -> None:
        """Angles from the layer plane or from the vertical."""
        self.session.settings.angles_from_vertical = self.actions_by_id["vertical"].isChecked()
        self.refresh()

    # --- measuring, what is shown ---

    def do_measure(self) -> None:
        """Measuring on or off."""
        is_on = self.actions_by_id["measure"].isChecked()
        self.measure_bar.setVisible(is_on)
        if is_on:
            self.station.end_mode()
            self.measure_bar.begin()
        else:
            self.measure_bar.end_mode()
            self.view.show_points([])

    def do_show_plate(self) -> None:
        """Plate shown or hidden."""
        self._show("show_plate", "shows_plate")

    def do_show_parts(self) -> None:
        """Parts shown or hidden."""
        self._show("show_parts", "shows_parts")

    def do_show_supports(self) -> None:
        """Supports shown or hidden."""
        self._show("show_supports", "shows_supports")

    def _show(self, action: str, switch: str) -> None:
        setattr(self.view.scene, switch, self.actions_by_id[action].isChecked())
        self.map.shows_supports = self.view.scene.shows_supports
        self.map.refresh()
        self.view.refresh()

"""Overhangs: the two angles, the regions and what holds them, islands, picking by hand, protected surfaces."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QPushButton, QSizePolicy, QVBoxLayout

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.derive.pipeline import RegionFacts
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import merge_regions, regions_by_angle, set_angles, split_region
from lean_trellis.core.overhang import Region
from lean_trellis.core.region_list import region_rows, rows_as_csv
from lean_trellis.studio.forms.fan import AngleFan
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, figure, head, muted, number_row, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable, ten_rows
from lean_trellis.studio.gestures import Pick, Stroke
from lean_trellis.studio.messages import PreviewAngles
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownRegions
from lean_trellis.studio.stations.sections.faces import FacesSection, gesture_of_faces
from lean_trellis.studio.stations.sections.islands import IslandsSection
from lean_trellis.studio.stations.sections.protect import ProtectSection
from lean_trellis.studio.stations.sections.self_supporting import SelfSupportingSection
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.theme import DAY, Tokens

KIND_WORDS = {"face": "face", "edge": "low edge", "point": "low point"}
_FILTERS = [
    ("all", "all regions"),
    ("open", "not supported"),
    ("supported", "supported"),
    ("face", "faces"),
    ("low", "edges, points"),
]
_SPLIT = (("split", "Split", "Drag a line over the selected region on the map. Escape ends."),)
_SUPPORTED_SHARE = 0.999


class OverhangsStation(Station):
    """The regions of the current part."""

    key = "overhangs"
    name = "Overhangs"
    codes = frozenset({"region_not_held", "island_not_held"})
    has_tabs = True
    shows_angles = True
    shows_map = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._add_head()
        regions, angles = self.tabs.add_page("regions", "Regions"), self.tabs.add_page("angles", "Angles")
        by_hand, protect = self.tabs.add_page("hand", "By hand"), self.tabs.add_page("protect", "Protect")
        self._add_list(regions)
        self._add_angles(angles)
        self.self_supporting, self.islands = SelfSupportingSection(session), IslandsSection(session)
        self.faces, self.protect = FacesSection(session), ProtectSection(session)
        self.sections: tuple[Section, ...] = (self.self_supporting, self.islands, self.faces, self.protect)
        for section, page in (
            (self.islands, regions),
            (self.self_supporting, angles),
            (self.faces, by_hand),
            (self.protect, protect),
        ):
            section.asks.connect(self.asks)
            page.addWidget(section)
        self.faces.stay_open()
        self.protect.stay_open()
        self._add_shaping(by_hand)
        for page in (angles, by_hand, protect):
            page.addStretch(1)
        self.watch_tools(self.split, self.faces.modes, self.protect.modes)

    def _add_head(self) -> None:
        self.subject = muted()
        self.put_beside_heading(self.subject)
        self.support = QPushButton("Support selected regions")
        self.support.setProperty("role", "main")
        self.support.setToolTip("Go to Supports with the selected regions")
        self.support.clicked.connect(lambda: self.wanted.emit("supports"))
        below = QPushButton("From below")
        below.setToolTip("Look from below, or back (B)")
        below.clicked.connect(lambda: self.wanted.emit("below"))
        self.head.addWidget(row(self.support, below, 1, spacing=6))
        self.total = figure()
        self.total.setWordWrap(False)
        self.total.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.head.addWidget(self.total)

    def _add_angles(self, page: QVBoxLayout) -> None:
        self.fan = AngleFan(DAY)
        self.fan.setObjectName("overhangs.fan")
        self.fan.moving.connect(lambda critical, watch: self.asks.emit(PreviewAngles((critical, watch))))
        self.fan.moved.connect(self._fan_moved)
        page.addWidget(self.fan)
        self.critical, self.watch = NumberField("°"), NumberField("°")
        self.critical.setObjectName("overhangs.critical")
        self.watch.setObjectName("overhangs.watch")
        self.critical.taken.connect(lambda value: self._set(self._taken(value), None))
        self.watch.taken.connect(lambda value: self._set(None, self._taken(value)))
        self._critical_row = number_row("Critical angle: support below it", self.critical)
        self._watch_row = number_row("Watch angle: check below it", self.watch)
        page.addWidget(self._critical_row)
        page.addWidget(self._watch_row)
        self._reset = button("Use the material's angles", lambda: self._set(None, None, reset=True))
        page.addWidget(row(self._reset, 1))

    def _add_list(self, page: QVBoxLayout) -> None:
        self.filter = ChoiceField()
        self.filter.setObjectName("overhangs.filter")
        self.filter.setAccessibleName("Which regions are listed")
        self.filter.offer(_FILTERS, "all")
        self.filter.chosen.connect(lambda _: self.refresh())
        self.csv = button("Save as CSV…", self._save_csv, "The list with all figures, for a spreadsheet",
                          name="overhangs.csv")  # fmt: skip
        page.addWidget(row(self.filter, 1, self.csv))
        widths = {0: 38, 2: 70, 3: 64, 4: 66}
        self.table = PickTable(("", "Kind", "mm²", "Worst °", "Support"), stretch=1, widths=widths)
        self.table.setObjectName("overhangs.table")
        self.table.sortByColumn(2, Qt.SortOrder.DescendingOrder)
        self.table.setMinimumHeight(ten_rows())
        self.table.selected.connect(lambda keys: self.session.select(regions=frozenset(keys)))
        page.addWidget(self.table, 1)
        self._selected = figure()
        page.addWidget(self._selected)

    def _add_shaping(self, page: QVBoxLayout) -> None:
        """What is made of regions by hand."""
        page.addWidget(head("Change regions"))
        self.merge = button("Merge", self._merge, "The selected regions become one", name="overhangs.merge")
        self.by_angle = button(
            "Reset to angle", self._by_angle, "Discard all regions made by hand", name="overhangs.angle"
        )
        self.split = ModeButtons(_SPLIT, "overhangs")
        page.addWidget(row(self.merge, self.by_angle, 1, spacing=5))
        page.addWidget(self.split)

    # --- the angles ---

    @property
    def _from_vertical(self) -> bool:
        return self.session.settings.angles_from_vertical

    def _taken(self, value: float) -> float:
        """A typed angle as a surface angle."""
        return 90 - value if self._from_vertical else value

    def _fan_moved(self, critical: float, watch: float) -> None:
        self.asks.emit(PreviewAngles(None))
        self._set(critical, watch)

    def _set(self, critical: float | None, watch: float | None, *, reset: bool = False) -> None:
        part = self.session.part
        if part is None:
            return
        parts = self.session.selection.parts
        if not reset:
            critical = part.critical_angle if critical is None else critical
            watch = part.watch_angle if watch is None else watch
        if not self.session.do(lambda job: set_angles(job, parts, critical, watch)):
            self.refresh()

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self.fan.set_tokens(tokens)

    # --- regions by hand ---

    def _region_faces(self) -> list[np.ndarray]:
        part = self.session.part
        overhangs = None if part is None else self.session.regions(part)
        if overhangs is None:
            return []
        chosen = [overhangs.regions[number] for number in sorted(self.session.selection.regions)]
        return [region.faces for region in chosen if region.kind == "face"]

    def _merge(self) -> None:
        part, faces = self.session.part, self._region_faces()
        if part is not None:
            self.session.do(lambda job: merge_regions(job, part.id, faces))

    def _by_angle(self) -> None:
        part = self.session.part
        if part is not None:
            self.session.do(lambda job: regions_by_angle(job, part.id))

    def _split_by(self, line: tuple[tuple[float, float], ...]) -> None:
        """Part the selected regions by a line on the plate: what lies on its left, and the rest."""
        part, regions = self.session.part, self._region_faces()
        if part is None or not regions:
            self.session.said.emit("note", "Select the region to split first")
            return
        begin, end = np.array(line[0]), np.array(line[-1])
        along = end - begin
        for faces in regions:
            middles = part.pose.to_plate(part.mesh, part.mesh.centroids_of(faces))[:, :2] - begin
            is_left = along[0] * middles[:, 1] - along[1] * middles[:, 0] > 0
            self.session.do(partial(split_region, part_id=part.id, region_faces=faces, is_left=is_left))

    def _save_csv(self) -> None:
        part = self.session.part
        overhangs = None if part is None else self.session.regions(part)
        facts = None if part is None else self.session.facts(part)
        if part is None or overhangs is None or facts is None:
            self.session.said.emit("note", "The figures are still being measured")
            return
        start = str(Path(self.session.folder) / f"{part.name}, regions.csv")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the list of regions", start, "Tables (*.csv)")
        if chosen:
            text = rows_as_csv(region_rows(overhangs.regions, facts, self._supported_by(by_title=False)))
            try:
                with written_whole(Path(chosen)) as file:
                    file.write(text.encode())
            except TrellisError as problem:
                self.session.said.emit("stop", str(problem))
                return
            self.session.said.emit("fine", f"Saved {Path(chosen).name}: {len(overhangs.regions)} regions")

    # --- tools and picks ---

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """The brush paints, the line parts, the others pick faces."""
        if mode == "brush":
            return "brush", self.protect.diameter
        return ("line" if mode == "split" else gesture_of_faces(mode)), 0.0

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """What was drawn goes to the tool that is on."""
        if self.split.mode:
            if drawn.matrix is None and len(drawn.places) > 1:
                self._split_by(drawn.places)
        elif self.protect.modes.mode:
            self.protect.take_drawn(drawn)
        else:
            self.faces.take_drawn(drawn)

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In a mode the click is the mode's; else a click on a region picks it, Ctrl adds or takes away."""
        if self.faces.take_pick(pick):
            return True
        part = self.session.part
        return part is not None and pick_region_at(self.session, pick, adds=adds)

    def end_mode(self) -> bool:
        """Escape: end the mode that is on. True when there was one."""
        return self.end_tools()

    def leave(self) -> None:
        """Modes end."""
        self.end_mode()

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the part's regions."""
        part = self.session.part
        self.subject.setText("select a part in the view or in the list" if part is None else part.name)
        for widget in (self.critical, self.watch, self._reset, self.support, self.fan, self.csv):
            widget.setEnabled(part is not None)
        overhangs = None if part is None else self.session.regions(part)
        if part is not None:
            self._show_angles()
        for section in self.sections:
            section.refresh()
        self.split.allow(bool(self.session.selection.regions))
        self.merge.setEnabled(len(self._region_faces()) > 1)
        self.by_angle.setEnabled(part is not None and part.marks.hand is not None)
        if part is None or overhangs is None:
            self.table.show_rows([], [])
            self.total.setText("" if part is None else "Looking …")
            self._selected.setText("")
            self.support.setEnabled(False)
            return
        facts = self.session.facts(part)
        shown = [region for region in overhangs.regions if not region.left_out and self._passes(region, facts)]
        rows = [(region.id, self._cells(region, facts)) for region in shown]
        selected = self.session.selection.regions
        self.table.show_rows(rows, list(selected))
        self.support.setEnabled(bool(selected))
        self.total.setText(self._total(overhangs, facts))
        notes = (f"{overhangs.projected_area_mm2:,.1f} mm² as seen from below", *overhangs.notes)
        self.total.setToolTip("\n".join(notes))
        self._selected.setText(self._selected_words(overhangs, facts, selected))

    def _show_angles(self) -> None:
        part, job = self.session.part, self.session.job
        assert part is not None
        critical, watch = job.critical_angle(part), job.watch_angle(part)
        vertical = self._from_vertical
        self.fan.show_angles(critical, watch, from_vertical=vertical)
        self.critical.show_value(90 - critical if vertical else critical)
        self.watch.show_value(90 - watch if vertical else watch)
        hint = "Measured from the vertical: 90° is a flat ceiling, 0° a wall." if vertical else (
            "Measured from the layer plane: 0° is a flat ceiling, 90° a wall."
        )  # fmt: skip
        for widget in (self._critical_row, self._watch_row):
            widget.setToolTip(hint)
        self._reset.setEnabled(part.critical_angle is not None or part.watch_angle is not None)

    def _passes(self, region: Region, facts: RegionFacts | None) -> bool:
        match str(self.filter.currentData()):
            case "face":
                return region.kind == "face"
            case "low":
                return region.kind != "face"
            case "open" | "supported" as wanted:
                is_supported = facts is not None and facts.supported[region.id] >= _SUPPORTED_SHARE
                return is_supported == (wanted == "supported")
        return True

    def _angle(self, angle: float) -> float:
        return 90 - angle if self._from_vertical else angle

    def _cells(self, region: Region, facts: RegionFacts | None) -> tuple[object, ...]:
        support_words = "…" if facts is None else _share_words(float(facts.supported[region.id]))
        kind = f"{KIND_WORDS[region.kind]}{', by hand' if region.is_by_hand else ''}"
        is_face = region.kind == "face"
        area, worst = (region.area_mm2, self._angle(region.min_angle_deg)) if is_face else (None, None)
        return (region.id + 1, kind, area, worst, support_words)

    def _total(self, overhangs: ShownRegions, facts: RegionFacts | None) -> str:
        open_regions = [region for region in overhangs.regions if not region.left_out]
        if not open_regions:
            return "No overhang needs support"
        area = sum(region.area_mm2 for region in open_regions)
        words = f"{len(open_regions)} region{'s' * (len(open_regions) != 1)} · {area:,.1f} mm²"
        if facts is not None:
            missing = sum(facts.supported[region.id] < _SUPPORTED_SHARE for region in open_regions)
            words += f" · {missing} not supported" if missing else " · all supported"
        return words

    def _supported_by(self, *, by_title: bool = True) -> dict[int, str]:
        """Which supports serve each region of the current part: by the titles of their sets, or by their names."""
        part, names = self.session.part, dict[int, list[str]]()
        for support in self.session.job.supports_of(part.id) if part is not None else ():
            made, kept = self.session.structure(support), self.session.job.set_of(support)
            for number in made.served if made is not None else ():
                names.setdefault(number, []).append(kept.title if by_title and kept is not None else support.set_name)
        return {number: ", ".join(dict.fromkeys(holders)) for number, holders in names.items()}

    def _selected_words(self, overhangs: ShownRegions, facts: RegionFacts | None, selected: frozenset[int]) -> str:
        """All figures of the one selected region, or the sum over several."""
        if not selected:
            return "Click a region here, in the view or on the map; Ctrl adds more."
        chosen = [overhangs.regions[number] for number in sorted(selected) if number < len(overhangs.regions)]
        if len(chosen) != 1:
            area = sum(region.area_mm2 for region in chosen)
            return f"{len(chosen)} regions selected, {area:,.1f} mm²"
        return region_in_words(chosen[0], facts, self._supported_by(), from_vertical=self._from_vertical)

    def fact(self) -> Fact:
        """How many regions on all parts, and their area."""
        parts = self.session.job.parts
        known = [self.session.regions(part) for part in parts]
        if not parts:
            return Fact("open", "no parts yet")
        if None in known:
            return Fact("stale", self.waiting("looking …"))
        regions = [
            region
            for overhangs in known
            if overhangs is not None
            for region in overhangs.regions
            if not region.left_out
        ]
        area = sum(region.area_mm2 for region in regions)
        words = f"{len(regions)} region{'s' * (len(regions) != 1)}, {area:,.0f} mm²"
        return Fact(self.mark(), words)


def _share_words(share: float) -> str:
    return "yes" if share >= _SUPPORTED_SHARE else "no" if share <= 1 - _SUPPORTED_SHARE else f"{100 * share:.0f} %"


def region_in_words(
    region: Region, facts: RegionFacts | None, supported_by: dict[int, str], *, from_vertical: bool = False
) -> str:
    """Everything that is known of a region, in a few lines."""
    lines = [f"Region {region.id + 1}: {KIND_WORDS[region.kind]}{', by hand' if region.is_by_hand else ''}"]
    if region.kind == "face":
        worst, mean = region.min_angle_deg, region.mean_angle_deg
        if from_vertical:
            worst, mean = 90 - worst, 90 - mean
        lines.append(f"{region.area_mm2:,.2f} mm², {region.projected_area_mm2:,.2f} mm² from below")
        lines.append(f"worst {worst:.1f}°, mean {mean:.1f}°")
    lines.append(f"from {region.lowest_mm:.2f} to {region.highest_mm:.2f} mm")
    if max(abs(region.along_mm[0] - region.lowest_mm), abs(region.along_mm[1] - region.highest_mm)) > 1e-6:
        lines.append(f"along the tilted layers from {region.along_mm[0]:.2f} to {region.along_mm[1]:.2f} mm")
    if region.kind == "face":
        free, wall, fading = region.rim_mm
        lines.append(f"rim: free {free:.1f}, wall {wall:.1f}, fading {fading:.1f} mm")
    if facts is not None:
        span = f"greatest span {facts.spans_mm[region.id]:.2f} mm, " if region.kind == "face" else ""
        lines.append(f"{span}below it: {facts.beneath[region.id]}")
    if region.left_out:
        lines.append(f"left out: {region.left_out}")
    else:
        lines.append(f"supported by {supported_by[region.id]}" if region.id in supported_by else "not supported")
    return "\n".join(lines)


def pick_region_at(session: Session, pick: Pick, *, adds: bool) -> bool:
    """Select the region under the pointer: the same gesture wherever regions can be selected."""
    if not pick.part:
        return False
    part = session.job.part(pick.part)
    overhangs, shown = session.regions(part), session.shown_part(part)
    if overhangs is None or shown is None:
        return False
    cell = int((shown.shown.source == pick.face).argmax())
    region = int(overhangs.region_of_face[cell])
    if pick.part != session.selection.part:
        session.select(parts=(pick.part,), regions=frozenset({region} - {-1}))
        return True
    selected = session.selection.regions
    if region < 0:
        if not adds:
            session.select(regions=frozenset())
        return True
    session.select(regions=selected ^ {region} if adds else frozenset({region}))
    return True

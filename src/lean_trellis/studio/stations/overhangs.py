"""Overhangs: the two angles, the regions, what is picked."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QSizePolicy

from lean_trellis.core.job.edits import set_angles
from lean_trellis.studio.forms.fields import NumberField, figure, head, muted, number_row, row
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.stations.tables import PickTable
from lean_trellis.studio.view3d.view import Pick

KIND_WORDS = {"face": "face", "edge": "low edge", "point": "low point"}


class OverhangsStation(Station):
    """The regions of the part in hand."""

    key = "overhangs"
    name = "Overhangs"
    shows_angles = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.selected = muted()
        self.page.addWidget(self.selected)
        self.critical, self.watch = NumberField("°"), NumberField("°")
        self.critical.setObjectName("overhangs.critical")
        self.watch.setObjectName("overhangs.watch")
        self.critical.taken.connect(lambda value: self._set(value, None))
        self.watch.taken.connect(lambda value: self._set(None, value))
        help_text = "Measured from the layer plane: 0° is a flat ceiling, 90° a wall."
        self.page.addWidget(number_row("Critical angle: below it, support", self.critical, help_text=help_text))
        self.page.addWidget(number_row("Watch angle: below it, doubtful", self.watch, help_text=help_text))
        self._reset = QPushButton("Take the material's angles")
        self._reset.clicked.connect(lambda: self._set(None, None, reset=True))
        self.page.addWidget(row(self._reset, 1))
        self.page.addWidget(head("Regions"))
        self.total = figure()
        self.page.addWidget(self.total)
        self.table = PickTable(("", "Kind", "mm²", "Worst °", "Low mm"), stretch=1)
        self.table.setObjectName("overhangs.table")
        self.table.sortByColumn(2, Qt.SortOrder.DescendingOrder)
        self.table.setMinimumHeight(220)
        self.table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.table.picked.connect(lambda keys: session.select(regions=frozenset(keys)))
        self.page.addWidget(self.table, 1)
        self._picked = muted()
        self.page.addWidget(self._picked)
        self.support = QPushButton("Support the picked regions")
        self.support.clicked.connect(lambda: self.wanted.emit("supports"))
        below = QPushButton("From below")
        below.setToolTip("Look from below, or back (B)")
        below.clicked.connect(lambda: self.wanted.emit("below"))
        self.page.addWidget(row(self.support, below, 1))

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

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """A click on a region picks it; Ctrl adds or takes away."""
        part = self.session.part
        return part is not None and pick_region_at(self.session, pick, adds=adds)

    def refresh(self) -> None:
        """Show the part's regions."""
        part = self.session.part
        self.selected.setText("Pick a part in the view or in the list." if part is None else part.name)
        for widget in (self.critical, self.watch, self._reset, self.support):
            widget.setEnabled(part is not None)
        found = None if part is None else self.session.regions(part)
        if part is not None:
            self.critical.show_value(self.session.job.critical_angle(part))
            self.watch.show_value(self.session.job.watch_angle(part))
            self._reset.setEnabled(part.critical_angle is not None or part.watch_angle is not None)
        if found is None:
            self.table.show_rows([], [])
            self.total.setText("" if part is None else "Looking …")
            self._picked.setText("")
            return
        rows = [(r.id, (r.id + 1, KIND_WORDS[r.kind], r.area_mm2, r.min_angle_deg, r.lowest_mm)) for r in found.regions]
        picked = self.session.selection.regions
        self.table.show_rows(rows, list(picked))
        known = self.session.islands(part) if part is not None else None
        islands = f", {len(known)} island{'s' * (len(known) != 1)}" if known else ""
        self.total.setText(
            f"{len(rows)} region{'s' * (len(rows) != 1)}, {found.critical_area_mm2:,.1f} mm² "
            f"({found.projected_area_mm2:,.1f} mm² from below){islands}"
            if rows
            else "Nothing is below the critical angle: this part holds itself."
        )
        self.support.setEnabled(bool(picked))
        area = sum(r.area_mm2 for r in found.regions if r.id in picked)
        count = len(picked)
        self._picked.setText(
            f"{count} region{'s' * (count > 1)} picked, {area:,.1f} mm²"
            if count
            else "Click a region; Ctrl adds to it."
        )

    def fact(self) -> Fact:
        """How many regions on all parts, and their area."""
        parts = self.session.job.parts
        known = [self.session.regions(part) for part in parts]
        if not parts:
            return Fact("open", "no parts yet")
        if None in known:
            return Fact("stale", "looking …")
        count = sum(len(found.regions) for found in known if found is not None)
        area = sum(found.critical_area_mm2 for found in known if found is not None)
        return Fact("look" if count else "fine", f"{count} region{'s' * (count != 1)}, {area:,.0f} mm²")


def pick_region_at(session: Session, pick: Pick, *, adds: bool) -> bool:
    """Pick the region under the pointer: the same gesture wherever regions can be picked."""
    if not pick.part:
        return False
    part = session.job.part(pick.part)
    found, shown = session.regions(part), session.shown_part(part)
    if found is None or shown is None:
        return False
    cell = int((shown.shown.source == pick.face).argmax())
    region = int(found.region_of_face[cell])
    if pick.part != session.selection.part:
        session.select(parts=(pick.part,), regions=frozenset({region} - {-1}))
        return True
    picked = session.selection.regions
    if region < 0:
        if not adds:
            session.select(regions=frozenset())
        return True
    session.select(regions=picked ^ {region} if adds else frozenset({region}))
    return True

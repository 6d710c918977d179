"""Islands: where a piece begins in the air, and whether a support holds it."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from lean_trellis.studio.forms.fields import muted
from lean_trellis.studio.forms.section import Section
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.session import Session


class IslandsSection(Section):
    """A list; the selected one flies both views to its place."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Islands", is_open=False)
        columns = ("From mm", "Middle", "mm²", "Support")
        self.table = PickTable(columns, several=False, stretch=1, widths={0: 72, 2: 72, 3: 70})
        self.table.setObjectName("islands.table")
        self.table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        self.table.setFixedHeight(150)
        self.table.selected.connect(self._fly)
        self.body.addWidget(self.table)
        self.note = muted()
        self.body.addWidget(self.note)

    def _fly(self, keys: list[int]) -> None:
        part = self.part
        known = () if part is None else self.session.islands(part) or ()
        if keys and keys[0] < len(known):
            island = known[keys[0]]
            self.asks.emit(Fly((island.x_mm, island.y_mm, island.z_mm)))

    def refresh(self) -> None:
        """Show the islands of the current part."""
        part = self.part
        known = None if part is None else self.session.islands(part)
        findings = self.session.findings()
        not_held = set()
        for finding in findings or ():
            if part is not None and finding.code == "island_not_held" and finding.part_id == part.id and finding.at_mm:
                not_held.add(round(finding.at_mm[2], 6))
        rows = []
        for number, island in enumerate(known or ()):
            answer = "…" if findings is None else "no" if round(island.z_mm, 6) in not_held else "yes"
            rows.append((number, (island.z_mm, f"{island.x_mm:.1f}, {island.y_mm:.1f}", island.area_mm2, answer)))
        self.table.show_rows(rows, self.table.selected_keys())
        self.table.setVisible(bool(rows))
        self.set_words(f"Islands: {len(rows)}" if rows else "Islands")
        layer = f"{self.session.job.layer_height:g} mm layers"
        self.note.setText(f"In {layer}; islands within one layer do not count." if rows else
                          "Looking …" if part is not None and known is None else f"None, in {layer}.")  # fmt: skip

"""Parts: import, the sheet of parts under the view, sections for what is done with the selected ones."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton

from lean_trellis.core.formats.body import KNOWN_FILES
from lean_trellis.core.job.edits import remove_parts
from lean_trellis.studio.forms.fields import head, muted, row
from lean_trellis.studio.forms.section import Section
from lean_trellis.studio.gestures import Pick, Stroke
from lean_trellis.studio.parts_sheet import PartsSheet
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.arrange import ArrangeSection
from lean_trellis.studio.stations.sections.copies import CopiesSection
from lean_trellis.studio.stations.sections.faces import FacesSection, gesture_of_faces
from lean_trellis.studio.stations.sections.file import FileSection
from lean_trellis.studio.stations.sections.mesh import MeshSection
from lean_trellis.studio.stations.sections.shape import ShapeSection
from lean_trellis.studio.stations.sections.size import SizeSection
from lean_trellis.studio.stations.sections.who import WhoSection
from lean_trellis.studio.stations.station import Fact, Station


class PartsStation(Station):
    """The parts of the shared build."""

    key = "parts"
    deletes_parts = True
    name = "Parts"
    codes = frozenset(
        {
            "mesh_unsound",
            "parts_overlap",
            "outside_volume",
            "keep_out",
            "stack_gap",
            "temperatures_disagree",
            "too_near",
            "trapped",
        }
    )
    drags_parts = True
    drags_tower = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        bring = QPushButton("Import…")
        bring.setProperty("role", "main")
        bring.clicked.connect(lambda: self.wanted.emit("import"))
        self.remove = QPushButton("Remove")
        self.remove.setToolTip("Remove the selected parts with their supports")
        self.remove.clicked.connect(lambda: session.do(lambda job: remove_parts(job, session.selection.parts)))
        self.page.addWidget(row(bring, self.remove, 1))
        self._empty = muted(f"No parts yet. Import here, or drop on the window, {KNOWN_FILES}.")
        self.page.addWidget(self._empty)
        sheet = PartsSheet(session)
        self.sheet = sheet
        self.table, self.filter, self.grouping = sheet.table, sheet.filter, sheet.grouping
        self.subject = head("")
        self.page.addWidget(self.subject)
        self.who, self.file, self.mesh = WhoSection(session), FileSection(session), MeshSection(session)
        self.size_section, self.copies = SizeSection(session), CopiesSection(session)
        self.arrange, self.shape = ArrangeSection(session), ShapeSection(session)
        self.faces = FacesSection(session, makes_regions=False)
        self.sections: tuple[Section, ...] = (
            self.who, self.mesh, self.file, self.size_section, self.shape, self.faces, self.copies, self.arrange,
        )  # fmt: skip
        for section in self.sections:
            section.asks.connect(self.asks)
            self.page.addWidget(section)
        self.page.addStretch(1)
        self.watch_tools(self.faces.modes, self.shape.holes)

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the list and the current part."""
        part = self.session.part
        assert self.sheet is not None, "this station has one"
        self.sheet.refresh()
        self._empty.setVisible(not self.session.job.parts)
        self.remove.setEnabled(part is not None)
        count = len(self.session.selection.parts)
        hint = "Select a part in the view or in the sheet."
        words = hint if part is None else part.name if count == 1 else f"{part.name} and {count - 1} more"
        self.subject.setText(words)
        for section in self.sections:
            section.refresh()

    def fact(self) -> Fact:
        """How many, and whether all are sound."""
        parts = self.session.job.parts
        if not parts:
            return Fact("open", "none yet")
        known = [self.session.shown_part(part) for part in parts]
        owners = len({part.owner for part in parts if part.owner})
        words = f"{len(parts)} part{'s' * (len(parts) > 1)}"
        if owners:
            words += f", {owners} owner{'s' * (owners > 1)}"
        if any(shown is not None and not shown.health.is_sound for shown in known):
            return Fact("stop", f"{words}; a mesh is unsound")
        return Fact(self.mark() if None not in known else "stale", words)

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In a mode, the click is the mode's."""
        return self.faces.take_pick(pick) or self.shape.take_pick(pick)

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """Box and lasso draw; holes are placed by clicks, which need no gesture."""
        return gesture_of_faces(mode) if mode in ("box", "lasso") else "", 0.0

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """An area drawn over the part."""
        self.faces.take_drawn(drawn)

    def end_mode(self) -> bool:
        """Escape: end the mode that is on. True when there was one."""
        return self.end_tools()

    def leave(self) -> None:
        """Marks and modes end."""
        for section in self.sections:
            section.leave()

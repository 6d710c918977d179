"""Pose: lift, turn, lay down, align, look for a better one."""

from __future__ import annotations

from lean_trellis.core.job.edits import stand_at
from lean_trellis.studio.forms.fields import NumberField, muted, number_row
from lean_trellis.studio.forms.section import Section
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.lift import LiftSection, PlaceSection
from lean_trellis.studio.stations.sections.load_in_use import LoadSection
from lean_trellis.studio.stations.sections.search import SearchSection
from lean_trellis.studio.stations.sections.turn import LayDownSection, TurnSection
from lean_trellis.studio.stations.station import Fact, Station


class PoseStation(Station):
    """How the current part stands."""

    key = "pose"
    deletes_parts = True
    name = "Pose"
    codes = frozenset({"pose_out_of_range", "tips_over", "recoater_edge", "load_across_layers"})
    drags_parts = True
    drags_tower = True
    shows_tilt = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.subject, self.tilt_words = muted(), muted()
        self.page.addWidget(self.subject)
        self.page.addWidget(self.tilt_words)
        self.angle = NumberField("°")
        self.angle.setObjectName("pose.tilt")
        self.angle.taken.connect(self._stand_at)
        self._angle_row = number_row("Angle to the plate", self.angle, help_text="0 lies, 90 stands.")
        self.page.addWidget(self._angle_row)
        self.lift, self.turn = LiftSection(session), TurnSection(session)
        self.lay_down, self.place, self.search = LayDownSection(session), PlaceSection(session), SearchSection(session)
        self.load = LoadSection(session)
        self.sections: tuple[Section, ...] = (
            self.lift, self.turn, self.lay_down, self.place, self.search, self.load,
        )  # fmt: skip
        for section in self.sections:
            section.asks.connect(self.asks)
            self.page.addWidget(section)
        self.page.addStretch(1)

    def _stand_at(self, degrees: float) -> None:
        part = self.session.part
        tilt = None if part is None else self.session.tilt(part)
        if part is None or tilt is None or not self.session.do(lambda job: stand_at(job, part.id, tilt, degrees)):
            self.refresh()

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In a mode, the click is the mode's."""
        return self.lay_down.take_pick(pick)

    def end_mode(self) -> bool:
        """Escape: end the mode that is on. True when there was one."""
        return self.lay_down.modes.end()

    def leave(self) -> None:
        """The mode ends."""
        for section in self.sections:
            section.leave()

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the current part."""
        part = self.session.part
        count = len(self.session.selection.parts)
        words = "Select a part in the view or in the list." if part is None else part.name
        self.subject.setText(words if count < 2 else f"{words} and {count - 1} more")
        tilt = None if part is None else self.session.tilt(part)
        self.tilt_words.setVisible(tilt is not None)
        self._angle_row.setVisible(tilt is not None and tilt.of != "none")
        if tilt is not None:
            low, high = self.session.job.material.pose_range
            what = {"plane": "Its plane is", "axis": "Its long axis is"}.get(tilt.of, "")
            state = "" if low <= tilt.angle_deg <= high else ", outside it"
            asked = f"{low:g}° to {high:g}° recommended for {self.session.job.material.name}"
            self.tilt_words.setText(
                f"{what} at {tilt.angle_deg:.0f}° to the plate; {asked}{state}."
                if what
                else "A compact part: its angle to the plate does not matter."
            )
            self.angle.show_value(round(tilt.angle_deg, 2))
        for section in self.sections:
            section.refresh()

    def fact(self) -> Fact:
        """How high the parts are lifted, and how many stand outside the material's range."""
        parts = self.session.job.parts
        if not parts:
            return Fact("open", "no parts yet")
        offsets = sorted({part.pose.build_offset for part in parts})
        words = f"offset {offsets[0]:g} mm" if len(offsets) == 1 else f"offsets {offsets[0]:g} to {offsets[-1]:g} mm"
        low, high = self.session.job.material.pose_range
        tilts = [tilt for part in parts if (tilt := self.session.tilt(part)) is not None]
        if len(tilts) < len(parts):
            return Fact("stale", self.waiting("looking …"))
        outside = sum(tilt.of != "none" and not low - 0.05 <= tilt.angle_deg <= high + 0.05 for tilt in tilts)
        return Fact(self.mark(), f"{words}, {outside} out of range" if outside else words)

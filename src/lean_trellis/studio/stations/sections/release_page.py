"""The gate: what is released once more in full, to which machine or folder, by whom; and machines as they build it."""

from __future__ import annotations

import base64
from collections.abc import Callable
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QLabel, QProgressBar, QVBoxLayout, QWidget

from lean_trellis.core.checks import open_stops, standing_waiver
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.release.machines.protocol import SentBuild
from lean_trellis.core.release.machines.register import Known
from lean_trellis.core.release.releasing import ReleaseResult
from lean_trellis.studio.forms.fields import ChoiceField, TextField, figure, head, muted, row, set_role
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.machine_watch import Seen
from lean_trellis.studio.messages import NewBuildOf
from lean_trellis.studio.session import Session

_FOLDER = "folder"
_MOST_REASONS, _PICTURE_PX = 4, 84


class ReleasePage(QWidget):
    """Who releases, where to, a last look at everything, and what machines do with it."""

    asks = pyqtSignal(object)

    def __init__(self, session: Session, take_picture: Callable[[], QImage | None]) -> None:
        super().__init__()
        self.session, self._take_picture = session, take_picture
        self.watch = session.machines
        self._pictured: object = None
        self.watch.seen.connect(self._take_seen)
        self.watch.answered.connect(lambda words: session.said.emit("note", words))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.facts, self.gate, self.waivers = figure(), muted(), muted()
        self.picture = QLabel()
        self.picture.setObjectName("release.picture")
        self.picture.setAccessibleName("The build from above")
        column.addWidget(row(self.facts, 1, self.picture))
        column.addWidget(self.waivers)
        column.addWidget(self.gate)
        self.who = TextField()
        self.who.setObjectName("release.who")
        self.who.setAccessibleName("Who releases the build")
        self.who.setPlaceholderText("Your name")
        self.who.setText(session.settings.person)
        self.who.editingFinished.connect(self.refresh)
        self.to = ChoiceField()
        self.to.setObjectName("release.to")
        self.to.setAccessibleName("Where the build goes")
        self.to.setMinimumContentsLength(16)
        self._wanted_place = ""
        self.to.chosen.connect(self._place_chosen)
        hint = "A simulated machine of this kind on this computer"
        self.practice = button("Start a practice machine", self._practise, hint, name="release.practice")
        self.replaces = QCheckBox("Replace files of an earlier release")
        self.replaces.setObjectName("release.replaces")
        self.release = button("Release build", self._release, "Send the build with its ticket; it is frozen then",
                              name="release.release")  # fmt: skip
        self.release.setProperty("role", "main")
        hint = "The same build under another name, free to be changed"
        self.new_build = button("New build of this", lambda: self.asks.emit(NewBuildOf()), hint, name="release.new")
        self._choice = QWidget()
        choice = QVBoxLayout(self._choice)
        choice.setContentsMargins(0, 0, 0, 0)
        choice.setSpacing(6)
        choice.addWidget(row("To", self.to, 1, spacing=6))
        choice.addWidget(row("By", self.who, spacing=6))
        choice.addWidget(self.replaces)
        choice.addWidget(row(self.practice, 1, self.release, spacing=6))
        column.addWidget(self._choice)
        column.addWidget(row(self.new_build, 1))
        self._add_watch(column)
        column.addStretch(1)

    def _add_watch(self, column: QVBoxLayout) -> None:
        self.machine_words = head("Machines")
        self.builds = PickTable(("Machine", "Build", "State"), several=False, stretch=1, widths={0: 92, 2: 118})
        self.builds.setObjectName("release.builds")
        self.builds.setAccessibleName("Builds on machines")
        self.builds.setMinimumHeight(120)
        self.builds.selected.connect(lambda _: self._show_build())
        self.progress = QProgressBar()
        self.progress.setObjectName("release.progress")
        self.progress.setAccessibleName("Layers built")
        self.progress.setTextVisible(False)
        self.build_words = muted()
        self.pause = button("Pause", lambda: self._control("pause"), name="release.pause")
        self.resume = button("Resume", lambda: self._control("resume"), name="release.resume")
        self.cancel = button("Cancel build", lambda: self._control("cancel"), name="release.cancel")
        self._controls = row(self.pause, self.resume, self.cancel, 1, spacing=6)
        for widget in (self.machine_words, self.builds, self.progress, self.build_words, self._controls):
            column.addWidget(widget)

    # --- the gate ---

    def refresh(self) -> None:
        """Show the build once more, and whether the gate is open."""
        session, job = self.session, self.session.job
        findings = session.findings()
        self._choice.setVisible(not job.is_released)
        self.new_build.setVisible(job.is_released)
        self._show_facts()
        self._offer_places()
        self.replaces.setVisible(self.to.currentData() == _FOLDER)
        if job.released is not None:
            set_role(self.gate, "good")
            one, at = job.released, job.released.at[:16].replace("T", " ")
            frozen = "It is frozen: nothing in it can be changed."
            self.gate.setText(f"Released by {one.who} to {one.to}, {at} UTC. {frozen}")
        elif findings is None:
            set_role(self.gate, "muted")
            self.gate.setText(session.unchecked_words() if job.parts else "Import parts first.")
        else:
            stops = open_stops(findings, job, date.today())
            set_role(self.gate, "stop" if stops else "good")
            count = f"{len(stops)} open stop{'s' * (len(stops) != 1)}"
            closed = f"Closed: {count}. Cure or waive each, at Findings."
            self.gate.setText(closed if stops else "Open: no stop is open.")
            self.release.setEnabled(not stops and bool(job.parts))
        if findings is None:
            self.release.setEnabled(False)
        self._show_machines()

    def _show_picture(self) -> None:
        job = self.session.job
        if self._pictured is not job:
            self._pictured = job
            image = self._take_picture() if job.parts else None
            self.picture.setVisible(image is not None and not image.isNull())
            if image is not None:
                shown = QPixmap.fromImage(image)
                self.picture.setPixmap(shown.scaledToHeight(_PICTURE_PX, Qt.TransformationMode.SmoothTransformation))

    def _show_facts(self) -> None:
        self._show_picture()
        job, estimate = self.session.job, self.session.layers.estimate()
        totals = ""
        if estimate is not None:
            totals = (f"\n{estimate.layers:,} layers, {hours_in_words(estimate.build_seconds)}, "
                      f"{estimate.material_grams:,.0f} g, {estimate.cost:,.2f} EUR")  # fmt: skip
        lot = f" · lot {job.lot}" if job.lot else ""
        due = f" · due {job.due}" if job.due else ""
        parts = f"{len(job.parts)} part{'s' * (len(job.parts) != 1)}"
        self.facts.setText(f"{job.machine.name} · {job.material.name}{lot}\n"
                           f"layers of {job.layer_height:g} mm · {job.mode} mode · {parts}{due}{totals}")  # fmt: skip
        findings, today = self.session.findings() or (), date.today()
        waived = [(one, waiver) for one in findings if (waiver := standing_waiver(one, job, today)) is not None]
        lines = [f"◇ {one.part}: {one.message}. Waived by {waiver.who}: {waiver.reason}" for one, waiver in waived]
        self.waivers.setText("\n".join(lines))
        self.waivers.setVisible(bool(lines))

    def _offer_places(self) -> None:
        fitting = [one for one in self.watch.machines if one.known.machine == self.session.job.machine.id]
        places = [(one.known.address, f"{one.known.name}{'' if one.status else ' (away)'}") for one in fitting]
        chosen = self._wanted_place
        keys = [key for key, _ in places] + [_FOLDER]
        self.to.offer([*places, (_FOLDER, "A folder or medium")], chosen if chosen in keys else keys[0])
        self.practice.setVisible(not fitting)

    def _place_chosen(self, place: str) -> None:
        self._wanted_place = place
        self.refresh()

    def _practise(self) -> None:
        kind = self.session.job.machine
        self.watch.start_practice(kind.id)
        self.session.said.emit("note", f"Starting a practice {kind.name}")

    # --- releasing ---

    def _release(self) -> None:
        findings = self.session.findings()
        who = self.who.text().strip()
        if findings is None:
            return
        if not who:
            self.session.said.emit("stop", "Type your name: a release names who gave it")
            self.who.setFocus()
            return
        self.session.settings.person = who
        machine = next((one.known for one in self.watch.machines if one.known.address == self.to.currentData()), None)
        folder = None
        if machine is None:
            chosen = QFileDialog.getExistingDirectory(self, "Release into a folder", self.session.folder)
            if not chosen:
                return
            folder = Path(chosen)
        self.release_to(machine, folder)

    def release_to(self, machine: Known | None, folder: Path | None) -> None:
        """Release to a machine or a folder, beside the window."""
        from lean_trellis.studio.release_requests import (  # with the database, when it is needed
            LogRelease,
            ReleaseBuild,
        )

        session, job = self.session, self.session.job
        request = ReleaseBuild(job, session.findings() or (), self.who.text().strip(), machine, folder,
                               self.replaces.isChecked(), self._picture(), session.library_address)  # fmt: skip

        def released(result: ReleaseResult) -> None:
            if not result.accepted:
                left = len(result.reasons) - _MOST_REASONS
                more = f" and {left} more" if left > 0 else ""
                session.said.emit("stop", f"Refused: {'; '.join(result.reasons[:_MOST_REASONS])}{more}")
            elif session.job is not job:
                session.said.emit(
                    "stop", "The job was changed while it was sent: what was released is as it was before"
                )
            else:
                session.freeze(self.who.text().strip(), result)
                session.said.emit("fine", f"Released to {result.to}")
                session.ask("Noting the release", LogRelease(session.job, session.library_address), self._logged)
                self.watch.look()

        session.ask("Releasing", request, released)

    def _logged(self, problem: TrellisError | None) -> None:
        if problem is not None:
            self.session.said.emit("caution", f"Released, but not in the build log: {problem}")

    def _picture(self) -> str:
        image = self._take_picture()
        if image is None or image.isNull():
            return ""
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")
        return base64.b64encode(bytes(buffer.data().data())).decode()

    # --- machines ---

    def _rows(self) -> list[tuple[Seen, SentBuild | None]]:
        rows: list[tuple[Seen, SentBuild | None]] = []
        for seen in self.watch.machines:
            builds = seen.status.builds if seen.status is not None else ()
            rows += [(seen, build) for build in reversed(builds[-6:])] or [(seen, None)]
        return rows

    def _take_seen(self, _seen: object) -> None:
        """A method, not a function on the spot: when the page has gone, nobody calls it any more."""
        self._show_machines()

    def _show_machines(self) -> None:
        rows = self._rows()
        for widget in (self.machine_words, self.builds):
            widget.setVisible(bool(rows))
        cells = [((seen.known.address, "" if build is None else build.key),
                  (seen.known.machine, "" if build is None else build.job, _state_words(seen, build)))
                 for seen, build in rows]  # fmt: skip
        selected = self.builds.selected_keys()
        keys = [key for key, _ in cells]
        own = self.session.job.released
        mine = [key for key in keys if own is not None and key[1] == own.key]
        kept = [key for key in selected if key in keys] or mine
        self.builds.show_rows(cells, kept[:1])
        self._offer_places()
        self._show_build()

    def _current(self) -> tuple[Seen, SentBuild] | None:
        keys = self.builds.selected_keys()
        for seen, build in self._rows():
            if keys and build is not None and (seen.known.address, build.key) == keys[0]:
                return seen, build
        return None

    def _show_build(self) -> None:
        current = self._current()
        for widget in (self.progress, self.build_words, self._controls):
            widget.setVisible(current is not None)
        if current is None:
            return
        seen, build = current
        self.progress.setRange(0, max(build.layers, 1))
        self.progress.setValue(build.layer)
        left = f", {hours_in_words(build.left_s)} left" if not build.is_over else ""
        message = f": {build.message}" if build.message else ""
        self.build_words.setText(f"{build.job} on {seen.known.name}: {build.state}{message}, "
                                 f"layer {build.layer:,} of {build.layers:,}{left}")  # fmt: skip
        self.pause.setEnabled(build.state in ("warming", "building"))
        self.resume.setEnabled(build.state == "paused")
        self.cancel.setEnabled(not build.is_over)

    def _control(self, what: str) -> None:
        current = self._current()
        if current is not None:
            self.watch.control(current[0].known, current[1].key, what)


def _state_words(seen: Seen, build: SentBuild | None) -> str:
    if seen.status is None:
        return "away"
    if build is None:
        return seen.status.state
    return f"{build.state} {build.layer}/{build.layers}" if build.state == "building" else build.state

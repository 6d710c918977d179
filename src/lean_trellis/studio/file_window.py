"""What the window does with files: jobs, parts, the shop's library, demo builds; unsaved work is asked about."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMenu, QMessageBox

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import remove_parts
from lean_trellis.core.job.files import SUFFIX
from lean_trellis.core.shop import full_library, take_in
from lean_trellis.studio.forms.patterns import parts_pattern
from lean_trellis.studio.part_requests import MakeDemo, SpreadRest
from lean_trellis.studio.session import Session
from lean_trellis.studio.view3d.view import BuildView


class FileWindow(QMainWindow):
    """The half of the main window that knows of files; what it shows is the other half."""

    session: Session
    view: BuildView
    recent_menu: QMenu

    station_asked = pyqtSignal(str)

    def do_new(self) -> None:
        """Start an empty job."""
        self._after_asking(self.session.new_job)

    def do_open(self) -> None:
        """Ask for a job file and open it."""
        chosen, _ = QFileDialog.getOpenFileName(self, "Open a job", self.session.settings.folder, f"Jobs (*{SUFFIX})")
        if chosen:
            self._after_asking(lambda: self.session.open_job(Path(chosen)))

    def open_demo(self, name: str = "metal") -> None:
        """Make a demo build, beside the window, and open it without asking."""

        def made(job: Job) -> None:
            self.session.replace_job(job, None)
            self.view.fit()

        self.session.ask(f"Making the demo: {name} build", MakeDemo(name), made)

    def do_save(self) -> None:
        """Save where it was saved, or ask."""
        if self.session.path is None:
            self.do_save_as()
        else:
            self.session.save_job(self.session.path)

    def do_save_as(self) -> None:
        """Ask for a file and save."""
        self._save_as()

    def _save_as(self, then: Any = None) -> None:
        start = str(Path(self.session.settings.folder) / f"{self.session.job.name}{SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the job", start, f"Jobs (*{SUFFIX})")
        if chosen:
            self.session.save_job(_job_path(chosen), then)

    def do_import(self) -> None:
        """Ask for mesh files and import them."""
        chosen, _ = QFileDialog.getOpenFileNames(self, "Import parts", self.session.settings.folder, parts_pattern())
        if chosen:
            self.session.settings.folder = str(Path(chosen[0]).parent)
            self.take_files([Path(name) for name in chosen])

    def take_files(self, paths: list[Path]) -> None:
        """Import mesh files; a job file among them is opened instead, a machine or material kept as one's own."""
        things = [path for path in paths if path.suffix == ".toml"]
        for path in things:
            self._take_thing(path)
        paths = [path for path in paths if path not in things]
        jobs = [path for path in paths if path.suffix == SUFFIX]
        if jobs:
            self._after_asking(lambda: self.session.open_job(jobs[0]))
        meshes = [path for path in paths if path.suffix != SUFFIX]
        if meshes:
            self.station_asked.emit("parts")
            self.session.import_files(meshes)

    def _take_thing(self, path: Path) -> None:
        """Take a machine or material that was dropped into the shop's own library."""
        try:
            thing = take_in(path)
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self.session.library = full_library()
        self.session.said.emit("fine", f"{thing.name} is in your own library now")
        self.session.file_changed.emit()

    def _after_asking(self, then: Any) -> None:
        """Do something that leaves the job; unsaved work is asked about first."""
        if self.session.is_saved:
            then()
            return
        answer = QMessageBox.question(
            self, "Unsaved work", f"Save {self.session.job.name} first?",
            QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        if answer == QMessageBox.StandardButton.Discard:
            self.session.give_up()
            then()
        elif answer == QMessageBox.StandardButton.Save:
            if self.session.path is None:
                self._save_as(then)
            else:
                self.session.save_job(self.session.path, then)

    def open_second(self, job: Job) -> None:
        """Open a job that was made from this one, which is saved or discarded first."""

        def opened() -> None:
            self.session.replace_job(job, None, is_saved=False)
            self.view.fit()
            self.session.said.emit("note", f"{job.name}: a second job, not saved yet; Release lists what does not fit")

        self._after_asking(opened)

    def save_rest(self, request: SpreadRest) -> None:
        """Save the parts that found no room as jobs of their own, a plate each, and take them out of this one."""
        name = f"{request.job.name}, plate 2"
        start = str(Path(self.session.settings.folder) / f"{name}{SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the further plates", start, f"Jobs (*{SUFFIX})")
        if chosen:
            spread = "Spreading the rest over further plates"
            self.session.ask(spread, request, lambda plates: self._save_plates(plates, _job_path(chosen)))

    def _save_plates(self, plates: tuple[Job, ...], first: Path) -> None:
        """Save the plates beside each other; when the last is safe on disk, their parts leave this job."""
        gone = tuple(part.id for plate in plates for part in plate.parts)
        paths = [first, *(_numbered(first, n) for n in range(3, len(plates) + 2))]

        def leave() -> None:
            self.session.do(lambda job: remove_parts(job, gone))
            also = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
            self.session.said.emit("fine", f"Saved {first.name}{also}: {len(gone)} parts")

        for number, (plate, path) in enumerate(zip(plates, paths, strict=True), start=1):
            self.session.save_copy(plate, path, leave if number == len(plates) else lambda: None)

    def _file_changed(self) -> None:
        self.recent_menu.clear()
        for name in self.session.settings.recent:
            action = self.recent_menu.addAction(Path(name).name)
            assert action is not None, "a menu makes the actions it is given words for"
            action.setToolTip(name)
            action.triggered.connect(lambda _, n=name: self._after_asking(lambda: self.session.open_job(Path(n))))
        self.recent_menu.setEnabled(bool(self.session.settings.recent))


def _job_path(chosen: str) -> Path:
    """The path chosen, with a job's suffix."""
    path = Path(chosen)
    return path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX)


def _numbered(first: Path, number: int) -> Path:
    """The path of a further plate: the first one's with its number, at the end where it names none."""
    stem = first.stem.removesuffix("2").rstrip()
    return first.with_name(f"{stem} {number}{SUFFIX}")

"""What the window does with files: jobs, parts, the shop's library, demo builds. Unsaved work is never left unasked."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import new_build_of, remove_parts
from lean_trellis.core.job.files import SUFFIX
from lean_trellis.core.sets.parameter_set import read_set_file
from lean_trellis.core.sets.recipe import read_recipe_file
from lean_trellis.core.shop import Library, full_library, take_in
from lean_trellis.core.shop.toml_text import text_of_file
from lean_trellis.studio.forms.patterns import parts_pattern
from lean_trellis.studio.messages import FileMessage, NewBuildOf, OpenSecond, SaveRest, ShowBoard
from lean_trellis.studio.part_requests import MakeDemo, SpreadRest
from lean_trellis.studio.session import Session


class Files(QObject):
    """Opens, saves, imports; `window` is what its questions stand before."""

    board_wanted = pyqtSignal()
    """The build board is to be shown."""
    parts_come = pyqtSignal()
    """Parts are about to be imported."""

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.session, self._window = session, window

    def handlers(self) -> dict[str, Callable[[], object]]:
        """What the actions on files do, by their ids."""
        demos = {f"demo_{name}": partial(self.after_asking, partial(self.open_demo, name)) for name in DEMOS}
        return demos | {
            "new": lambda: self.after_asking(self.session.new_job),
            "open": self._open,
            "save": self._save,
            "save_as": self._save_as,
            "import": self._import,
            "new_build": self.new_build,
            "board": self.board_wanted.emit,
        }

    def take(self, message: FileMessage) -> None:
        """Do what a bench asks for."""
        match message:
            case SaveRest(request):
                self._save_rest(request)
            case OpenSecond(job):
                self._open_second(job)
            case NewBuildOf():
                self.new_build()
            case ShowBoard():
                self.board_wanted.emit()

    def new_build(self) -> None:
        """A further build of a released one, or of any job: free to be changed, not saved yet."""
        job = self.session.job
        self._open_second(new_build_of(job, f"{job.name}, again").job)

    def _open(self) -> None:
        """Ask for a job file and open it."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, "Open a job", self.session.folder, f"Jobs (*{SUFFIX})")
        if chosen:
            self.after_asking(lambda: self.session.open_job(Path(chosen)))

    def open_demo(self, name: str = "metal") -> None:
        """Make a demo build, beside the window, and open it without asking."""

        def made(job: Job) -> None:
            self.session.replace_job(job, None)

        self.session.ask(f"Making the demo: {name} build", MakeDemo(name), made)

    def _save(self) -> None:
        """Save where it was saved, or ask."""
        if self.session.path is None:
            self._save_as()
        else:
            self.session.save_job(self.session.path)

    def _save_as(self, then: Callable[[], None] | None = None) -> None:
        start = str(Path(self.session.folder) / f"{self.session.job.name}{SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save the job", start, f"Jobs (*{SUFFIX})")
        if chosen:
            self.session.save_job(_job_path(chosen), then)

    def _import(self) -> None:
        """Ask for mesh files and import them."""
        chosen, _ = QFileDialog.getOpenFileNames(
            self._window, "Import parts", self.session.settings.folder, parts_pattern()
        )
        if chosen:
            self.session.settings.folder = str(Path(chosen[0]).parent)
            self.take_files([Path(name) for name in chosen])

    def take_files(self, paths: list[Path]) -> None:
        """Import mesh files; a job file among them is opened instead, TOML goes into the shop library."""
        things = [path for path in paths if path.suffix == ".toml"]
        for path in things:
            self._take_thing(path)
        paths = [path for path in paths if path not in things]
        jobs = [path for path in paths if path.suffix == SUFFIX]
        if jobs:
            self.after_asking(lambda: self.session.open_job(jobs[0]))
        meshes = [path for path in paths if path.suffix != SUFFIX]
        if meshes:
            self.parts_come.emit()
            self.session.import_files(meshes)

    def _take_thing(self, path: Path) -> None:
        """Take a set, recipe, machine or material that was dropped into the shop library."""
        session = self.session

        def done(taken: tuple[str, Library]) -> None:
            words, session.library = taken
            session.said.emit("fine", f"{words} is in your library now")
            session.file_changed.emit()

        session.library_work.ask(lambda: (self._taken_in(path), full_library()), done)

    def _taken_in(self, path: Path) -> str:
        """What was taken in, by its title; told apart by the tables that the file has."""
        session, heads = self.session, {line.strip() for line in text_of_file(path).splitlines()}
        why = f"from {path.name}"
        if "[parameters]" in heads:
            kept = session.sets.take_in(read_set_file(path), why=why)
            return f"{kept.title}, version {kept.version},"
        if "[[rules]]" in heads:
            recipe = read_recipe_file(path)
            recipe.require_known(session.sets.every())
            taken = session.recipes.take_in(recipe, why=why)
            return f"{taken.title}, version {taken.version},"
        return take_in(path).name

    def after_asking(self, then: Callable[[], None]) -> None:
        """Do something that leaves the job; a question comes first where work is unsaved."""
        if self.session.is_saved:
            then()
            return
        answer = QMessageBox.question(
            self._window, "Unsaved work", f"Save {self.session.job.name} first?",
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

    def _open_second(self, job: Job) -> None:
        """Open a job that was made from this one, which is saved or discarded first."""

        def opened() -> None:
            self.session.replace_job(job, None, is_saved=False)
            self.session.said.emit("note", f"{job.name}: a second job, not saved yet; Release lists what does not fit")

        self.after_asking(opened)

    def _save_rest(self, request: SpreadRest) -> None:
        """Save the parts that found no room as jobs of their own, a plate each, and take them out of this one."""
        name = f"{request.job.name}, plate 2"
        start = str(Path(self.session.folder) / f"{name}{SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save the further plates", start, f"Jobs (*{SUFFIX})")
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

    def list_recent(self, menu: QMenu) -> None:
        """Offer the jobs that were opened last."""
        menu.clear()
        for name in self.session.settings.recent:
            action = menu.addAction(Path(name).name)
            assert action is not None, "a menu makes its actions"
            action.setToolTip(name)
            action.triggered.connect(lambda _, n=name: self.after_asking(lambda: self.session.open_job(Path(n))))
        menu.setEnabled(bool(self.session.settings.recent))


def _job_path(chosen: str) -> Path:
    """The path chosen, with a job's suffix."""
    path = Path(chosen)
    return path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX)


def _numbered(first: Path, number: int) -> Path:
    """The path of a further plate: the first one's with its number, at the end where it names none."""
    stem = first.stem.removesuffix("2").rstrip()
    return first.with_name(f"{stem} {number}{SUFFIX}")

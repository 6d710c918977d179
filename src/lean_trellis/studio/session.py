"""The session: the history of the open job, what is selected, and its files; what was derived is in its base.

Views ask for edits here and listen to its signals.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Hashable
from dataclasses import replace
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lean_trellis.core.arrays import Longs
from lean_trellis.core.board.records import SetRecords
from lean_trellis.core.checks import Finding, in_order, standing_waiver
from lean_trellis.core.checks.set_changes import set_changes
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.parts import OVERHANGS
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job import Edit, History, Job, new_job
from lean_trellis.core.job.edits import add_bodies, choose_machine, group_parts, note_release
from lean_trellis.core.job.in_use import FileInUse
from lean_trellis.core.job.released import Released
from lean_trellis.core.release.export import ExportRequest
from lean_trellis.core.release.releasing import ReleaseResult
from lean_trellis.core.sets.saved import shop_recipes, shop_sets
from lean_trellis.core.shop import Library, read_library
from lean_trellis.core.shop.address import ADDRESS, usual_url
from lean_trellis.core.supports import Support
from lean_trellis.studio import requests
from lean_trellis.studio.derived import Derived
from lean_trellis.studio.library_work import LibraryWork
from lean_trellis.studio.machine_watch import MachineWatch
from lean_trellis.studio.selection import PickedFaces, Selection
from lean_trellis.studio.settings import Settings, open_files_folder


class Session(Derived):
    """Everything the window shows follows from here."""

    job_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    file_changed = pyqtSignal()
    replaced = pyqtSignal(object, bool)
    """Another job is about to take the place of this one; whether this one was saved or discarded."""
    job_shown = pyqtSignal()
    """Another job is there."""
    parts_came = pyqtSignal()
    """Parts were imported."""

    def __init__(
        self, library: Library, settings: Settings, parent: QObject | None = None, *, graph: Graph | None = None
    ) -> None:
        super().__init__(settings, parent, graph=graph)
        self.library = library
        self.sets = shop_sets()
        """The parameter sets of the shop: those that ship and its own."""
        self.recipes = shop_recipes()
        """The recipes of the shop: those that ship and its own."""
        self.records = SetRecords(lambda: self.library_address)
        """What came of parameter sets in this shop."""
        self.library_work = LibraryWork(self, self.said.emit)
        """What waits for the shop library."""
        self.machines = MachineWatch(self)
        """Machines that run here, watched while somebody wants to know."""
        self.selection = Selection()
        self._findings_of: tuple[object, ...] | None = None
        self._findings: tuple[Finding, ...] = ()
        self._regions_of: Hashable = None
        self._bars_of: Hashable = None
        self.path: Path | None = None
        self._in_use: FileInUse | None = None
        self._history = History(self._first_job())
        self._saved: Job | None = self._history.job
        self._given_up: Job | None = None

    def _first_job(self) -> Job:
        machines, materials = self.library.machines, self.library.materials
        machine = machines.get(self.settings.machine) or next(iter(machines.values()))
        material = materials.get(self.settings.material)
        if material is None or material.process != machine.process:
            material = self.library.materials_for(machine)[0]
        return new_job(machine, material)

    def read_library(self) -> None:
        """Read the shop's own machines and materials, beside the window."""

        def done(read: tuple[Library, tuple[TrellisError, ...]]) -> None:
            self.library = read[0]
            for problem in read[1]:
                self.said.emit("stop", str(problem))
            self.file_changed.emit()

        self.library_work.ask(read_library, done, at_once=False)

    def use_library(self, url: str) -> None:
        """From now on use the shop library at an address; the user's own file where it is empty."""
        self.settings.library = url.strip()
        address = "" if os.environ.get(ADDRESS) else self.settings.library
        self.sets, self.recipes = shop_sets(address), shop_recipes(address)
        self.sets.every()
        self.recipes.every()
        self.file_changed.emit()

    def findings(self) -> tuple[Finding, ...] | None:
        """The findings on the job as it is now, once known, and what the shop has saved since."""
        known, sets, job = super().findings(), self.sets.every(), self.job
        if known is None:
            return None
        of = (known, sets, job.supports, job.sets)
        if self._findings_of is None or not all(one is other for one, other in zip(of, self._findings_of, strict=True)):
            self._findings_of, self._findings = of, in_order((*known, *set_changes(job, sets)))
        return self._findings

    @property
    def library_address(self) -> str:
        """Where the shop library is, for work beside the window."""
        return os.environ.get(ADDRESS) or self.settings.library or usual_url()

    def unwaived(self) -> tuple[Finding, ...] | None:
        """The findings but for stops that were waived; None while they are not known."""
        findings, job, today = self.findings(), self.job, date.today()
        if findings is None or not job.waivers:
            return findings
        return tuple(one for one in findings if one.severity != "stop" or standing_waiver(one, job, today) is None)

    # --- the job and its history ---

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._history.job

    @property
    def is_saved(self) -> bool:
        """Whether the job on disk is the one shown."""
        return self._saved is self.job

    @property
    def undo_title(self) -> str:
        """What undo would take back."""
        return self._history.undo_title

    @property
    def redo_title(self) -> str:
        """What redo would do again."""
        return self._history.redo_title

    def do(self, make: Callable[[Job], Edit], *, merge_key: str = "") -> bool:
        """Do an edit as one undo step; a refusal is said in the status line. True when it was done."""
        if self.job.released is not None:
            words = "This build has been released and is frozen: make a new build of it to change anything"
            self.said.emit("stop", words)
            return False
        try:
            edit = make(self.job)
        except TrellisError as problem:
            self.said.emit("stop", str(problem))
            return False
        if edit.job == self.job:
            return True
        self._history.do(edit, merge_key=merge_key)
        self._job_moved_on()
        return True

    def freeze(self, who: str, result: ReleaseResult) -> None:
        """Keep that the job was released: nothing changes it any more, nothing is undone. With a file it is saved."""
        now = datetime.now(UTC).isoformat(timespec="seconds")
        released = Released(who, now, result.to, result.key, result.contents)
        self._history = History(note_release(self.job, released).job)
        self._job_moved_on()
        if self.path is not None:
            self.save_job(self.path)

    def undo(self) -> None:
        """One step back."""
        title = self.undo_title
        self._history.undo()
        if title:
            self.said.emit("note", f"Undone: {title}")
        self._job_moved_on()

    def redo(self) -> None:
        """One step forward."""
        self._history.redo()
        self._job_moved_on()

    def _job_moved_on(self) -> None:
        self._tidy_selection()
        self._drop_unwanted()
        self.job_changed.emit()
        self._due.start()

    def replace_job(self, job: Job, path: Path | None, *, is_saved: bool = True) -> None:
        """Open another job: a new history."""
        self.replaced.emit(self.job, self.is_saved or self._given_up is self.job)
        self._history = History(job)
        self._saved = job if is_saved else None
        self.path = path
        claim, is_elsewhere = self._claim(path)
        self._hold_file(claim)
        if path is not None and is_elsewhere:
            self.said.emit("caution", f"{path.name} is open in another window: save under another name")
        self.selection = Selection((job.parts[0].id,)) if job.parts else Selection()
        self._held_back.clear()
        self.layers.forget()
        self.file_changed.emit()
        self.selection_changed.emit()
        self._job_moved_on()
        self.job_shown.emit()

    def give_up(self) -> None:
        """The user discards the job as it is now: it will be left without being saved."""
        self._given_up = self.job

    def new_job(self) -> None:
        """An empty job on the remembered machine."""
        self.replace_job(self._first_job(), None)

    def choose_shop(self, machine_id: str, material_id: str) -> bool:
        """Change machine and material and remember the choice."""
        machine = self.library.machine(machine_id)
        material = self.library.materials.get(material_id)
        if material is None or material.process != machine.process:
            material = self.library.materials_for(machine)[0]
        self.settings.machine, self.settings.material = machine.id, material.id
        return self.do(lambda job: choose_machine(job, machine, material))

    # --- selection ---

    def select(self, **changes: Any) -> None:
        """Change what is selected. A change of the current part drops the regions and support selected on another."""
        changed = replace(self.selection, **changes)
        if "parts" in changes and changed.part != self.selection.part:
            changed = replace(
                changed,
                regions=changes.get("regions", frozenset()),
                support=changes.get("support", ""),
                bars=changes.get("bars", frozenset()),
                faces=changes.get("faces"),
            )
        elif changed.support != self.selection.support and "bars" not in changes:
            changed = replace(changed, bars=frozenset())
        if changed != self.selection:
            self.selection = changed
            self._regions_of, self._bars_of = self._regions_key(), self._bars_key()
            self.selection_changed.emit()
            self._due.start()

    def _regions_key(self) -> Hashable:
        part = next((part for part in self.job.parts if part.id == self.selection.part), None)
        return None if part is None else self.graph.key(OVERHANGS, part, self.job)

    def _bars_key(self) -> Hashable:
        support = next((entry for entry in self.job.supports if entry.id == self.selection.support), None)
        return None if support is None else self.graph.key(STRUCTURE, support, self.job)

    def _tidy_selection(self) -> None:
        """Drop what is no longer there."""
        ids = {part.id for part in self.job.parts}
        kept = tuple(part_id for part_id in self.selection.parts if part_id in ids)
        support = self.selection.support
        if support not in {entry.id for entry in self.job.supports}:
            support = ""
        faces = self.selection.faces
        if faces is not None and (faces.part not in ids or self.job.part(faces.part).mesh.key != faces.mesh):
            faces = None
        # Numbers of regions and bars mean something only as long as these are the same.
        regions = self.selection.regions if self._regions_of == self._regions_key() else frozenset[int]()
        bars = self.selection.bars if support and self._bars_of == self._bars_key() else frozenset[int]()
        tidy = replace(self.selection, parts=kept, support=support, faces=faces, regions=regions, bars=bars)
        if not kept:
            tidy = Selection()
        if tidy != self.selection:
            self.selection = tidy
            self.selection_changed.emit()

    @property
    def selected_faces(self) -> Longs:
        """The faces selected on the current part."""
        selected = self.selection.faces
        if selected is None or selected.part != self.selection.part:
            return np.zeros(0, np.int64)
        return selected.faces

    def pick_faces(self, faces: Longs) -> None:
        """Pick faces of the current part, in place of those before."""
        part = self.part
        chosen = PickedFaces(part.id, part.mesh.key, faces) if part is not None and len(faces) else None
        self.select(faces=chosen)

    @property
    def support(self) -> Support | None:
        """The current support."""
        return self.job.support(self.selection.support) if self.selection.support else None

    # --- files ---

    def import_files(self, paths: list[Path], unit: str | None = None) -> None:
        """Read mesh files and add their bodies; good ones are added even when others are bad.

        Without a `unit` that of a file which names none is guessed, and shown.
        """
        title = f"Reading {paths[0].name}" if len(paths) == 1 else f"Reading {len(paths)} files"
        self.ask(title, requests.ReadFiles(tuple(paths), unit), self._imported)

    def _imported(self, result: Any) -> None:
        good, bad = result
        bodies = [body for _, members in good for body in members]
        if bodies:

            def add_all(job: Job) -> Edit:
                first = len(job.parts)
                for path, members in good:
                    before = len(job.parts)
                    for body in members:
                        job = add_bodies(job, [body], file=str(path)).job
                    if len(members) > 1:  # an assembly stays together
                        job = group_parts(job, [part.id for part in job.parts[before:]]).job
                what = job.parts[first].name if len(bodies) == 1 else f"{len(bodies)} parts"
                return Edit(f"Import {what}", job)

            if self.do(add_all):
                self.select(parts=(self.job.parts[-1].id,))
                self.parts_came.emit()
                guessed = sorted({body.unit for body in bodies if body.unit_is_from == "guess" and body.unit != "mm"})
                added = f"{len(bodies)} part{'s' * (len(bodies) > 1)}"
                about = f"; taken in {', '.join(guessed)}, guessed from the size" if guessed else ""
                self.said.emit("fine", f"Imported {added}{about}")
        if bad:
            count = f"{len(bad)} files could not be read: " if len(bad) > 1 else ""
            self.said.emit("stop", count + "  ·  ".join(str(problem) for problem in bad))

    @property
    def folder(self) -> str:
        """Where what belongs to this job is saved: its own folder, or where a job was saved last."""
        return str(self.path.parent) if self.path is not None else self.settings.job_folder

    def open_job(self, path: Path) -> None:
        """Open a job file."""
        self.ask(f"Opening {path.name}", requests.OpenJob(path), lambda job: self._opened(job, path))

    def _opened(self, job: Job, path: Path) -> None:
        self.settings.remember_job(path)
        self.replace_job(replace(job, name=path.stem), path)

    def _claim(self, path: Path | None) -> tuple[FileInUse | None, bool]:
        """A claim on a file, the one that is there already or a new one; and whether another window has the file."""
        if path is None:
            return None, False
        if self._in_use is not None and self._in_use.is_of(path):
            return self._in_use, False
        try:
            claim = FileInUse.claim(path, open_files_folder())
        except OSError:
            return None, False  # where claims cannot be kept nobody has any
        return claim, claim is None

    def _hold_file(self, claim: FileInUse | None) -> None:
        """Hold a claim in place of the one before."""
        if self._in_use is not None and self._in_use is not claim:
            self._in_use.release()
        self._in_use = claim

    def close(self) -> None:
        """End the worker and let the file go."""
        self._hold_file(None)
        self.machines.close()
        self.library_work.close()
        super().close()

    def save_job(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Save to a file, beside the window; `then` is called when it is safe on disk. The job is called like it."""
        before = self.job
        claim, is_elsewhere = self._claim(path)
        if is_elsewhere:
            self.said.emit("stop", f"{path.name} is open in another window: save under another name (Ctrl+Shift+S)")
            return
        job = replace(before, name=path.stem)

        def saved(_: Path) -> None:
            self._hold_file(claim)
            self._saved = before if before.name == path.stem else self._history.rename(path.stem, before)
            self.path = path
            self._job_moved_on()
            self.settings.remember_job(path)
            self.file_changed.emit()
            self.said.emit("fine", f"Saved {path.name}")
            if then is not None:
                then()

        def refused(_: TrellisError) -> None:
            if claim is not None and claim is not self._in_use:
                claim.release()

        self.ask(f"Saving {path.name}", requests.SaveJob(job, path), saved, refused)

    def save_copy(self, job: Job, path: Path, then: Callable[[], Any]) -> None:
        """Save another job to a file; `then` is called when it is safe on disk."""

        def saved(_: Path) -> None:
            self.settings.remember_job(path)
            self.file_changed.emit()
            self.said.emit("fine", f"Saved {path.name}")
            then()

        self.ask(f"Saving {path.name}", requests.SaveJob(job, path), saved)

    def write_layers(self, path: Path, *, as_text: bool = False, smooths: bool = False) -> None:
        """Write the machine file of the job as it is now."""
        self.ask(
            f"Writing {path.name}", requests.WriteLayers(self.job, path, as_text, smooths),
            lambda files: self.said.emit("fine", f"Wrote {files[0]}"),
        )  # fmt: skip

    def export(self, request: ExportRequest) -> None:
        """Write parts and supports to files."""

        def written(files: tuple[Path, ...]) -> None:
            where = files[0] if len(files) == 1 else f"{len(files)} files to {files[0].parent}"
            self.said.emit("fine", f"Exported {where}")

        self.ask(f"Exporting {request.out.name}", requests.Export(self.job, request), written)

"""What was derived for the window: looked up by what it follows from, asked of the worker where it is missing.

One request at a time, the most wanted first.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks import Finding
from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.key import Key, token
from lean_trellis.core.derive.node import Node, Subject
from lean_trellis.core.derive.parts import ISLANDS
from lean_trellis.core.derive.pipeline import REGION_FACTS, RegionFacts
from lean_trellis.core.derive.statics import FIGURES
from lean_trellis.core.errors import Cancelled, TrellisError
from lean_trellis.core.job import Job
from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.overhang import Island
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.parts.tilt import Tilt, tilt_by
from lean_trellis.core.strength.figures import GripFigures
from lean_trellis.core.supports import Bars, Support
from lean_trellis.core.supports.bars.facts.figures import BarFigures
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.hatched import HATCH, Hatch, HatchPicked, selected_key
from lean_trellis.studio.library_work import LibraryWork
from lean_trellis.studio.requests import Derive, TryCures
from lean_trellis.studio.section_cut import CutOpen, Cuts, SectionPlane
from lean_trellis.studio.selection import PickedFaces, Selection
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.shown import (
    FAULTS,
    MOST_SHOWN_SOFTWARE,
    SHOWN_FILLING,
    SHOWN_VOLUME,
    TREE_READY,
    ShownFilling,
    ShownNodes,
    ShownPart,
    ShownRegions,
    ShownStructure,
    ShownVolume,
    Totals,
    shown_nodes,
)
from lean_trellis.studio.shown_layers import ShownLayers
from lean_trellis.studio.telling import Telling
from lean_trellis.studio.worker import Worker

_REST_MS = 2500
"""After so long a rest what nobody asked for is found as well: areas and loads by height."""

_MOST_UNASKED = 500_000
"""Builds whose parts have more faces than this are cut into layers only once somebody asks for it."""


class Derived(QObject):
    """What follows from the job that is shown, and the worker that finds it."""

    derived_changed = pyqtSignal()
    task_started = pyqtSignal(str)
    task_progress = pyqtSignal(float, str)
    task_ended = pyqtSignal()
    said = pyqtSignal(str, str)
    selection: Selection
    library_work: LibraryWork

    if TYPE_CHECKING:  # what the session has

        @property
        def job(self) -> Job:
            """The job as it is now."""

    def __init__(self, settings: Settings, parent: QObject | None = None, *, graph: Graph | None = None) -> None:
        """`graph` is that of another session: what is known there is known here."""
        super().__init__(parent)
        self.settings = settings
        self.worker = Worker(settings.worker_memory_mb * 1_000_000, self)
        self.worker.progressed.connect(self._progressed)
        self._is_quiet = False
        self.worker.idle.connect(self._pump)
        self.most_shown = MOST_SHOWN_SOFTWARE
        self.graph = Graph(settings.window_memory_mb * 1_000_000) if graph is None else graph
        self._held_back: dict[Key, TrellisError] = {}
        self._explicit: list[tuple[str, Any, Callable[[Any], None], Callable[[TrellisError], None]]] = []
        self._running_key: Key | None = None
        self._running_title = ""
        self._section: SectionPlane | None = None
        self._due = single_shot(self, 0)
        self._due.timeout.connect(self._pump)
        self.layers = ShownLayers(self.graph, lambda: self.job, lambda: self._due.start(), self._is_light)
        self._gives_way = self._yields = False
        self._telling = Telling(self.derived_changed.emit, self)
        self._rest = single_shot(self, _REST_MS)
        if os.environ.get("LEAN_TRELLIS_UNASKED") != "0":
            self._rest.timeout.connect(self.layers.show_strip)

    def _is_light(self) -> bool:
        """Whether the build is small enough for work that nobody asked for: supports as well, once they are known."""
        volumes = [self.volume(support) for support in self.job.supports]
        faces = sum(len(part.mesh.faces) for part in self.job.parts)
        return faces <= _MOST_UNASKED and all(volume is not None and not volume.is_sum for volume in volumes)

    @property
    def part(self) -> Part | None:
        """The current part."""
        return self.job.part(self.selection.part) if self.selection.part else None

    @property
    def _shown(self) -> ShownNodes:
        return shown_nodes(self.most_shown)

    def shown_part(self, part: Part) -> ShownPart | None:
        """Health and shown mesh of a part, once known."""
        return self.graph.known(self._shown.part, part.mesh, self.job)

    def tilt(self, part: Part) -> Tilt | None:
        """How a part stands against the plate, once known."""
        shown = self.shown_part(part)
        return None if shown is None else tilt_by(shown.axis, part.pose)

    def regions(self, part: Part) -> ShownRegions | None:
        """The overhangs of a part in its present pose, once known."""
        return self.graph.known(self._shown.regions, part, self.job)

    def facts(self, part: Part) -> RegionFacts | None:
        """Spans, what lies beneath and how much is supported of a part's regions, once known; for the current part."""
        return self.graph.known(REGION_FACTS, part, self.job)

    def islands(self, part: Part) -> tuple[Island, ...] | None:
        """The islands of a part in its present pose, once known."""
        return self.graph.known(ISLANDS, part, self.job)

    def structure(self, support: Support) -> Structure | None:
        """The structures of a support as it is now, once known."""
        shown = self.shown_structure(support)
        return None if shown is None else shown.made

    def totals(self, support: Support) -> Totals | None:
        """What a support comes to, once known."""
        shown = self.shown_structure(support)
        return None if shown is None else shown.totals

    def volume(self, support: Support) -> ShownVolume | None:
        """What a support holds, once known."""
        return self.graph.known(SHOWN_VOLUME, support, self.job)

    def volume_words(self, supports: Sequence[Support]) -> str:
        """What some supports hold in words, cm³; a sum is called so."""
        volumes = [self.volume(support) for support in supports]
        known = [volume for volume in volumes if volume is not None]
        if len(known) < len(volumes):
            return "… cm³"
        return f"{'sum ' * any(one.is_sum for one in known)}{sum(one.mm3 for one in known) / 1000:,.2f} cm³"

    def shown_structure(self, support: Support) -> ShownStructure | None:
        """The structures of a support with what the view shows of them, once known."""
        return self.graph.known(self._shown.structure, support, self.job)

    def bars(self, support: Support) -> Bars | None:
        """The bars of a support as it is now, once known; None for another family."""
        made = self.structure(support)
        return made if isinstance(made, Bars) else None

    def figures(self, support: Support) -> BarFigures | None:
        """Figures of a support's elements under load, once known; looked for on the current part alone."""
        figures = self._known_figures(support)
        return figures if isinstance(figures, BarFigures) else None

    def grip_figures(self, support: Support) -> GripFigures | None:
        """The same of supports that are not made of bars."""
        figures = self._known_figures(support)
        return figures if isinstance(figures, GripFigures) else None

    def _known_figures(self, support: Support) -> BarFigures | GripFigures | None:
        figures = self.graph.known(FIGURES, self.job.part(support.part_id), self.job)
        return None if figures is None else figures.get(support.id)

    def figure_range(self, key: str) -> tuple[float, float]:
        """From where to where a figure goes over all supports of the current part; utilisation from 0 to 1 at least."""
        known = [self._known_figures(entry) for entry in self.job.supports_of(self.selection.part)]
        with_it = [figures for figures in known if figures is not None and hasattr(figures, key) and len(figures.used)]
        values = [figures.values(key) for figures in with_it]
        if not values:
            return 0.0, 1.0
        low, high = min(float(some.min()) for some in values), max(float(some.max()) for some in values)
        return (0.0, max(high, 1.0)) if key == "used" else (low, high)

    def faults(self, part: Part) -> tuple[MeshFault, ...] | None:
        """The faults of a part's mesh with their places, once known; looked for in the current part alone."""
        return self.graph.known(FAULTS, part, self.job)

    def findings(self) -> tuple[Finding, ...] | None:
        """The findings on the job as it is now, once known."""
        return self.graph.known(FINDINGS, None, self.job)

    def fillings(self, stack: Stack) -> ShownFilling | None:
        """The solids in a stack's gaps and what they cover, once known."""
        return self.graph.known(SHOWN_FILLING, stack, self.job)

    def hatch(self, part: Part) -> Hatch | None:
        """The protected faces of a part as hatch lines, once known; None where nothing is protected."""
        return None if part.marks.protected is None else self.graph.known(HATCH, part, self.job)

    def selected_hatch(self, part: Part, selected: PickedFaces) -> Floats | None:
        """(n, 2, 2): selected faces of a part as hatch lines in plan, once known."""
        lines: Floats | None = self.graph.kept(selected_key(part, selected))
        return lines

    def cut_open(self, plane: SectionPlane | None) -> None:
        """From now on find what a plane cuts open; None for nothing."""
        self._section = plane
        self._drop_unwanted()
        self._due.start()

    def cuts(self) -> Cuts | None:
        """What the section plane cuts open, once known."""
        known: Cuts | None = None if self._section is None else self.graph.kept(self._cut_request(self._section)[0])
        return known

    def _cut_request(self, plane: SectionPlane) -> tuple[Key, Callable[[], CutOpen]]:
        """What a plane would cut: parts that are not hidden, and those of their supports that are known."""
        job = self.job
        parts = tuple(part for part in job.parts if not part.is_hidden)
        ids = {part.id for part in parts}
        supports = tuple(one for one in job.supports if one.part_id in ids and self.structure(one) is not None)
        bodies = tuple((part.id, part.mesh.key, token(part.pose)) for part in parts)
        structures = tuple((one.id, self.graph.key(self._shown.structure, one, job)) for one in supports)
        return Key("section", (plane, bodies, structures)), partial(CutOpen, plane, parts, supports, job)

    def problem_of(self, support: Support) -> TrellisError | None:
        """Why a support has no bars: its values were refused, or the work was cancelled."""
        return self._held_back.get(self.graph.key(self._shown.structure, support, self.job))

    def cancelled(self) -> tuple[str, ...]:
        """What was cancelled though the job still asks for it, in words; `derive_again` resumes it."""
        if not any(isinstance(problem, Cancelled) for problem in self._held_back.values()):
            return ()
        titles = {title: None for key, title, _ in self._wanted() if isinstance(self._held_back.get(key), Cancelled)}
        return tuple(title for title in titles if title)

    def unchecked_words(self) -> str:
        """Why there are no findings yet: checks run, were cancelled, or something they need was refused."""
        problem = self._held_back.get(self.graph.key(FINDINGS, None, self.job))
        if problem is None:
            return "Checking …"
        if isinstance(problem, Cancelled):
            return "Not checked: computing was cancelled. F5 resumes it."
        return f"Not checked: {problem}"

    def is_checking(self) -> bool:
        """Whether findings are still to come without being asked for."""
        return self.graph.key(FINDINGS, None, self.job) not in self._held_back

    def derive_again(self) -> None:
        """Ask once more for what was cancelled or refused."""
        self._held_back.clear()
        self._due.start()

    @property
    def is_settled(self) -> bool:
        """Whether everything that follows from the job is known or was refused, and shown, and nothing runs."""
        is_busy = self.worker.task is not None or self._explicit or self._telling.has_news
        is_busy = is_busy or self.library_work.is_waiting
        return not is_busy and next(self._missing(), None) is None

    @property
    def under_way(self) -> str:
        """What runs and what waits, in words; for messages."""
        running = f"{self._running_title} runs" if self.worker.task is not None else "nothing runs"
        waiting = [entry[0] for entry in self._explicit] + [title for _, title, _ in self._missing()]
        return f"{running}; waiting: {', '.join(waiting) or 'nothing'}"

    def _asked_for(self) -> Iterator[tuple[Node[Any], Subject, str]]:
        """Everything the window shows, the most wanted first: the current part before the others."""
        job, shown = self.job, self._shown
        parts = sorted(job.parts, key=lambda part: part.id != self.selection.part)
        for part in parts:
            yield shown.part, part.mesh, f"Examining {part.name}"
        for part in parts:
            yield shown.regions, part, f"Finding overhangs of {part.name}"
        for part in parts:
            if part.marks.protected is not None:
                yield HATCH, part, f"Hatching what is protected on {part.name}"
        for part in parts:
            yield ISLANDS, part, f"Finding islands of {part.name}"
        for support in sorted(job.supports, key=lambda support: support.id != self.selection.support):
            yield shown.structure, support, "Generating supports"
        for part in parts:
            yield TREE_READY, part.mesh, f"Preparing rays for {part.name}"
        for stack in job.stacks:
            if stack.filling is not None:
                yield SHOWN_FILLING, stack, "Filling the gaps of a stack"
        if self.part is not None:
            yield FAULTS, self.part, "Looking for faults"
        if job.parts:
            yield FINDINGS, None, "Checking the build"
        if self.part is not None:
            if job.supports_of(self.part.id):
                yield FIGURES, self.part, "Working out loads"
            yield REGION_FACTS, self.part, "Measuring the regions"
        for support in sorted(job.supports, key=lambda support: support.id != self.selection.support):
            if self.totals(support) is not None:
                yield SHOWN_VOLUME, support, "Measuring supports as built"

    def _wanted(self) -> Iterator[tuple[Key, str, Callable[[], Any]]]:
        """The same with keys and requests; before it what is selected, and what a section cuts (without a word)."""
        job, selected, part = self.job, self.selection.faces, self.part
        if selected is not None and part is not None and selected.part == part.id and len(selected.faces):
            yield selected_key(part, selected), "Drawing selected faces", partial(HatchPicked, part, selected.faces)
        if self._section is not None:
            key, make = self._cut_request(self._section)
            yield key, "", make
        for node, subject, title in self._asked_for():
            key = self.graph.key(node, subject, job)
            yield key, title, partial(Derive, node, subject, job)
        yield from self.layers.wanted()

    def _missing(self) -> Iterator[tuple[Key, str, Callable[[], Any]]]:
        return (entry for entry in self._wanted() if not self.graph.has(entry[0]) and entry[0] not in self._held_back)

    def _drop_unwanted(self) -> None:
        """Stop a derivation that the job no longer asks for, and what was tried on the job as it was."""
        if self._yields or (self._running_key is not None and self._running_key not in {e[0] for e in self._wanted()}):
            self._gives_way = self._yields
            self.worker.cancel(at_any_price=False)

    def _pump(self) -> None:
        """Start what is most wanted, when nothing runs."""
        if self.worker.task is not None:
            return
        if self._explicit:
            title, request, done, refused = self._explicit.pop(0)
            self._run(None, title, request, done, refused)
            return
        entry = next(self._missing(), None)
        if entry is None:
            if self._running_title:
                self._running_title = ""
                self.task_ended.emit()
            self._rest.start()
            return
        key, title, make = entry
        self._run(key, title, make(), lambda result: self._keep(key, result))

    def _run(
        self,
        key: Key | None,
        title: str,
        request: Any,
        done: Callable[[Any], None],
        refused: Callable[[TrellisError], None] = lambda _: None,
    ) -> None:
        self._running_key, self._is_quiet, self._yields = key, not title, isinstance(request, TryCures)
        if title:
            self._running_title = title
            self.task_started.emit(title)

        def failed(problem: TrellisError) -> None:
            refused(problem)
            self._failed(key, title, problem)

        self.worker.ask(request, done, failed)

    def _keep(self, key: Key, result: Any) -> None:
        self._running_key, self._gives_way = None, False
        self.graph.keep(key, result)
        self._telling.take()

    def _failed(self, key: Key | None, title: str, problem: TrellisError) -> None:
        self._running_key = None
        gave_way, self._gives_way, self._yields = self._gives_way, False, False
        if gave_way and isinstance(problem, Cancelled):
            return
        still_wanted = key is not None and key in {entry for entry, _, _ in self._wanted()}
        if key is not None and still_wanted:
            self._held_back[key] = problem
            self._telling.take()
        if isinstance(problem, Cancelled):
            if title and (key is None or still_wanted):
                self.said.emit("note", f"Cancelled: {title}")
        else:
            self.said.emit("stop", str(problem))

    def cancel(self) -> None:
        """Stop what runs, on the user's word."""
        if self.worker.task is not None:
            self.worker.cancel()

    def drop_work(self) -> None:
        """Stop what runs and forget what waits."""
        self._explicit.clear()
        self.cancel()

    # --- asked for ---

    def ask(
        self,
        title: str,
        request: Any,
        done: Callable[[Any], None],
        refused: Callable[[TrellisError], None] = lambda _: None,
        *,
        instead: bool = False,
    ) -> None:
        """Have something computed beside the window; `done` gets the answer, `refused` the error after it was said.

        It comes `instead` of requests of its kind that still wait, if that is said.
        """
        if instead:
            self._explicit = [one for one in self._explicit if type(one[1]) is not type(request)]
        self._explicit.append((title, request, lambda result: self._finish(done, result), refused))
        if self._yields or (self._running_key is not None and self._is_quiet):  # what nobody waits for gives way
            self._gives_way = True
            self.worker.cancel(at_any_price=False)
        self._due.start()

    def ask_quietly(self, request: Any, done: Callable[[Any], None]) -> bool:
        """Have something small worked out without a word in the status line; not where anything else runs or waits."""
        if self.worker.task is not None or self._explicit:
            return False
        self._running_key, self._running_title, self._is_quiet = None, "", True
        self.worker.ask(request, done, lambda _: None)
        return True

    def _progressed(self, share: float, words: str) -> None:
        if not self._is_quiet:
            self.task_progress.emit(share, words)

    def _finish(self, done: Callable[[Any], None], result: Any) -> None:
        self._running_key, self._yields = None, False
        done(result)

    def close(self) -> None:
        """End the worker."""
        self._due.stop()
        self._rest.stop()
        self.worker.close()

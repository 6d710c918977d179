"""What was derived for the window: looked up by what it follows from, asked of the worker where it is missing.

One request at a time, the most wanted first.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from typing import TYPE_CHECKING, Any, cast

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lean_trellis.core.checks import Finding
from lean_trellis.core.derived_keys import (
    bar_supports,
    figures_key,
    fillings_key,
    findings_key,
    islands_key,
    overhangs_key,
    structure_key,
)
from lean_trellis.core.errors import Cancelled, TrellisError
from lean_trellis.core.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.faults import Fault
from lean_trellis.core.overhang import Island
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.pipeline import RegionFacts
from lean_trellis.core.supports import Bars, Support
from lean_trellis.core.supports.figures import BarFigures
from lean_trellis.core.supports.structure import Solid, Structure
from lean_trellis.studio import requests
from lean_trellis.studio.hand_requests import ShowFigures
from lean_trellis.studio.part_requests import FindFaults, ShowFillings
from lean_trellis.studio.requests import ShownPart, ShownRegions, ShownStructure
from lean_trellis.studio.selection import Selection
from lean_trellis.studio.worker import Worker

_MOST_KEPT = 300


class Derived(QObject):
    """What follows from the job that is shown, and the worker that finds it."""

    derived_changed = pyqtSignal()
    task_started = pyqtSignal(str)
    task_progress = pyqtSignal(float, str)
    task_ended = pyqtSignal()
    said = pyqtSignal(str, str)
    selection: Selection

    if TYPE_CHECKING:  # what the session has

        @property
        def job(self) -> Job:
            """The job as it is now."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.worker = Worker(self)
        self.worker.progressed.connect(self._progressed)
        self._is_quiet = False
        self.worker.idle.connect(self._pump)
        self.most_shown = requests.MOST_SHOWN_SOFTWARE
        self._results: OrderedDict[Hashable, Any] = OrderedDict()
        self._held_back: dict[Hashable, TrellisError] = {}
        self._explicit: list[tuple[str, Any, Callable[[Any], None], Callable[[TrellisError], None]]] = []
        self._running_key: Hashable | None = None
        self._running_title = ""
        self._due = QTimer(self, singleShot=True, interval=0)
        self._due.timeout.connect(self._pump)

    @property
    def part(self) -> Part | None:
        """The part in hand."""
        return self.job.part(self.selection.part) if self.selection.part else None

    def shown_part(self, part: Part) -> ShownPart | None:
        """Health and shown mesh of a part, once known."""
        return self._results.get(("part", part.mesh.key))

    def regions(self, part: Part) -> ShownRegions | None:
        """The overhangs of a part as it stands now, once known."""
        return self._results.get(("regions", overhangs_key(part, self.job)))

    def facts(self, part: Part) -> RegionFacts | None:
        """Spans, what lies beneath and how much is held of a part's regions, once known; for the part in hand."""
        return self._results.get(self._facts_key(part))

    def _facts_key(self, part: Part) -> Hashable:
        return ("facts", part.id, findings_key(self.job))

    def islands(self, part: Part) -> tuple[Island, ...] | None:
        """The islands of a part as it stands now, once known."""
        return self._results.get(("islands", islands_key(part, self.job)))

    def structure(self, support: Support) -> Structure | None:
        """The structures of a support as it is now, once known."""
        shown = self.shown_structure(support)
        return None if shown is None else shown.made

    def shown_structure(self, support: Support) -> ShownStructure | None:
        """The structures of a support with what the view shows of them, once known."""
        return self._results.get(("structure", structure_key(support, self.job)))

    def bars(self, support: Support) -> Bars | None:
        """The bars of a support as it is now, once known; None for another family."""
        made = self.structure(support)
        return made if isinstance(made, Bars) else None

    def solid(self, support: Support) -> Solid | None:
        """The structures of a support of another family than bars, once known."""
        made = self.structure(support)
        return None if isinstance(made, Bars) else cast("Solid | None", made)

    def figures(self, support: Support) -> BarFigures | None:
        """Figures of a support's bars, once known; looked for on the part in hand alone."""
        found = self._results.get(("figures", figures_key(support.part_id, self.job)))
        return None if found is None else found.get(support.id)

    def figure_range(self, key: str) -> tuple[float, float]:
        """From where to where a figure goes over all bars of the part in hand; strength used from 0 to 1 at least."""
        known = [self.figures(entry) for entry in self.job.supports_of(self.selection.part)]
        values = [found.values(key) for found in known if found is not None and len(found.used)]
        if not values:
            return 0.0, 1.0
        low, high = min(float(some.min()) for some in values), max(float(some.max()) for some in values)
        return (0.0, max(high, 1.0)) if key == "used" else (low, high)

    def faults(self, part: Part) -> tuple[Fault, ...] | None:
        """The faults of a part's mesh with their places, once known; looked for in the part in hand alone."""
        return self._results.get(self._faults_key(part))

    def _faults_key(self, part: Part) -> Hashable:
        return ("faults", part.mesh.key, self._least_wall)

    @property
    def _least_wall(self) -> float:
        """The thinnest wall that the material's process makes, mm."""
        constant = self.job.material.constants.get("least_wall")
        return constant.value if constant is not None else 0.0

    def findings(self) -> tuple[Finding, ...] | None:
        """The findings on the job as it is now, once known."""
        return self._results.get(("findings", findings_key(self.job)))

    def fillings(self, stack: Stack) -> Mesh | None:
        """The solids in a stack's gaps as one mesh, once known."""
        return self._results.get(("fillings", fillings_key(stack, self.job)))

    def problem_of(self, support: Support) -> TrellisError | None:
        """Why a support has no bars: its values were refused, or the work was cancelled."""
        return self._held_back.get(("structure", structure_key(support, self.job)))

    def derive_again(self) -> None:
        """Ask once more for what was cancelled or refused."""
        self._held_back.clear()
        self._due.start()

    @property
    def is_settled(self) -> bool:
        """Whether everything that follows from the job is known or was refused, and nothing runs."""
        return self.worker.task is None and not self._explicit and next(self._missing(), None) is None

    @property
    def under_way(self) -> str:
        """What runs and what waits, in words; for messages."""
        running = f"{self._running_title} runs" if self.worker.task is not None else "nothing runs"
        waiting = [entry[0] for entry in self._explicit] + [title for _, title, _ in self._missing()]
        return f"{running}; waiting: {', '.join(waiting) or 'nothing'}"

    def _wanted(self) -> Iterator[tuple[Hashable, str, Callable[[], Any]]]:
        """Everything the window shows, the most wanted first: the part in hand before the others."""
        job = self.job
        parts = sorted(job.parts, key=lambda part: part.id != self.selection.part)
        for part in parts:
            yield (
                ("part", part.mesh.key),
                f"Examining {part.name}",
                lambda p=part: requests.ShowPart(p.mesh, p.name, self.most_shown),
            )
        for part in parts:
            key = ("regions", overhangs_key(part, job))
            yield (
                key,
                f"Finding overhangs of {part.name}",
                lambda p=part: requests.ShowRegions(p, job, self.most_shown),
            )
        for part in parts:
            key = ("islands", islands_key(part, job))
            yield key, f"Finding islands of {part.name}", lambda p=part: requests.ShowIslands(p, job)
        supports = sorted(job.supports, key=lambda support: support.id != self.selection.support)
        for support in supports:
            key = ("structure", structure_key(support, job))
            yield key, "Generating supports", lambda s=support: requests.ShowStructure(s, job, self.most_shown)
        for part in parts:
            yield (
                ("tree", part.mesh.key),
                f"Preparing rays for {part.name}",
                lambda p=part: requests.PrepareTree(p.mesh),
            )
        for stack in job.stacks:
            if stack.filling is not None:
                key = ("fillings", fillings_key(stack, job))
                yield key, "Filling the gaps of a stack", lambda s=stack: ShowFillings(s, job)
        if self.part is not None:
            least = self._least_wall
            yield self._faults_key(self.part), "Looking for faults", lambda p=self.part: FindFaults(p.mesh, least)
        if job.parts:
            yield ("findings", findings_key(job)), "Checking the build", lambda: requests.FindFindings(job)
        if self.part is not None:
            if bar_supports(self.part.id, job):
                key = ("figures", figures_key(self.part.id, job))
                yield key, "Working out loads", lambda i=self.part.id: ShowFigures(i, job)
            key = self._facts_key(self.part)
            yield key, "Measuring the regions", lambda i=self.part.id: requests.ShowFacts(i, job)

    def _missing(self) -> Iterator[tuple[Hashable, str, Callable[[], Any]]]:
        return (entry for entry in self._wanted() if entry[0] not in self._results and entry[0] not in self._held_back)

    def _drop_unwanted(self) -> None:
        """Stop a derivation that the job no longer asks for."""
        if self._running_key is not None and self._running_key not in {key for key, _, _ in self._wanted()}:
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
            return
        key, title, make = entry
        self._run(key, title, make(), lambda result: self._keep(key, result))

    def _run(
        self,
        key: Hashable | None,
        title: str,
        request: Any,
        done: Callable[[Any], None],
        refused: Callable[[TrellisError], None] = lambda _: None,
    ) -> None:
        self._running_key, self._running_title, self._is_quiet = key, title, False
        self.task_started.emit(title)

        def failed(problem: TrellisError) -> None:
            refused(problem)
            self._failed(key, title, problem)

        self.worker.ask(request, done, failed)

    def _keep(self, key: Hashable, result: Any) -> None:
        self._running_key = None
        self._results[key] = result
        while len(self._results) > _MOST_KEPT:
            self._results.popitem(last=False)
        self.derived_changed.emit()

    def _failed(self, key: Hashable | None, title: str, problem: TrellisError) -> None:
        self._running_key = None
        still_wanted = key is not None and key in {entry for entry, _, _ in self._wanted()}
        if key is not None and still_wanted:
            self._held_back[key] = problem
            self.derived_changed.emit()
        if isinstance(problem, Cancelled):
            if key is None or still_wanted:
                self.said.emit("note", f"Cancelled: {title}")
        else:
            self.said.emit("stop", str(problem))

    def cancel(self) -> None:
        """Stop what runs, on the user's word."""
        if self.worker.task is not None:
            self.worker.cancel()

    # --- asked for ---

    def ask(
        self,
        title: str,
        request: Any,
        done: Callable[[Any], None],
        refused: Callable[[TrellisError], None] = lambda _: None,
    ) -> None:
        """Have something computed beside the window; `done` gets the answer, `refused` the error after it was said."""
        self._explicit.append((title, request, lambda result: self._finish(done, result), refused))
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
        self._running_key = None
        done(result)

    def close(self) -> None:
        """End the worker."""
        self._due.stop()
        self.worker.close()

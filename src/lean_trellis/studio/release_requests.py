"""Requests of the release: builds sent to machines or folders, and what the board does, beside the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.log import logged
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.job import Job
from lean_trellis.core.progress import Watch
from lean_trellis.core.release.machines.client import MachineClient
from lean_trellis.core.release.machines.register import Known
from lean_trellis.core.release.releasing import ReleaseResult, ReleaseWish, release_to_folder, release_to_machine
from lean_trellis.core.shop.rules import shop_rules
from lean_trellis.core.shop.store.store import open_store


@dataclass(frozen=True)
class ReleaseBuild:
    """Release a job to a machine, or to a folder; `picture` is a PNG of it in base64."""

    job: Job
    findings: tuple[Finding, ...]
    who: str
    machine: Known | None = None
    folder: Path | None = None
    replaces: bool = False
    picture: str = ""
    library: str = ""

    def answer(self, pipeline: Pipeline, watch: Watch) -> ReleaseResult:
        """Whether it was accepted. Raises `MachineError` where the machine is away, `StoreError` without its rules."""
        wish = ReleaseWish(self.findings, self.who, date.today(), shop_rules(self.library).two_people, self.picture)
        if self.machine is not None:
            return release_to_machine(self.job, pipeline, wish, MachineClient(self.machine), watch=watch)
        assert self.folder is not None
        return release_to_folder(self.job, pipeline, wish, self.folder, replaces=self.replaces, watch=watch)


@dataclass(frozen=True)
class LogRelease:
    """Note a released job in the build log of the shop library."""

    job: Job
    library: str = ""

    def answer(self, pipeline: Pipeline, watch: Watch) -> TrellisError | None:
        """Why that could not be done, where it could not."""
        return logged(self.job, self.library)


@dataclass(frozen=True)
class OnBoard:
    """Something done with the board: `act` gets the board and the watch, and is one of the core's functions."""

    act: Callable[[Board, Watch], Any]
    library: str = ""

    def answer(self, pipeline: Pipeline, watch: Watch) -> Any:
        """What `act` gives."""
        store = open_store(self.library or None)
        try:
            return self.act(Board(store), watch)
        finally:
            store.close()

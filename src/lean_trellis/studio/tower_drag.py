"""The purge tower as it is dragged over the plate, in whichever view."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.job.edits import move_purge_tower
from lean_trellis.core.shop.machine import Zone
from lean_trellis.studio.session import Session


class TowerDrag:
    """Takes the tower at a place of the plate and lets it go at another: one edit."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._taken_at: tuple[float, float] | None = None
        self._step = (0.0, 0.0)

    def begin(self, x: float, y: float) -> bool:
        """Take the tower where it stands at a place, mm. True when it does."""
        tower = self._tower
        is_there = tower is not None and bool(tower.holds(np.array([[x, y]]))[0])
        self._taken_at, self._step = ((x, y) if is_there else None), (0.0, 0.0)
        return is_there

    @property
    def is_on(self) -> bool:
        """Whether it is being dragged."""
        return self._taken_at is not None

    @property
    def step(self) -> tuple[float, float]:
        """How far it has come, mm."""
        return self._step

    @property
    def zone(self) -> Zone | None:
        """Where it stands, or would stand once let go; None without one."""
        tower = self._tower
        if tower is None or not self.is_on:
            return tower
        return tower.model_copy(update={"x": tower.x + self._step[0], "y": tower.y + self._step[1]})

    def move(self, x: float, y: float) -> None:
        """The pointer is at a place of the plate now, mm."""
        if self._taken_at is not None:
            self._step = (x - self._taken_at[0], y - self._taken_at[1])

    def end(self) -> None:
        """Let go: the tower stands there from now on."""
        zone, was_on = self.zone, self.is_on
        self._taken_at = None
        if zone is not None and was_on and self._step != (0.0, 0.0):
            self._session.do(lambda job: move_purge_tower(job, zone.x, zone.y))

    def drop(self) -> None:
        """Let go where it was."""
        self._taken_at = None

    @property
    def _tower(self) -> Zone | None:
        machine = self._session.job.machine
        return machine.purge_tower if machine.process == "extrusion" and not machine.is_belt else None

"""What outcomes of builds say of parameter sets, of the limit of utilisation, and of the time that is estimated."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.board.rows import FAILURES, BoardBuild

HELD_BACK = ("fell_off", "came_off_plate", "broke")
"""Outcomes in which supports or bond were too weak; marks and distortion are another matter."""
LEAST_OUTCOMES = 6
_SLOPE = 12.0
"""How sharply failing sets in with the logarithm of utilisation: assumed, a scatter of strength of some 15 %."""
_DROP = 1.353
"""Half the quantile of chi² with one degree of freedom at 90 %: where a profile likelihood's interval ends."""


@dataclass(frozen=True)
class PartOutcome:
    """What came of one part, and what its supports carried: set, version and utilisation of each."""

    build: str
    part: str
    outcome: str
    note: str
    material: str
    supports: tuple[tuple[str, int, float], ...] = ()

    @property
    def most_used(self) -> float:
        """The greatest utilisation of its supports."""
        return max((used for _, _, used in self.supports), default=0.0)


@dataclass(frozen=True)
class SetRecord:
    """How often a version of a set was built, failed, and at which utilisations."""

    name: str
    version: int
    built: int = 0
    failed: int = 0
    failed_at: tuple[float, ...] = field(default=())

    def words(self) -> str:
        """In a line: `built 12, failed 1 (at 0.81)`."""
        at = f" (at {', '.join(f'{used:.2f}' for used in self.failed_at)})" if self.failed_at else ""
        return f"built {self.built}, failed {self.failed}{at}"


def outcomes_of(builds: Iterable[BoardBuild]) -> tuple[PartOutcome, ...]:
    """The parts of builds of which something was noted."""
    outcomes = []
    for build in builds:
        said = _ticket_parts(build)
        for part in build.parts:
            if part.outcome:
                supports = tuple(
                    (str(one["set_id"]), int(one["version"]), float(one["utilisation"]))
                    for one in said.get(part.name, {}).get("supports", ())
                )
                note, material = part.outcome_note, build.material
                outcomes.append(PartOutcome(build.name, part.name, part.outcome, note, material, supports))
    return tuple(outcomes)


def _ticket_parts(build: BoardBuild) -> dict[str, Any]:
    try:
        said = json.loads(build.released) if build.released else {}
        return {str(part["name"]): part for part in said.get("parts", ())}
    except (ValueError, KeyError, TypeError, AttributeError):
        return {}


def set_records(outcomes: Iterable[PartOutcome]) -> dict[tuple[str, int], SetRecord]:
    """What is known of each version of a set, by name and version."""
    records: dict[tuple[str, int], SetRecord] = {}
    for one in outcomes:
        failed = one.outcome in FAILURES
        for name, version, used in one.supports:
            known = records.get((name, version), SetRecord(name, version))
            at = (*known.failed_at, round(used, 3)) if failed else known.failed_at
            records[name, version] = SetRecord(name, version, known.built + 1, known.failed + failed, at)
    return records


@dataclass(frozen=True)
class FittedLimit:
    """The utilisation at which half of the parts fail, between two ends (90 %), from so many outcomes."""

    value: float
    low: float
    high: float
    n_held: int
    failed: int

    def words(self) -> str:
        """In a line."""
        return (
            f"from {self.n_held + self.failed} outcomes supports fail at a utilisation of {self.value:.2f} "
            f"({self.low:.2f} to {self.high:.2f})"
        )


def fitted_limit(outcomes: Sequence[PartOutcome]) -> FittedLimit | None:
    """The limit of utilisation that fits best what held and what failed; None while there is too little to go by.

    Logistic in the logarithm of utilisation, its steepness assumed; the ends by profile likelihood. Sources: Cox,
    "The regression analysis of binary sequences"; Wilks for the interval.
    """
    from scipy.optimize import minimize_scalar  # half a second less for a window that fits nothing

    judged = [one for one in outcomes if one.most_used > 0 and (one.outcome == "well" or one.outcome in HELD_BACK)]
    used = np.array([one.most_used for one in judged])
    failed = np.array([one.outcome in HELD_BACK for one in judged])
    if len(judged) < LEAST_OUTCOMES or failed.all() or not failed.any():
        return None
    logs = np.log(used)
    low, high = float(logs.min()) - 1.0, float(logs.max()) + 1.0
    best = float(minimize_scalar(_misfit, args=(logs, failed), bounds=(low, high), method="bounded").x)
    tried = np.linspace(low, high, 2001)
    misfits = np.array([_misfit(one, logs, failed) for one in tried])
    within = tried[misfits <= _misfit(best, logs, failed) + _DROP]
    ends = (float(within.min()), float(within.max())) if len(within) else (best, best)
    return FittedLimit(
        math.exp(best), math.exp(min(ends[0], best)), math.exp(max(ends[1], best)), int((~failed).sum()),
        int(failed.sum()),
    )  # fmt: skip


def _misfit(limit: float, logs: Floats, failed: Floats) -> float:
    """Negative log likelihood of what failed, with the logarithm of a limit."""
    from scipy.special import expit

    chance = np.clip(expit(_SLOPE * (logs - limit)), 1e-12, 1 - 1e-12)
    return float(-np.where(failed, np.log(chance), np.log1p(-chance)).sum())


@dataclass(frozen=True)
class TimeFactor:
    """Actual over estimated time on a machine: the middle one of so many builds, and the least and the most."""

    machine: str
    value: float
    low: float
    high: float
    builds: int


def time_factor(builds: Iterable[BoardBuild], machine_id: str) -> TimeFactor | None:
    """How much longer builds take on a machine than was estimated; None where no time was noted."""
    ratios = []
    for build in builds:
        if build.machine == machine_id and build.actual_seconds and build.released:
            try:
                estimated = float(json.loads(build.released).get("build_seconds") or 0.0)
            except (ValueError, TypeError, AttributeError):
                continue
            if estimated > 0:
                ratios.append(build.actual_seconds / estimated)
    if not ratios:
        return None
    return TimeFactor(machine_id, float(np.median(ratios)), min(ratios), max(ratios), len(ratios))

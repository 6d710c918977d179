"""Values of a recipe tried on a part: figures of supports and statics for all, layers and checks for the best.

Only what has no stop counts as best.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.errors import EditError, TrellisError
from lean_trellis.core.job.edits import Edit, remove_parts
from lean_trellis.core.job.job import Job
from lean_trellis.core.processes import done_apart, processors
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.search.candidates import OpenValue, combinations
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, Value
from lean_trellis.core.supports.common.support import Support

FIGURES: Mapping[str, tuple[str, str]] = {
    "volume_mm3": ("Support volume", "mm³"),
    "contact_mm2": ("Contact area", "mm²"),
    "used": ("Utilisation", ""),
    "deflection_mm": ("Deflection", "mm"),
    "count": ("Elements", ""),
    "seconds": ("Build time", "s"),
    "cautions": ("Cautions", ""),
}
"""What is measured of each: what it is called and its unit; less is better of all."""
CHEAP = ("volume_mm3", "contact_mm2", "used", "deflection_mm")
MOST = 200
BEST = 20
_CHEAP_SHARE, _CHECKED_SHARE, _WHOLE_SHARE = 0.65, 0.85, 0.95
"""Of the time: until when figures, findings and build times are begun."""


@dataclass(frozen=True)
class SearchWish:
    """What is tried on which part: values of the recipe that are open, how many combinations, how long at most."""

    job: Job
    part_id: str
    recipe: Recipe
    sets: Mapping[str, ParameterSet]
    opened: tuple[OpenValue, ...]
    most: int = MOST
    seconds: float = 60.0
    workers: int = 0


@dataclass(frozen=True)
class Candidate:
    """One combination: a value for each open one, and its figures as far as they are known; or why there are none."""

    values: tuple[Value, ...]
    figures: Mapping[str, float] = field(default_factory=dict)
    stops: int | None = None
    reason: str = ""

    @property
    def is_sound(self) -> bool:
        """Whether it was checked and has no stop."""
        return self.stops == 0


@dataclass(frozen=True)
class FoundValues:
    """All candidates that were tried, the best ones by their numbers, and how many were left out for want of time."""

    wish: SearchWish
    candidates: tuple[Candidate, ...]
    best: tuple[int, ...]
    untried: int

    def edit(self, number: int) -> Edit:
        """The part with the supports of a candidate."""
        base = _base(self.wish, Pipeline())
        part = self.wish.job.part(self.wish.part_id)
        return Edit(f"Support {part.name} with found values", _with_values(base, self.candidates[number].values))


@dataclass(frozen=True, eq=False)
class _Base:
    """The part alone with the recipe's supports, and which of their values are open: support id and key."""

    job: Job
    places: tuple[tuple[str, str], ...]


def _base(wish: SearchWish, pipeline: Pipeline, watch: Watch = UNWATCHED) -> _Base:
    job = apply_recipe(wish.job, wish.part_id, wish.recipe, wish.sets, pipeline.graph, watch).edit.job
    places = []
    for one in wish.opened:
        places.append((_support_of(job, wish, one).id, one.key))
    return _Base(job, tuple(places))


def _support_of(job: Job, wish: SearchWish, one: OpenValue) -> Support:
    for support in job.supports_of(wish.part_id):
        made = support.made_by
        if made is not None and (made.recipe, made.rule, made.use) == (wish.recipe.id, one.rule, one.use):
            return support
    raise EditError(one.rule, f"takes no region of {job.part(wish.part_id).name}", "open a value of another rule")


def _with_values(base: _Base, values: Sequence[Value]) -> Job:
    """The job with the open values set, those of one support together."""
    job = base.job
    of: dict[str, dict[str, Value]] = {}
    for (support_id, key), value in zip(base.places, values, strict=True):
        of.setdefault(support_id, {})[key] = value
    for support_id, changed in of.items():
        support = job.support(support_id)
        job = job.with_support(replace(support, parameters=support.parameters.with_values(changed)))
    return job


@lru_cache(maxsize=1)
def _pipeline_of(_: _Base) -> Pipeline:
    """Kept from one candidate to the next: what follows from the part alone is derived once a process."""
    return Pipeline()


def _measured(base: _Base, candidate: Candidate) -> Candidate:
    """Figures of supports and statics."""
    return replace(candidate, figures=_cheap(_with_values(base, candidate.values), _pipeline_of(base)))


def _cheap(job: Job, pipeline: Pipeline) -> dict[str, float]:
    (part,) = job.parts
    own = job.supports_of(part.id)
    made = [pipeline.structure(support, job) for support in own]
    statics, figures = pipeline.statics(part.id, job).statics, pipeline.figures(part.id, job)
    return {
        "volume_mm3": sum(one.volume_mm3 for one in made),
        "contact_mm2": sum(one.contact_area_mm2 for one in made),
        "used": max((float(figures[one.id].used.max(initial=0.0)) for one in own), default=0.0),
        "deflection_mm": statics.deflection.value,
        "count": float(sum(one.counted.number for one in made)),
    }


def _with_findings(base: _Base, candidate: Candidate) -> Candidate:
    pipeline = _pipeline_of(base)
    findings = pipeline.findings(_with_values(base, candidate.values))
    cautions = float(sum(one.severity == "caution" for one in findings))
    stops = sum(one.severity == "stop" for one in findings)
    return replace(candidate, figures={**candidate.figures, "cautions": cautions}, stops=stops)


def _with_time(base: _Base, candidate: Candidate) -> Candidate:
    estimate = _pipeline_of(base).graph.get(ESTIMATE, None, _with_values(base, candidate.values))
    return replace(candidate, figures={**candidate.figures, "seconds": estimate.build_seconds})


_STAGES = {"figures": _measured, "findings": _with_findings, "time": _with_time}


def _worked(base: _Base, task: tuple[str, Candidate]) -> Candidate:
    """One stage of one candidate; what is refused or fails is said of it."""
    stage, candidate = task
    try:
        return _STAGES[stage](base, candidate)
    except TrellisError as problem:
        return replace(candidate, reason=str(problem))


def _lost(task: tuple[str, Candidate], how: str) -> Candidate:
    return replace(task[1], reason=f"its process ended {how}")


def find_best(wish: SearchWish, watch: Watch = UNWATCHED) -> FoundValues:
    """Try combinations of the open values on all processors, then check the best.

    Raises `EditError` where nothing is open or a rule with an open value takes no region, `Cancelled` as the `watch`
    does.
    """
    begin = time.perf_counter()
    values = combinations(wish.opened, wish.most)
    _require_known(wish, values[0])  # what cannot be is said before anything is worked out
    others = [part.id for part in wish.job.parts if part.id != wish.part_id]
    alone = replace(wish, job=remove_parts(wish.job, others).job if others else wish.job)
    base = _base(alone, Pipeline(), Stretch(watch, 0.0, 0.05))
    base = replace(base, job=replace(base.job, trials=()))
    search = _Search(base, values, begin, wish.seconds, watch)
    search.run(min(wish.workers or processors(), len(values)))
    numbers = sorted(search.candidates)
    place_of = {number: place for place, number in enumerate(numbers)}
    best = tuple(place_of[number] for number in search.sound)
    return FoundValues(wish, tuple(search.candidates[number] for number in numbers), best, len(values) - len(numbers))


class _Search:
    """The search as it goes on: figures of all, then findings of the most promising, then build times of the sound."""

    def __init__(
        self, base: _Base, values: Sequence[tuple[Value, ...]], begin: float, seconds: float, watch: Watch
    ) -> None:
        self._base, self._values, self._watch = base, values, watch
        self._begin, self._seconds = begin, seconds
        self._is_ranked = threading.Event()
        self._order: list[int] = []
        self._said = (0.05, "starting")
        self._waited_for = 0
        self.candidates: dict[int, Candidate] = {}
        self.sound: list[int] = []

    def run(self, workers: int) -> None:
        """Do it all."""
        answers = done_apart(_worked, self._tasks(), workers, lost=_lost, common=self._base, tick=self._tick)
        try:
            for number, candidate in answers:
                self._take(number, candidate)
                self._tick()
        finally:
            self._is_ranked.set()
            answers.close()  # type: ignore[attr-defined]
        self.sound.sort(key=self._order.index)

    def _tick(self) -> None:
        self._watch.at(*self._said)

    def _is_over(self, share: float) -> bool:
        return time.perf_counter() - self._begin > share * self._seconds

    def _tasks(self) -> Iterator[tuple[int, tuple[str, Candidate]]]:
        """Tasks for the workers, in their threads: a stage begins when the one before is known."""
        for number, values in enumerate(self._values):
            if self._is_over(_CHEAP_SHARE):
                break
            self._waited_for += 1
            yield number, ("figures", Candidate(values))
        if self._waited_for == len(self.candidates):
            self._rank()
        self._is_ranked.wait()
        for number in list(self._order):
            if len(self.sound) >= BEST or self._is_over(_CHECKED_SHARE):
                break
            yield number, ("findings", self.candidates[number])
        for number in list(self.sound):
            if self._is_over(_WHOLE_SHARE):
                break
            yield number, ("time", self.candidates[number])

    def _take(self, number: int, candidate: Candidate) -> None:
        is_first = number not in self.candidates
        self.candidates[number] = candidate
        if is_first:
            count = len(self.candidates)
            self._said = (0.05 + 0.6 * count / len(self._values), f"{count} of {len(self._values)} tried")
            if count == self._waited_for and (count == len(self._values) or self._is_over(_CHEAP_SHARE)):
                self._rank()
        elif candidate.is_sound and number not in self.sound and len(self.sound) < BEST:
            self.sound.append(number)
        if self._is_ranked.is_set():
            timed = sum("seconds" in self.candidates[one].figures for one in self.sound)
            share = 0.65 + 0.35 * (len(self.sound) + timed) / (2 * BEST)
            self._said = (min(share, 0.99), f"{len(self.sound)} without stops, build time of {timed}")

    def _rank(self) -> None:
        numbers = sorted(self.candidates)
        self._order = _most_promising([self.candidates[number] for number in numbers], numbers)
        self._is_ranked.set()


def _require_known(wish: SearchWish, values: Sequence[Value]) -> None:
    for one, value in zip(wish.opened, values, strict=True):
        wish.recipe.rule(one.rule).uses[one.use].parameters(wish.sets).with_value(one.key, value)


def _most_promising(candidates: Sequence[Candidate], numbers: Sequence[int]) -> list[int]:
    """Numbers of candidates with figures: first those that no other beats in all, then those that only these beat.

    Within each front by the sum of their ranks; overloaded ones last.
    """
    known = [place for place, one in enumerate(candidates) if one.figures]
    if not known:
        return []
    table = np.array([[candidates[place].figures[key] for key in CHEAP] for place in known])
    ranks = table.argsort(axis=0).argsort(axis=0).sum(axis=1)
    fronts, left = np.zeros(len(known), int), np.ones(len(known), bool)
    while left.any():
        here = front_of(table, left)
        fronts[here] = fronts.max() + 1
        left &= ~here
    overloaded = table[:, CHEAP.index("used")] > 1
    order = np.lexsort((ranks, fronts, overloaded))
    return [numbers[known[place]] for place in order.tolist()]


def front_of(table: Floats, among: Bools) -> Bools:
    """(n,): of rows (n, f) `among` which no other is as good in all figures and better in one."""
    rows = np.flatnonzero(among)
    some = table[rows]
    as_good = (some[:, None] <= some[None]).all(axis=2)
    better = (some[:, None] < some[None]).any(axis=2)
    result = np.zeros(len(table), bool)
    result[rows] = ~(as_good & better).any(axis=0)
    return result

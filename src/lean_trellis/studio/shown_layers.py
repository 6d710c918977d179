"""The layers that the window looks at: which one is current, what is known of it, what is wanted of the worker."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

import numpy as np

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.key import Key, token
from lean_trellis.core.derive.layers import DANGER, ESTIMATE, LAYER_FAULTS, LAYER_PROFILE, LAYERED_BODIES
from lean_trellis.core.derive.statics import GROWTH
from lean_trellis.core.derive.trials import TRIAL_FIGURES, TrialFigures
from lean_trellis.core.job import Job
from lean_trellis.core.layers import LayerPlan
from lean_trellis.core.layers.estimate import BodyKind, Estimate
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.layers.profile import Profile
from lean_trellis.core.layers.thin_places import LayerFaults
from lean_trellis.core.parts.part import Part
from lean_trellis.core.strength.growth_use import Danger, GrowthUse
from lean_trellis.studio.layer_portions import ShownLayer, ShowPaths, ShowPortion, portion_of
from lean_trellis.studio.requests import Derive

PARTS: frozenset[BodyKind] = frozenset({"part"})
SUPPORTS: frozenset[BodyKind] = frozenset({"support", "separator"})


class ShownLayers:
    """Layers of a job are cut, and its estimate made, once somebody has asked for them.

    `job` gives the job as it is now; `changed` is called when something else is wanted; `is_light` says whether the
    build is small enough to be cut unasked.
    """

    def __init__(
        self, graph: Graph, job: Callable[[], Job], changed: Callable[[], None], is_light: Callable[[], bool]
    ) -> None:
        self._graph, self._job, self._changed, self._is_light = graph, job, changed, is_light
        self._is_wanted = self._is_shown = False
        self._number: int | None = None
        self._path_kinds: tuple[frozenset[BodyKind], ...] = ()

    @property
    def number(self) -> int | None:
        """The number of the current layer; None before the layers have been asked for."""
        return self._number

    @property
    def is_wanted(self) -> bool:
        """Whether somebody has asked for layers."""
        return self._is_wanted

    def want(self) -> None:
        """From now on the build is cut into layers and its estimate is computed."""
        if not self._is_wanted:
            self._is_wanted = True
            self._changed()

    def show_strip(self) -> None:
        """From now on areas and loads by height are found, unasked and without a word, after everything else."""
        if not self._is_shown:
            self._is_shown = True
            self._changed()

    def forget(self) -> None:
        """Another job: nobody has asked for its layers yet."""
        self._is_wanted, self._is_shown, self._number = False, False, None

    def want_paths(self, *, parts: bool, supports: bool) -> None:
        """Of which bodies the paths of the current layer are wanted, too; those of the parts come first."""
        kinds = (*((PARTS,) if parts else ()), *((SUPPORTS,) if supports else ()))
        if kinds != self._path_kinds:
            self._path_kinds = kinds
            self._changed()

    def middle(self) -> int | None:
        """A layer in the middle of the largest part, before anything is cut; None without parts."""
        job = self._job()
        boxes = [part.bounds() for part in job.parts if len(part.mesh.vertices)]
        if not boxes:
            return None
        low, high = max(boxes, key=lambda box: float(np.ptp(box, axis=0).prod()))
        height = float((low + high) / 2 @ np.array(job.machine.layer_normal))
        return round(height / job.layer_height)

    def show(self, number: int) -> None:
        """Make a layer the current one: it is found before all others."""
        if number != self._number:
            self._number = number
            self._changed()

    def profile(self) -> Profile | None:
        """Areas by height of the build as it is now, once known."""
        return self._graph.known(LAYER_PROFILE, None, self._job())

    def danger(self) -> Danger | None:
        """The most that anything uses of its strength by height, once known; a row a layer of the profile."""
        return self._graph.known(DANGER, None, self._job())

    def growth(self, part: Part) -> GrowthUse | None:
        """What holds a part while it grows and how much of its strength that uses, once known."""
        return self._graph.known(GROWTH, part, self._job())

    def faults(self, part: Part) -> LayerFaults | None:
        """What is too thin in a part's layers, once known."""
        return self._graph.known(LAYER_FAULTS, part, self._job())

    def estimate(self) -> Estimate | None:
        """What the build takes as it is now, once known."""
        return self._graph.known(ESTIMATE, None, self._job()) if self._is_wanted else None

    def figures_of(self, state: Job) -> TrialFigures | None:
        """What a state comes to, once known: a trial, or the job as it is; looked for where there are trials."""
        return self._graph.known(TRIAL_FIGURES, None, state)

    def shown(self, number: int) -> ShownLayer | None:
        """A layer of the build as it is now, once known."""
        known: dict[int, ShownLayer] | None = self._graph.kept(self._portion_key(portion_of(number)))
        return None if known is None else known.get(number)

    def paths(self, number: int) -> tuple[tuple[str, Paths], ...] | None:
        """What the machine follows in a layer, by kind of body, as far as it is wanted and known; None before.

        The purge is there once the estimate says in which order bodies are built.
        """
        known = [self._graph.kept(self._paths_key(number, kinds)) for kinds in self._path_kinds]
        bundles = [paths for some in known if some is not None for paths in some]
        estimate = self.estimate() if SUPPORTS in self._path_kinds else None
        if estimate is not None:
            thickness = LayerPlan(self._job().layer_height, self._job().first_layer).thickness_of(np.array([number]))
            purge = estimate.assembly.purge_in(number, float(thickness[0]))
            bundles += [] if purge is None else [("purge", purge)]
        return tuple(bundles) if any(some is not None for some in known) else None

    def _paths_key(self, number: int, kinds: frozenset[BodyKind]) -> Key:
        job = self._job()
        laid = (self._graph.key(LAYERED_BODIES, None, job), token(job.material), token(job.machine), job.surface)
        return Key("paths shown", (*laid, job.mode, number, tuple(sorted(kinds))))

    def _portion_key(self, portion: int) -> Key:
        job = self._job()
        marked = (job.support_every, token(job.material), token(job.machine), job.surface)
        return Key("layers shown", (self._graph.key(LAYERED_BODIES, None, job), portion, marked))

    def wanted(self) -> Iterator[tuple[Key, str, Callable[[], Any]]]:
        """The current layer with those near it; then the profile, then the estimate: keys, titles, requests."""
        job = self._job()
        if self._is_shown and not self._is_wanted and job.parts and self._is_light():
            for node in (LAYER_PROFILE, DANGER):
                yield self._graph.key(node, None, job), "", partial(Derive, node, None, job)
        if not self._is_wanted or not job.parts:
            return
        if self._number is not None:
            here = portion_of(self._number)
            for portion in (here, here + 1, here - 1):
                yield self._portion_key(portion), "Cutting layers", partial(ShowPortion, job, portion)
            for kinds in self._path_kinds:
                key = self._paths_key(self._number, kinds)
                yield key, "Laying paths", partial(ShowPaths, job, self._number, kinds)
        for node, title in ((LAYER_PROFILE, "Cutting layers"), (DANGER, "Working out loads by height")):
            yield self._graph.key(node, None, job), title, partial(Derive, node, None, job)
        for part in job.parts:
            yield self._graph.key(GROWTH, part, job), "Working out loads by height", partial(Derive, GROWTH, part, job)
        for part in job.parts:
            yield (
                self._graph.key(LAYER_FAULTS, part, job),
                "Looking for what is thin",
                partial(Derive, LAYER_FAULTS, part, job),
            )
        yield self._graph.key(ESTIMATE, None, job), "Estimating", partial(Derive, ESTIMATE, None, job)
        if job.trials:
            for state in (job, *(trial.job for trial in job.trials)):
                key = self._graph.key(TRIAL_FIGURES, None, state)
                yield key, "Comparing trials", partial(Derive, TRIAL_FIGURES, None, state)

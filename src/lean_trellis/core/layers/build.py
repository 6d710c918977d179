"""A build as layers: its bodies cut, numbered, and laid as paths a portion at a time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.layers.assembly import Assembly
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.laid import paths_of, portions
from lean_trellis.core.layers.laying import PART, LaidAs
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Constant


@dataclass(frozen=True, eq=False)
class LayeredBody:
    """A body of a build in layers of `numbers` (l,); `is_other` where it is of another material than the job's."""

    kind: str
    name: str
    layers: BodyLayers
    numbers: Longs
    is_other: bool = False
    laid_as: LaidAs = PART

    @property
    def is_support(self) -> bool:
        """Whether it is built with the values of supports."""
        return self.laid_as.is_support

    def place_of(self, number: int) -> int | None:
        """The place of the layer of a number among its own; None where it has none there."""
        place = int(np.searchsorted(self.numbers, number))
        return place if place < len(self.numbers) and self.numbers[place] == number else None

    def between(self, numbers: range) -> LayeredBody:
        """The same body in some layers alone; of what was thickened only what came out of it."""
        first, last = np.searchsorted(self.numbers, [numbers.start, numbers.stop]).tolist()
        return replace(self, layers=self.layers.between(first, last), numbers=self.numbers[first:last])

    def outlines(self, number: int) -> list[Floats]:
        """Rings (k, 2) of the layer of a number; none where it has none there."""
        place = self.place_of(number)
        return [] if place is None else self.layers.filled.of_level(place)

    def added(self, number: int) -> list[Floats]:
        """Rings (k, 2) of what was added to the layer of a number, so that nothing is too thin."""
        place, added = self.place_of(number), self.layers.added
        return [] if place is None or added is None else added.of_level(place)

    def lines(self, number: int) -> list[Floats]:
        """Open lines (k, 2) of the layer of a number."""
        place = self.place_of(number)
        return [] if place is None else self.layers.lines.of_level(place)


@dataclass(frozen=True, eq=False)
class LayeredBuild:
    """All bodies of a build, in the order of the assembly."""

    name: str
    machine: Machine
    material: str
    constants: Mapping[str, Constant]
    plan: LayerPlan
    support_every: int
    bodies: tuple[LayeredBody, ...]
    assembly: Assembly
    _laid: dict[int, tuple[int, int, Paths]] = field(default_factory=dict)

    def plan_of(self, body: LayeredBody | None = None) -> LayerPlan:
        """Where a body's layers lie: supports may be built at some of them only. Without a body, all layers."""
        every = self.support_every if body is not None and body.kind == "support" else 1
        return LayerPlan(self.plan.height, self.plan.first, every)

    def thickness(self, number: int, body: LayeredBody | None = None) -> float:
        """How high a body's layer is built, mm; without a body, the layer itself."""
        return float(self.plan_of(body).thickness_of(np.array([number]))[0])

    def top(self, number: int) -> float:
        """Height of a layer's upper side along the normal, mm."""
        return float(self.plan.tops_of(np.array([number]))[0])

    def paths(self, body: int, number: int) -> Paths:
        """The paths of one body in one layer. Laid a portion of layers at a time: cheapest from the bottom up."""
        one = self.bodies[body]
        place = one.place_of(number)
        if place is None:
            return Paths.joined([])
        first, last, laid = self._laid.get(body, (0, 0, Paths.joined([])))
        if not first <= place < last:
            first, last = next(pair for pair in portions(one.layers, self.machine, self.constants) if place < pair[1])
            laid = paths_of(one.layers, one.numbers, self.machine, self.constants, one.laid_as,
                            between=(first, last))  # fmt: skip
            self._laid[body] = (first, last, laid)
        return laid.of_level(place)

    def outlines(self, body: int, number: int) -> list[Floats]:
        """Rings (k, 2) of one body in one layer."""
        return self.bodies[body].outlines(number)

    def turns(self, number: int) -> list[int]:
        """The bodies of a layer in the order of building; -1 is a purge."""
        low, high = np.searchsorted(self.assembly.turn_numbers, [number, number + 1])
        return [int(body) for body in self.assembly.turn_bodies[low:high]]

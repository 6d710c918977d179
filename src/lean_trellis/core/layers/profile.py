"""The build by height: how much of parts and of supports there is in each layer."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, frozen
from lean_trellis.core.layers.build import LayeredBody
from lean_trellis.core.layers.changes import changes_of
from lean_trellis.core.layers.plan import LayerPlan


@dataclass(frozen=True, eq=False)
class Profile:
    """Layers by number (l,) from the lowest to the top: `tops` (l,) of their upper sides, mm along the normal.

    `part_mm2` and `support_mm2` (l,) are the areas of parts and of all that holds them, separators with it; `changed`
    (c,) the numbers of layers in which the material changes, or before which it does.
    """

    numbers: Longs
    tops: Floats
    part_mm2: Floats
    support_mm2: Floats
    changed: Longs = field(default_factory=lambda: np.zeros(0, np.int64))

    def __len__(self) -> int:
        return len(self.numbers)

    def number_at(self, height_mm: float) -> int:
        """The number of the layer at a height; the lowest or the top one beyond them."""
        place = int(np.searchsorted(self.tops, height_mm - 1e-9))
        return int(self.numbers[min(place, len(self.numbers) - 1)])

    def place_of(self, number: int) -> int:
        """The place of a layer among all; of the nearest one beyond them."""
        return int(np.clip(number - self.numbers[0], 0, len(self.numbers) - 1))


def profile_of(bodies: tuple[LayeredBody, ...], plan: LayerPlan) -> Profile:
    """Areas by number of all bodies of a build. Empty without any."""
    filled = [body for body in bodies if len(body.numbers)]
    low = min([0, *(int(body.numbers[0]) for body in filled)])
    high = max([low - 1, *(int(body.numbers[-1]) for body in filled)])
    numbers = np.arange(low, high + 1)
    areas = {is_support: np.zeros(len(numbers)) for is_support in (False, True)}
    for body in filled:
        areas[body.is_support][body.numbers - low] += body.layers.areas_mm2
    attached = {is_other: np.zeros(len(numbers), bool) for is_other in (False, True)}
    for body in filled:
        attached[body.is_other][body.numbers - low] = True
    changes = changes_of(attached[False], attached[True])
    changed = numbers[changes.at_start | changes.within] if attached[True].any() else numbers[:0]
    return Profile(frozen(numbers), frozen(plan.tops_of(numbers)), frozen(areas[False]), frozen(areas[True]),
                   frozen(changed))  # fmt: skip

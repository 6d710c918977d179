"""`load_across_layers`: does the main load in use pull the layers of a part apart?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.changes import LayLoadFlat
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.actions import constant_of

_ACROSS: dict[Process, float] = {"powder_bed": 0.9, "vat": 0.85, "extrusion": 0.5}
"""Strength across layers over that within them, where the material does not say: assumed."""


def strength_along(direction: Floats, layer_normal: Floats, across: float) -> float:
    """What is left of the strength along a unit direction, as a share of the strength within layers.

    Hankinson's formula of materials with a grain: S = S0 S90 / (S0 sin² + S90 cos²), the angle from the layers' plane.
    """
    sine2 = float(np.dot(direction, layer_normal)) ** 2
    return across / (sine2 + across * (1.0 - sine2))


def check_loading(state: BuildState) -> Iterator[Finding]:
    """A caution for each part whose load direction was named and that is too weak that way."""
    job = state.job
    normal = np.array(job.machine.layer_normal)
    across = job.constants.get("layer_strength")
    if across is None:
        across = Constant(value=_ACROSS[job.machine.process], unit="1", source="assumed for the process")
    least = constant_of(job.constants, "least_layer_strength")
    for part in state.subjects:
        if part.part.load is None:
            continue
        direction = part.part.pose.matrix @ np.array(part.part.load)
        share = strength_along(direction, normal, across.value)
        if share >= least.value * (1 - LIMIT_SPARE):
            continue
        angle = float(np.degrees(np.arcsin(min(abs(float(direction @ normal)), 1.0))))
        yield Finding(
            "load_across_layers", "caution", part.part.name,
            f"its load runs {angle:.0f}° across the layers: {share:.2f} of the strength is left, limit {least.value:g}",
            cause="layers hold together less than what is built in one go", value=share, limit=least.value,
            source=f"strength across layers {across.value:g}: {across.source}; limit: {least.source}",
            part_id=part.part.id,
            cures=(Cure("Turn the part until its load lies within the layers", LayLoadFlat(part.part.id)),
                   Cure("Find a pose", about="pose")),
        )  # fmt: skip

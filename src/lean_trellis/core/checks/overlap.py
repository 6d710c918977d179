"""`parts_overlap`: do parts run into each other?"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import Any

import numpy as np

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.mesh.primitives import to_manifold

_LEAST_MM3 = 1e-3


def check_overlap(state: BuildState) -> Iterator[Finding]:
    """A stop for each pair whose solids share volume; a caution where unsound meshes leave it open."""
    solids: dict[str, Any] = {}

    def solid(part: PartState) -> Any:
        if part.part.id not in solids:
            solids[part.part.id] = to_manifold(part.overhangs.mesh)
        return solids[part.part.id]

    for one, other in combinations(state.parts, 2):
        if not state.is_looked_at(one.part.id):
            continue
        low = np.maximum(one.overhangs.mesh.bounds[0], other.overhangs.mesh.bounds[0])
        high = np.minimum(one.overhangs.mesh.bounds[1], other.overhangs.mesh.bounds[1])
        if (high - low <= 1e-9).any():
            continue
        if not (one.health.is_sound and other.health.is_sound):
            yield _unclear(one, other, tuple(((low + high) / 2).tolist()))
            continue
        shared = solid(one) ^ solid(other)
        if shared.volume() > _LEAST_MM3:
            x0, y0, z0, x1, y1, z1 = shared.bounding_box()
            yield Finding(
                "parts_overlap", "stop", one.part.name,
                f"overlaps {other.part.name} by {shared.volume():.2f} mm³",
                cause="both parts occupy the same space", value=float(shared.volume()), limit=0.0, unit="mm³",
                at_mm=((x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2), part_id=one.part.id,
                cures=(Cure("Move one of them", about="parts"),),
            )  # fmt: skip


def _unclear(one: PartState, other: PartState, at: tuple[float, float, float]) -> Finding:
    return Finding(
        "parts_overlap", "caution", one.part.name,
        f"may overlap {other.part.name}: their boxes overlap and one mesh is not sound",
        cause="without closed meshes it cannot be measured", at_mm=at, part_id=one.part.id,
        cures=(Cure("Move one of them", about="parts"),),
    )  # fmt: skip

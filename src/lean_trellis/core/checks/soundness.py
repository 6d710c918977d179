"""`mesh_unsound`: does every mesh bound a solid?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState


def check_soundness(state: BuildState) -> Iterator[Finding]:
    """A stop for open edges and inward shells, a caution for edges with too many or disagreeing faces."""
    for part in state.subjects:
        health = part.health
        if health.is_sound:
            continue
        faults = health.open_edges + health.inward_shells
        others = health.non_manifold_edges + health.misoriented_edges
        yield Finding(
            "mesh_unsound", "stop" if faults or not others else "caution", part.part.name,
            f"the mesh is not sound: {health.in_words}",
            cause="inside and outside are not clear everywhere",
            value=float(faults or others), limit=0.0, unit="faults", part_id=part.part.id,
            cures=(Cure("Export the part again as a closed mesh", about="parts"),),
        )  # fmt: skip

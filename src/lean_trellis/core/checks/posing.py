"""`pose_out_of_range`: does each part stand as its material asks for? A caution, never a ban."""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.parts.tilt import tilt_by

_UPRIGHT_DEG = 85.0
"""A flat part that stands as upright has no underside that its angle would spoil."""
_SPARE_DEG = 0.5


def check_posing(state: BuildState) -> Iterator[Finding]:
    """A caution for each part whose angle from the plate lies outside the material's range."""
    low, high = state.job.material.pose_range
    for part in state.subjects:
        tilt = tilt_by(part.axis, part.part.pose)
        stands = tilt.of == "plane" and tilt.angle_deg >= _UPRIGHT_DEG
        if tilt.of == "none" or stands or low - _SPARE_DEG <= tilt.angle_deg <= high + _SPARE_DEG:
            continue
        limit = low if tilt.angle_deg < low else high
        what = "its plane" if tilt.of == "plane" else "its long axis"
        box = part.overhangs.mesh.bounds
        x, y, z = ((box[0] + box[1]) / 2).tolist()
        yield Finding(
            "pose_out_of_range", "caution", part.part.name,
            f"{what} is at {tilt.angle_deg:.0f}° to the plate; recommended for {state.job.material.name}: "
            f"{low:g}° to {high:g}°",
            cause="outside this range surfaces are flatter or layers larger than suits the material",
            at_mm=(x, y, z), value=tilt.angle_deg, limit=limit, unit="°", part_id=part.part.id,
            source="the material's recommended range",
            cures=(Cure("Find a pose", about="pose"),),
        )  # fmt: skip

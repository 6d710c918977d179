"""`support_on_protected`: does a support touch a surface that it should not?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.distance import segment_clearances
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF

_NEAR_ENOUGH_MM = 0.02


def check_protection(state: BuildState) -> Iterator[Finding]:
    """A stop where a bar touches what is to be kept off, a caution where it touches what is to be avoided.

    Measured anew: the exact distance of every tip's end, and of every lower end on a part, from the protected faces.
    """
    for part in state.subjects:
        marks = part.part.marks.protected
        if marks is None:
            continue
        for level in (KEEP_OFF, AVOID):
            faces = marks.faces(level)
            if len(faces):
                surface = part.overhangs.mesh.with_faces(faces)
                for carrier in state.supports:
                    yield from _touching(part, carrier, level, _ends_near(carrier, surface.bounds), surface)


def _ends_near(carrier: SupportState, bounds: Floats) -> tuple[Floats, Floats]:
    """(k, 3) places where supports touch a part, and (k,) half how wide they are there, near a box."""
    places, radii = carrier.structure.touches()
    near = ((places >= bounds[0] - radii[:, None] - 1) & (places <= bounds[1] + radii[:, None] + 1)).all(axis=1)
    return places[near], radii[near]


def _touching(
    part: PartState,
    carrier: SupportState,
    level: int,
    ends: tuple[Floats, Floats],
    surface: Mesh,
) -> Iterator[Finding]:
    places, radii = ends
    if not len(places):
        return
    away = segment_clearances(surface, places, places, radii + 1.0)
    touching = np.flatnonzero(away < radii - _NEAR_ENOUGH_MM)
    if not len(touching):
        return
    worst = touching[int((away - radii)[touching].argmin())]
    is_kept_off = level == KEEP_OFF
    many = len(touching) > 1
    yield Finding(
        "support_on_protected", "stop" if is_kept_off else "caution", part.part.name,
        f"{len(touching)} contact{'s' * many} touch{'es' * (not many)} a surface to be "
        f"{'kept off' if is_kept_off else 'avoided'}",
        cause="no other surface close by can be supported" if not is_kept_off else "the surface was protected",
        at_mm=tuple(places[worst].tolist()), value=float(away[worst]), limit=float(radii[worst]), unit="mm",
        part_id=part.part.id, support_id=carrier.support.id,
        cures=(
            Cure("Turn the part", about="pose"),
            Cure("Change the protection", about="regions"),
        ),
    )  # fmt: skip

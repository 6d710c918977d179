"""What is marked in a layer against the one below: what hangs, what begins in the air, what is too thin."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.thin_places import thin_of

_LEAST_MM2 = 0.01


@dataclass(frozen=True)
class LayerMarks:
    """Outlines (k, 2) in a layer, mm.

    `hanging` is new area of parts beyond what the critical angle allows, `islands` pieces with nothing below,
    `thin` places narrower than the least width.
    """

    hanging: tuple[Floats, ...]
    islands: tuple[Floats, ...]
    thin: tuple[Floats, ...]
    hanging_mm2: float


def marks_of(
    parts: list[Floats], below: list[Floats], supports_below: list[Floats], *, height_mm: float, critical_deg: float,
    least_mm: float, is_on_plate: bool,
) -> LayerMarks:  # fmt: skip
    """The marks of a layer: rings (k, 2) of parts in it, of parts and of supports in the layer below.

    Where it stands on the plate (`is_on_plate`) nothing hangs. A layer may stand out by height over tan(critical
    angle).
    """
    here = _section(parts)
    thin = thin_of(parts, least_mm)
    if is_on_plate:
        return LayerMarks((), (), _rings(thin), 0.0)
    lower = _section(below)
    reach = height_mm / max(math.tan(math.radians(critical_deg)), 1e-3)
    hanging = here - lower.offset(reach, JoinType.Round, circular_segments=24)
    on = lower + _section(supports_below)
    islands = [piece for piece in here.decompose() if (piece ^ on).area() < _LEAST_MM2]
    rings = tuple(np.asarray(ring) for piece in islands for ring in piece.to_polygons())
    return LayerMarks(_rings(hanging), rings, _rings(thin), float(hanging.area()))


def _section(rings: list[Floats]) -> CrossSection:
    return CrossSection(rings, FillRule.NonZero) if rings else CrossSection()


def _rings(section: CrossSection) -> tuple[Floats, ...]:
    """The outlines of its pieces that are large enough to be seen."""
    pieces = [piece for piece in section.decompose() if piece.area() > _LEAST_MM2]
    return tuple(np.asarray(ring) for piece in pieces for ring in piece.to_polygons())

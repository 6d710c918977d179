"""Loads on all bars of a part by the machine's process, and the strength they meet, from the material's constants."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.hold_loads import lift_loads, peel_stresses
from lean_trellis.core.supports.bars.figures import BarFigures, BarStrength, bar_figures, holding_areas
from lean_trellis.core.supports.bars.struts import Bars

_GRAVITY = 9.81
_USED: dict[Process, tuple[str, ...]] = {
    "vat": ("peel_pressure",),
    "powder_bed": ("thermal_lift", "recoater_push"),
    "extrusion": ("nozzle_push", "density"),
}


def figures_of_bars(
    supports: Sequence[Bars],
    overhangs: Overhangs,
    process: Process,
    constants: Mapping[str, Constant],
    watch: Watch = UNWATCHED,
) -> tuple[BarFigures, ...]:
    """Figures of the bars of each support of one part; what pulls on the part is borne by all of them together.

    Vat: the peel of each layer, which presses as much on the way down. Powder bed: the thermal lift along the rim of
    regions, and the blade's push on each bar by its width. Extrusion: the nozzle's push, down and sideways, and the
    part's weight.
    """
    if not supports:
        return ()
    holds = np.concatenate([np.zeros((0, 3)), *(bars.holds for bars in supports)])
    areas = np.concatenate([np.zeros(0), *(holding_areas(bars) for bars in supports)])
    regions = np.concatenate([np.zeros(0, np.int32), *(bars.regions for bars in supports)])
    loads = _loads(holds, areas, regions, overhangs, process, constants, watch)
    strength = strength_of(process, constants)
    ends = np.cumsum([len(bars) for bars in supports])[:-1]
    return tuple(
        bar_figures(bars, mine, strength, presses=process != "powder_bed")
        for bars, mine in zip(supports, np.split(loads, ends), strict=True)
    )


def strength_of(process: Process, constants: Mapping[str, Constant]) -> BarStrength:
    """What bars of a material bear, and what pushes them sideways."""
    used = [key for key in ("strength", "stiffness", *_USED[process]) if key in constants]
    source = "; ".join(f"{key.replace('_', ' ')}: {constants[key].source}" for key in used)
    push = constants["nozzle_push"].value if process == "extrusion" else 0.0
    per_mm = constants["recoater_push"].value if "recoater_push" in used else 0.0
    return BarStrength(constants["strength"].value, constants["stiffness"].value, push, per_mm, source)


def _loads(
    holds: Floats,
    areas: Floats,
    regions: np.ndarray,
    overhangs: Overhangs,
    process: Process,
    constants: Mapping[str, Constant],
    watch: Watch,
) -> Floats:
    """(n,) N along each bar."""
    placed = overhangs.mesh
    resting = float(placed.areas[overhangs.on_plate].sum())
    if process == "vat":
        pressure = constants["peel_pressure"].value
        return peel_stresses(placed, holds, areas, resting, pressure, watch) * areas
    if process == "powder_bed":
        return lift_loads(overhangs.rim, holds, regions, constants["thermal_lift"].value)
    weight = placed.volume * constants["density"].value * 1e-6 * _GRAVITY
    shared = weight / max(len(holds), 1) if resting == 0 else 0.0
    return np.full(len(holds), constants["nozzle_push"].value + shared)

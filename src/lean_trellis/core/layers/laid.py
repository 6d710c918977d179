"""How a machine builds the layers of a body: its paths and how it moves, by process."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

import numpy as np

from lean_trellis.core.arrays import Longs
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.extrusion import beaded
from lean_trellis.core.layers.laying import LaidAs
from lean_trellis.core.layers.motion import Motion
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.powder import Hatching, hatched
from lean_trellis.core.layers.work import Work, work_of
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Constant, value_or

DRAW_BACK_MM = 0.8
DRAW_BACK_SPEED = 30.0
DRAW_BACK_BEYOND_MM = 2.0


_AT_ONCE_MM = 200_000.0
"""About so much hatch is laid at a time: what fits the processor's caches."""


def portions(body: BodyLayers, machine: Machine, constants: Mapping[str, Constant]) -> list[tuple[int, int]]:
    """From which place to before which one layers are laid at a time."""
    count = len(body.heights)
    if machine.process != "powder_bed":
        return [(0, count)]
    if not count:
        return [(0, 0)]
    hatch = np.cumsum(body.areas_mm2) / constants["hatch_distance"].value
    cuts = np.unique(np.searchsorted(hatch, np.arange(_AT_ONCE_MM, float(hatch[-1]), _AT_ONCE_MM))).tolist()
    return list(pairwise([0, *(cut for cut in cuts if 0 < cut < count), count]))


def paths_of(
    body: BodyLayers,
    numbers: Longs,
    machine: Machine,
    constants: Mapping[str, Constant],
    laid_as: LaidAs,
    *,
    between: tuple[int, int] | None = None,
    watch: Watch = UNWATCHED,
) -> Paths:
    """What the machine follows in the layers from one place to before another; all without `between`.

    Nothing in a vat, where a layer is exposed at once. Extruded layers are laid all at once: each looks at others.
    """
    match machine.process:
        case "powder_bed":
            hatching = Hatching.of(constants, is_support=laid_as.is_support)
            return hatched(body, numbers, hatching, *(between or (0, None)))
        case "extrusion":
            return beaded(body, numbers, Beads.of(constants, laid_as), laid_as.own, watch)
        case _:
            return Paths.joined([])


def work_on(
    body: BodyLayers,
    numbers: Longs,
    machine: Machine,
    constants: Mapping[str, Constant],
    laid_as: LaidAs,
    watch: Watch = UNWATCHED,
) -> Work:
    """What its layers take, laid a portion at a time."""
    motion = motion_of(machine, constants, is_support=laid_as.is_support)
    pieces = []
    for between in portions(body, machine, constants):
        watch.at(between[0] / max(1, len(numbers)), f"laying paths, layer {between[0] + 1} of {len(numbers)}")
        paths = paths_of(body, numbers, machine, constants, laid_as, between=between, watch=watch)
        pieces.append(work_of(paths, numbers, motion))
    return Work.joined(pieces)


def motion_of(machine: Machine, constants: Mapping[str, Constant], *, is_support: bool) -> Motion:
    """The speeds of the material, the accelerations of the machine."""
    drive = machine.moves
    if machine.process == "extrusion":
        speeds = dict.fromkeys(Kind, constants["path_speed"].value)
        speeds[Kind.OUTLINE] = value_or(constants, "outline_speed", speeds[Kind.OUTLINE])
        draw_back = 2.0 * value_or(constants, "draw_back", DRAW_BACK_MM) / DRAW_BACK_SPEED
    else:
        fill = constants["hatch_speed"].value if "hatch_speed" in constants else 1.0
        speeds = dict.fromkeys(Kind, constants["outline_speed"].value if "outline_speed" in constants else 1.0)
        speeds[Kind.FILL] = value_or(constants, "support_hatch_speed", fill) if is_support else fill
        draw_back = 0.0
    return Motion(
        tuple(speeds[kind] for kind in Kind), drive.travel_speed, drive.acceleration, drive.corner_speed,
        drive.start_time, draw_back, DRAW_BACK_BEYOND_MM,
    )  # fmt: skip

"""How a machine builds the layers of a body: its paths and how it moves, by process."""

from __future__ import annotations

from collections.abc import Mapping

from lean_trellis.core.arrays import Longs
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.layers.extrusion import Beads, beaded
from lean_trellis.core.layers.motion import Motion
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.powder import Hatching, hatched
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Constant, value_or

DRAW_BACK_MM = 0.8
DRAW_BACK_SPEED = 30.0
DRAW_BACK_BEYOND_MM = 2.0


def paths_of(
    body: BodyLayers,
    numbers: Longs,
    machine: Machine,
    constants: Mapping[str, Constant],
    *,
    is_support: bool,
    watch: Watch = UNWATCHED,
) -> Paths:
    """What the machine follows in each layer; nothing in a vat, where a layer is exposed at once."""
    match machine.process:
        case "powder_bed":
            return hatched(body, numbers, Hatching.of(constants, is_support=is_support))
        case "extrusion":
            return beaded(body, numbers, Beads.of(constants, is_support=is_support), watch)
        case "vat":
            return Paths.joined([])


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

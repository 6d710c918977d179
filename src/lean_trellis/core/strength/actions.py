"""What acts on a part while it is built, by its process and the material's constants."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.shop.machine import Machine, Process
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.shop.words import UNIT_WORDS
from lean_trellis.core.strength.push import side_push

_GRAVITY = 9.81
ASSUMED: Mapping[str, Constant] = {
    "lift_depth": Constant(value=4.0, unit="mm", source="assumed: solid above a rim at which its lift nears its most"),
    "corner_lift": Constant(value=1.5, unit="1", source="assumed: a corner lifts by so many times as much as an edge"),
    "suction_pressure": Constant(value=0.1, unit="N/mm2", source="the most there can be: the air's own pressure"),
    "least_way": Constant(value=2.0, unit="mm", source="assumed: powder and resin come out of holes as wide as this"),
    "tool_diameter": Constant(value=3.0, unit="mm", source="assumed: a slim cutter or chisel"),
    "blade_edge": Constant(value=50.0, unit="mm", source="assumed: a longer edge may catch the blade"),
    "bond_depth": Constant(
        value=100.0, unit="mm", source="assumed: warm beside the plate, a part gives there as this much cold material"
    ),
    "room_temperature": Constant(value=23.0, unit="degC", source="a heated shop"),
    "part_gap": Constant(value=1.0, unit="mm", source="assumed: heat, light or a bead of one part reaches no farther"),
    "saw_stock": Constant(value=1.5, unit="mm", source="assumed: a band saw's cut, and how far it wanders"),
    "tool_angle": Constant(
        value=30.0, unit="deg", source="assumed: a scraper held flatter than this gets under a foot"
    ),
    "area_jump": Constant(value=400.0, unit="mm2", source="assumed: a layer that grows by more pulls anew"),
    "most_slender": Constant(
        value=200.0, unit="1", source="K L / r of columns in ANSI/AISC 360, section E2: preferably no more"
    ),
    "least_layer_strength": Constant(
        value=0.7, unit="1", source="assumed: with less than this of its strength a part is not what was drawn"
    ),
    "powder_packing": Constant(value=0.58, unit="1", source="assumed: how densely spread powder lies"),
    "powder_overdose": Constant(value=0.2, unit="1", source="assumed: what runs over at the end of each layer"),
    "least_fill": Constant(value=60.0, unit="g", source="assumed: below it the film is no longer covered"),
    "most_deflection": Constant(value=1.0, unit="layers", source="assumed: one layer"),
}
"""Constants that a material may leave out."""
_USED: dict[Process, tuple[str, ...]] = {
    "vat": ("strength", "stiffness", "peel_pressure", "suction_pressure"),
    "powder_bed": ("strength", "stiffness", "thermal_lift", "lift_depth", "corner_lift", "recoater_push"),
    "extrusion": ("strength", "stiffness", "nozzle_push", "density"),
}
_OF_WARP = ("warp_stress", "softening_temperature", "chamber_temperature", "corner_lift", "bond_depth")
SIDES = np.array([[1.0, 0, 0], [0, 1.0, 0], [-1.0, 0, 0], [0, -1.0, 0]])


def constant_of(constants: Mapping[str, Constant], key: str) -> Constant:
    """A constant of a material, or what is assumed where it leaves it out. Raises `KeyError` for others."""
    return constants.get(key) or ASSUMED[key]


@dataclass(frozen=True, eq=False)
class Actions:
    """Loads in N, mm and MPa, and what bears them. Ways are unit vectors in the frame of the layers.

    `peel` and `suction` act over areas of a layer, away from the plate; `blade` N/mm on what is at the current top, by
    its width, along each of `blade_ways` (b, 3); `nozzle` N on one place, down or to any side; `weight` N/mm³; `lift`
    N/mm along free rims, by the solid above them over `lift_depth` mm, `corner_lift` times as much at corners; `warp`
    is the shrinkage stress left in layers that are kept from shrinking, and `bond_depth` mm how much of its own
    material a part gives by where it lies on the plate.
    """

    process: Process
    strength: float
    stiffness: float
    bond: float
    peel: float = 0.0
    suction: float = 0.0
    blade: float = 0.0
    blade_ways: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    nozzle: float = 0.0
    weight: float = 0.0
    lift: float = 0.0
    lift_depth: float = 1.0
    corner_lift: float = 1.0
    warp: float = 0.0
    bond_depth: float = 1.0
    most_deflection: float = 1.0
    source: str = ""
    is_measured: bool = False
    warp_source: str = ""
    is_warp_measured: bool = False

    def lift_at(self, solid_above: Floats) -> Floats:
        """(n,) N/mm: the thermal lift of a rim with so much solid (n,) mm above it: lift (1 - exp(-H / depth))."""
        result: Floats = self.lift * -np.expm1(-np.maximum(solid_above, 0) / self.lift_depth)
        return result


def actions_of(machine: Machine, constants: Mapping[str, Constant]) -> Actions:
    """What acts on a machine with a material's constants; those that it leaves out are assumed, and said to be."""
    process = machine.process
    used = _known(constants, (*_USED[process], "most_deflection"))
    of_warp = _known(constants, _OF_WARP) if "warp_stress" in constants else {}
    values = {key: constant.value for key, constant in (used | of_warp).items()}

    def value(key: str) -> float:
        return values.get(key, 0.0)

    return Actions(
        process, value("strength"), value("stiffness"), side_push(constants).bond_mpa, value("peel_pressure"),
        value("suction_pressure"), value("recoater_push"), blade_ways(machine), value("nozzle_push"),
        value("density") * 1e-6 * _GRAVITY, value("thermal_lift"), value("lift_depth"), values.get("corner_lift", 1.0),
        warp_stress(machine, constants), values.get("bond_depth", 1.0) if process == "extrusion" else 1.0,
        value("most_deflection"), _in_words(used), _are_measured(used), _in_words(of_warp), _are_measured(of_warp),
    )  # fmt: skip


def _known(constants: Mapping[str, Constant], keys: tuple[str, ...]) -> dict[str, Constant]:
    known = {key: constants.get(key, ASSUMED.get(key)) for key in keys}
    return {key: constant for key, constant in known.items() if constant is not None}


def _in_words(used: Mapping[str, Constant]) -> str:
    """Each with its value and where it comes from; why something was assumed stands with the material."""
    return "; ".join(_constant_in_words(key, one) for key, one in used.items())


def _constant_in_words(key: str, one: Constant) -> str:
    measured = f"{one.value:g} {UNIT_WORDS.get(one.unit, one.unit)}".strip()
    return f"{key.replace('_', ' ')} {measured} ({'assumed' if one.is_assumed else one.source})"


def _are_measured(used: Mapping[str, Constant]) -> bool:
    return not any(constant.is_assumed for constant in used.values())


def blade_ways(machine: Machine) -> Floats:
    """(b, 3): the ways in which the blade may push: along its travel, there and back; any side where it is not said."""
    if machine.process != "powder_bed":
        return np.zeros((0, 3))
    if machine.blade_direction_deg is None:
        return SIDES
    turn = np.radians(machine.blade_direction_deg)
    way = np.array([np.cos(turn), np.sin(turn), 0.0])
    return np.stack([way, -way])


def warp_stress(machine: Machine, constants: Mapping[str, Constant]) -> float:
    """MPa: the shrinkage stress left in layers, less where the chamber is warm; 0 where the material names none.

    In proportion to how far layers cool below the temperature at which they soften (Wang, Xi and Jin 2007, A model
    research for prototype warp deformation in the FDM process).
    """
    stress, softens = constants.get("warp_stress"), constants.get("softening_temperature")
    if stress is None:
        return 0.0
    if softens is None:
        return stress.value
    room = constant_of(constants, "room_temperature").value
    wanted = constants.get("chamber_temperature")
    warm = room if wanted is None else min(wanted.value, max(machine.chamber_most or room, room))
    return stress.value * max(softens.value - warm, 0.0) / max(softens.value - room, 1e-9)

"""What acts on a part while it is built, by its process and the material's constants."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.shop.machine import Machine, Process
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.push import side_push

_GRAVITY = 9.81
ASSUMED: Mapping[str, Constant] = {
    "lift_depth": Constant(value=4.0, unit="mm", source="assumed: solid above a rim at which its lift nears its most"),
    "corner_lift": Constant(value=1.5, unit="1", source="assumed: a corner lifts by so many times as much as an edge"),
    "suction_pressure": Constant(value=0.1, unit="N/mm2", source="the most there can be: the air's own pressure"),
    "least_way": Constant(value=2.0, unit="mm", source="assumed: powder and resin come out of holes as wide as this"),
    "tool_diameter": Constant(value=3.0, unit="mm", source="assumed: a slim cutter or chisel"),
    "blade_edge": Constant(value=50.0, unit="mm", source="assumed: a longer edge may catch the blade"),
    "most_deflection": Constant(value=1.0, unit="layers", source="assumed: one layer"),
}
"""Constants that a material may leave out."""
_USED: dict[Process, tuple[str, ...]] = {
    "vat": ("strength", "stiffness", "peel_pressure", "suction_pressure"),
    "powder_bed": ("strength", "stiffness", "thermal_lift", "lift_depth", "corner_lift", "recoater_push"),
    "extrusion": ("strength", "stiffness", "nozzle_push", "density"),
}
SIDES = np.array([[1.0, 0, 0], [0, 1.0, 0], [-1.0, 0, 0], [0, -1.0, 0]])


def constant_of(constants: Mapping[str, Constant], key: str) -> Constant:
    """A constant of a material, or what is assumed where it leaves it out. Raises `KeyError` for others."""
    return constants.get(key) or ASSUMED[key]


@dataclass(frozen=True, eq=False)
class Actions:
    """Loads in N, mm and MPa, and what bears them. Ways are unit vectors in the frame of the layers.

    `peel` and `suction` act over areas of a layer, away from the plate; `blade` N/mm on what is at the current top, by
    its width, along each of `blade_ways` (b, 3); `nozzle` N on one place, down or to any side; `weight` N/mm³; `lift`
    N/mm along free rims, by the solid above them over `lift_depth` mm, `corner_lift` times as much at corners.
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
    most_deflection: float = 1.0
    source: str = ""
    is_measured: bool = False

    def lift_at(self, solid_above: Floats) -> Floats:
        """(n,) N/mm: the thermal lift of a rim with so much solid (n,) mm above it: lift (1 - exp(-H / depth))."""
        result: Floats = self.lift * -np.expm1(-np.maximum(solid_above, 0) / self.lift_depth)
        return result


def actions_of(machine: Machine, constants: Mapping[str, Constant]) -> Actions:
    """What acts on a machine with a material's constants; those that it leaves out are assumed, and said to be."""
    process = machine.process
    known = {key: constants.get(key, ASSUMED.get(key)) for key in (*_USED[process], "most_deflection")}
    used = {key: constant for key, constant in known.items() if constant is not None}

    def value(key: str) -> float:
        return used[key].value if key in used else 0.0

    return Actions(
        process, value("strength"), value("stiffness"), side_push(constants).bond_mpa, value("peel_pressure"),
        value("suction_pressure"), value("recoater_push"), blade_ways(machine), value("nozzle_push"),
        value("density") * 1e-6 * _GRAVITY, value("thermal_lift"), value("lift_depth"), value("corner_lift"),
        value("most_deflection"),
        "; ".join(f"{key.replace('_', ' ')} {used[key].value:g} {used[key].unit}: {used[key].source}" for key in used),
        not any(constant.is_assumed for constant in used.values()),
    )  # fmt: skip


def blade_ways(machine: Machine) -> Floats:
    """(b, 3): the ways in which the blade may push: along its travel, there and back; any side where it is not said."""
    if machine.process != "powder_bed":
        return np.zeros((0, 3))
    if machine.blade_direction_deg is None:
        return SIDES
    turn = np.radians(machine.blade_direction_deg)
    way = np.array([np.cos(turn), np.sin(turn), 0.0])
    return np.stack([way, -way])

"""What a build takes: time, material, cost; by body, by owner, by cause."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.assembly import AssembledBody, Assembly, assembled
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.layers.purge import purge_volume
from lean_trellis.core.layers.work import Work
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Constant, Material

BodyKind = Literal["part", "support", "separator"]
CAUSES: dict[BodyKind, str] = {"part": "parts", "support": "supports", "separator": "separators"}
_HOUR_S, _MINUTES = 3600.0, 60.0


@dataclass(frozen=True, eq=False)
class Built:
    """A body of the build: its work, its volume as a solid (mm³), between which layers it lies.

    `every` tells at every how many-th layer it is built, `contacts` how many contacts have to be taken off; `material`
    is its own, where that is not the job's.
    """

    kind: BodyKind
    id: str
    name: str
    owner: str
    work: Work
    volume_mm3: float
    span: tuple[int, int]
    every: int = 1
    contacts: int = 0
    material: Material | None = None


@dataclass(frozen=True)
class Share:
    """What one body takes of the build: seconds along its own paths, mm³, grams and money with what is lost."""

    kind: BodyKind
    id: str
    name: str
    owner: str
    seconds: float
    volume_mm3: float
    grams: float
    cost: float


@dataclass(frozen=True, eq=False)
class Estimate:
    """Time, material and cost of a build. Money in EUR; what is by cause sums up to the totals."""

    assembly: Assembly
    grams_by: Mapping[str, float]
    costs: Mapping[str, float]
    volumes_mm3: Mapping[str, float]
    """Of the solids: "parts", "supports", "separators"."""
    removal_seconds: float
    shares: tuple[Share, ...]

    @property
    def layers(self) -> int:
        """How many layers there are."""
        return len(self.assembly.numbers)

    @property
    def build_seconds(self) -> float:
        """From the first layer to the last."""
        return float(self.assembly.layer_seconds.sum())

    @property
    def material_changes(self) -> int:
        """How often the material changes."""
        return self.assembly.changes.count

    @property
    def seconds_by(self) -> dict[str, float]:
        """Seconds of the build by cause."""
        return {cause: float(seconds.sum()) for cause, seconds in self.assembly.seconds_by.items()}

    @property
    def material_grams(self) -> float:
        """All that is used, what is lost as well."""
        return float(sum(self.grams_by.values()))

    @property
    def cost(self) -> float:
        """All of it, EUR."""
        return float(sum(self.costs.values()))


def estimated(
    bodies: Sequence[Built], plan: LayerPlan, machine: Machine, constants: Mapping[str, Constant]
) -> Estimate:
    """The estimate of a build of these bodies.

    Material is what is extruded, in a bed or vat the volume of the solids, times density, with the share that is lost.
    Money is material, machine hours (warming up and cooling included) and the work of taking supports off.
    """
    turns = [AssembledBody(one.work, CAUSES[one.kind], one.material is not None, *one.span) for one in bodies]
    assembly = assembled(turns, plan, machine, constants)
    grams: dict[str, float] = {}
    material_cost, shares = 0.0, []
    removal = 0.0
    for one in bodies:
        values = constants if one.material is None else one.material.constants
        used = _used_mm3(one, plan, machine)
        mass = used / 1000.0 * values["density"].value
        lost, price = mass * values["loss"].value, values["price"].value / 1000.0
        grams[CAUSES[one.kind]] = grams.get(CAUSES[one.kind], 0.0) + mass
        grams["loss"] = grams.get("loss", 0.0) + lost
        material_cost += (mass + lost) * price
        if one.kind != "part":
            removal += one.contacts * machine.rates.contact_time + machine.rates.piece_time
        shares.append(
            Share(one.kind, one.id, one.name, one.owner, float(one.work.seconds.sum()), one.volume_mm3, mass + lost,
                  (mass + lost) * price)
        )  # fmt: skip
    if assembly.changes.count:
        mass = assembly.changes.count * purge_volume(constants) / 1000.0 * constants["density"].value
        grams["purge"] = mass
        material_cost += mass * constants["price"].value / 1000.0
    rates = machine.rates
    hours = float(assembly.layer_seconds.sum()) / _HOUR_S
    idle = (rates.warm_up + rates.cooling) / _MINUTES if bodies else 0.0
    costs = {
        "material": material_cost,
        "machine": hours * rates.machine_hour,
        "warming up and cooling": idle * rates.machine_hour,
        "taking supports off": removal / _HOUR_S * rates.labour_hour,
    }
    volumes = {cause: sum(one.volume_mm3 for one in bodies if one.kind == kind) for kind, cause in CAUSES.items()}
    return Estimate(assembly, grams, costs, volumes, removal, tuple(shares))


def _used_mm3(one: Built, plan: LayerPlan, machine: Machine) -> float:
    """What of the material becomes the body: beads where it is extruded, else the solid."""
    if machine.process != "extrusion":
        return one.volume_mm3
    return float(one.work.beads_mm2 @ _thickness(one, plan))


def _thickness(one: Built, plan: LayerPlan) -> Floats:
    own = plan if one.every == plan.every else LayerPlan(plan.height, plan.first, one.every)
    return np.asarray(own.thickness_of(one.work.numbers), np.float64)

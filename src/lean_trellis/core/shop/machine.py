"""A machine: its process, its plate and its build volume."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field, model_validator

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.shop.frozen import Frozen

Process = Literal["powder_bed", "vat", "extrusion"]
PROCESS_WORDS: dict[str, str] = {
    "powder_bed": "laser powder bed",
    "vat": "resin vat",
    "extrusion": "extrusion",
}

LAYER_SUFFIXES: dict[Process, str] = {"powder_bed": ".cli", "vat": ".zip", "extrusion": ".gcode"}
"""The machine file of each process; `.3mf` serves all."""


class Plate(Frozen):
    """The plate's shape and size in mm. A round one has equal width and depth: its diameter."""

    shape: Literal["rectangle", "round"]
    width: float = Field(gt=0, le=5000)
    depth: float = Field(gt=0, le=5000)

    @model_validator(mode="after")
    def _round_is_round(self) -> Plate:
        if self.shape == "round" and self.width != self.depth:
            raise ValueError("a round plate has equal width and depth")
        return self

    @property
    def middle(self) -> tuple[float, float]:
        """Middle of the plate; the origin is its front left corner."""
        return self.width / 2, self.depth / 2

    def excess(self, xy: Floats) -> Floats:
        """(n,): by how many mm each (n, 2) point lies outside the plate; negative inside."""
        offset = np.asarray(xy, np.float64) - self.middle
        if self.shape == "round":
            result: Floats = np.hypot(offset[:, 0], offset[:, 1]) - self.width / 2
            return result
        return np.max(np.abs(offset) - np.array(self.middle), axis=1).astype(np.float64)

    def holds(self, xy: Floats) -> Bools:
        """(n,): whether each (n, 2) point lies on the plate."""
        result: Bools = self.excess(xy) <= 1e-6
        return result


class Zone(Frozen):
    """A rectangle of the plate that is taken: `x` and `y` are its front left corner, mm."""

    name: str
    x: float
    y: float
    width: float = Field(gt=0)
    depth: float = Field(gt=0)

    def holds(self, xy: Floats, margin: float = 0) -> Bools:
        """(n,): whether each (n, 2) point lies in it, or no farther from its sides than the margin."""
        offset = np.asarray(xy) - (self.x, self.y)
        inside = (offset > 1e-6 - margin) & (offset < np.array([self.width, self.depth]) - 1e-6 + margin)
        result: Bools = np.logical_and.reduce(inside, axis=1)
        return result


class Drive(Frozen):
    """How a machine moves. Speeds in mm/s, `acceleration` in mm/s², 0 where none is counted.

    `corner_speed` is what the velocity may change by at once; `start_time` what each path takes besides, s.
    """

    travel_speed: float = Field(gt=0, description="between paths")
    acceleration: float = Field(0, ge=0)
    corner_speed: float = Field(8, gt=0)
    start_time: float = Field(0, ge=0)
    source: str = "assumed"


class Rates(Frozen):
    """What a build costs besides its material. Money in EUR, times in minutes or seconds."""

    machine_hour: float = Field(12, ge=0)
    labour_hour: float = Field(36, ge=0)
    warm_up: float = Field(15, ge=0, description="minutes before the first layer")
    cooling: float = Field(20, ge=0, description="minutes after the last")
    contact_time: float = Field(4, ge=0, description="seconds to take off one contact")
    piece_time: float = Field(40, ge=0, description="seconds to take away one support")
    time_factor: float = Field(1, ge=0.2, le=5, description="actual time over estimated, from builds of the shop")
    source: str = "assumed"


_USUAL_DRIVE: dict[str, Drive] = {
    "powder_bed": Drive(travel_speed=4200, start_time=0.0004),
    "vat": Drive(travel_speed=10),
    "extrusion": Drive(travel_speed=140, acceleration=1300, corner_speed=9),
}


class Machine(Frozen):
    """A machine a job can be built on."""

    id: str
    name: str
    process: Process
    plate: Plate
    height: float = Field(gt=0, le=5000, description="build height, mm")
    layer_least: float = Field(gt=0, description="thinnest layer, mm")
    layer_most: float = Field(gt=0, description="thickest layer, mm")
    nozzles: int = Field(0, ge=0, le=8)
    belt_tilt_deg: float = Field(0, ge=0, lt=90, description="tilt of the layers on a belt")
    blade_direction_deg: float | None = Field(None, description="direction in which the recoater's blade moves")
    gas_flow_deg: float | None = Field(None, description="direction in which the shielding gas flows")
    keep_out: tuple[Zone, ...] = ()
    purge_tower: Zone | None = None
    surfaces: tuple[str, ...] = Field((), description="plate surfaces that can be fitted")
    fittings: tuple[str, ...] = Field((), description="trays or vats that can be fitted")
    chamber_most: float | None = Field(None, ge=0, le=500, description="how warm its chamber can be held, °C")
    pixel: float | None = Field(None, gt=0, le=1, description="pitch of a vat's pixels, mm")
    drive: Drive | None = None
    rates: Rates = Rates()
    note: str = ""

    @property
    def moves(self) -> Drive:
        """How it moves; what is usual for its process where nothing is said."""
        return self.drive or _USUAL_DRIVE[self.process]

    @property
    def zones(self) -> tuple[Zone, ...]:
        """Where nothing may stand: keep-out zones and the purge tower."""
        return self.keep_out if self.purge_tower is None else (*self.keep_out, self.purge_tower)

    @property
    def is_belt(self) -> bool:
        """Whether the layers are tilted and the plate moves on."""
        return self.belt_tilt_deg > 0

    def excess(self, xy: Floats) -> Floats:
        """(n,): by how many mm each (n, 2) point lies beyond the plate; a belt ends at its sides only."""
        if self.is_belt:
            beyond: Floats = np.abs(np.asarray(xy)[:, 0] - self.plate.width / 2) - self.plate.width / 2
            return beyond
        return self.plate.excess(xy)

    @property
    def layer_normal(self) -> tuple[float, float, float]:
        """Unit normal of the layers: z, or tilted about X by the belt's angle."""
        tilt = math.radians(self.belt_tilt_deg)
        return (0.0, -math.sin(tilt), math.cos(tilt)) if tilt else (0.0, 0.0, 1.0)

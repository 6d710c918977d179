"""A material: how it is layered, where it needs holding, how strong it is, and from where we know it."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from pydantic import Field, field_validator, model_validator

from lean_trellis.core.shop.frozen import Frozen
from lean_trellis.core.shop.machine import Process


class Constant(Frozen):
    """A number with its unit and where it comes from (`assumed` where nobody measured it)."""

    value: float
    unit: str
    source: str = Field(min_length=3)

    @property
    def is_assumed(self) -> bool:
        """Whether nobody stands for the number yet."""
        return self.source.startswith("assumed")


class Layers(Frozen):
    """One layer height and what it is for."""

    height: float = Field(gt=0, le=2, description="mm")
    purpose: str
    usual: bool = False


class Detection(Frozen):
    """How regions are found. Angles in degrees from the layer plane, lengths in mm."""

    critical_angle: float = Field(ge=0, le=90)
    watch_angle: float = Field(ge=0, le=90)
    bridge_span: float = Field(ge=0, description="ceilings between opposite walls need no support up to this width")
    ledge_limit: float = Field(ge=0, description="ledges free on one side need no support up to this width")
    smallest_region: float = Field(ge=0, description="mm²")
    source: str
    sources: dict[str, str] = Field(default_factory=dict)
    """Where values come from that are not from `source`, by their keys."""

    def source_of(self, key: str) -> str:
        """Where one of the values comes from."""
        return self.sources.get(key, self.source)

    @model_validator(mode="after")
    def _watch_is_milder(self) -> Detection:
        if self.watch_angle < self.critical_angle:
            raise ValueError("watch_angle must not be below critical_angle")
        return self


class FreeSpan(Frozen):
    """How far a surface may lie from the nearest hold, at a few surface angles; straight lines between.

    Beyond the last angle nothing needs holding. `spans` in mm, rising with the angle.
    """

    angles: tuple[float, ...] = Field(min_length=2)
    spans: tuple[float, ...] = Field(min_length=2)
    source: str

    @model_validator(mode="after")
    def _in_order(self) -> FreeSpan:
        if len(self.angles) != len(self.spans):
            raise ValueError("angles and spans must be equally many")
        if any(b <= a for a, b in zip(self.angles, self.angles[1:], strict=False)):
            raise ValueError("angles must rise")
        if any(b < a for a, b in zip(self.spans, self.spans[1:], strict=False)):
            raise ValueError("spans must not fall")
        return self

    def at(self, surface_angle_deg: float) -> float:
        """The greatest free span in mm at a surface angle."""
        return float(np.interp(surface_angle_deg, self.angles, self.spans))


USUAL_MODE = "usual"
LEAST_WALL_MM = 0.3
"""The least width that is built, where a material names none: assumed."""


class ProcessValues(Frozen):
    """Constants that are others on one machine, at one layer height, in one mode: a process belongs to all of them."""

    machine: str = ""
    mode: str = ""
    layer_height: float | None = Field(None, gt=0, le=2)
    constants: dict[str, Constant] = Field(min_length=1)

    def fits(self, machine_id: str, layer_height: float, mode: str = USUAL_MODE) -> bool:
        """Whether they hold for a machine, a layer height and a mode."""
        same_layer = self.layer_height is None or abs(self.layer_height - layer_height) < 1e-9
        return self.machine in ("", machine_id) and self.mode in ("", mode) and same_layer

    @property
    def particularity(self) -> int:
        """How much they ask for: what asks for more goes before what asks for less."""
        return bool(self.machine) + (self.layer_height is not None) + bool(self.mode)


class Material(Frozen):
    """A material as the library keeps it."""

    id: str
    name: str
    process: Process
    layers: tuple[Layers, ...] = Field(min_length=1)
    build_offset: float = Field(ge=0, le=100, description="mm")
    pose_range: tuple[float, float] = Field(description="recommended angle from the plate, degrees")
    contact: str = Field(pattern="^(bite|gap)$")
    detection: Detection
    free_span: FreeSpan
    shrinkage: tuple[Constant, Constant, Constant]
    constants: dict[str, Constant]
    validated_modes: tuple[str, ...] = Field(
        (USUAL_MODE,), description="modes that are proven: on every machine, or as `fast on metal-260` on one"
    )
    processes: tuple[ProcessValues, ...] = ()
    plate_temperatures: dict[str, float] = Field(default_factory=dict, description="degC by the plate's surface")
    after: tuple[str, ...] = Field((), description="what is done after the build, step by step")
    validated_fittings: tuple[str, ...] = Field((), description="trays or vats it may be built in; none: any")

    @field_validator("validated_modes")
    @classmethod
    def _by_its_name_now(cls, modes: tuple[str, ...]) -> tuple[str, ...]:
        """The usual mode was once called normal."""
        return tuple(USUAL_MODE if mode == "normal" else mode for mode in modes)

    @model_validator(mode="after")
    def _complete(self) -> Material:
        if sum(layer.usual for layer in self.layers) != 1:
            raise ValueError("layers: exactly one must be usual = true")
        missing = [key for key in NEEDED[self.process] if key not in self.constants]
        if missing:
            raise ValueError(f"constants: {', '.join(missing)} missing")
        if any(not math.isfinite(constant.value) for constant in self.constants.values()):
            raise ValueError("constants: every value must be a finite number")
        return self

    @property
    def modes(self) -> tuple[str, ...]:
        """The modes that it offers, the usual one first."""
        return (USUAL_MODE, *dict.fromkeys(entry.mode for entry in self.processes if entry.mode))

    def is_proven(self, mode: str, machine_id: str) -> bool:
        """Whether a mode is proven on a machine."""
        return mode in self.validated_modes or f"{mode} on {machine_id}" in self.validated_modes

    def constants_for(
        self, machine_id: str, layer_height: float, surface: str = "", mode: str = USUAL_MODE
    ) -> dict[str, Constant]:
        """The constants on a machine at a layer height in a mode, the plate's temperature that of its surface."""
        constants = dict(self.constants)
        for values in sorted(self.processes, key=lambda entry: entry.particularity):
            if values.fits(machine_id, layer_height, mode):
                constants |= values.constants
        if surface in self.plate_temperatures:
            of_surface = constants["plate_temperature"].model_copy(update={"value": self.plate_temperatures[surface]})
            constants["plate_temperature"] = of_surface
        return constants

    @property
    def usual_layer_height(self) -> float:
        """The layer height that is taken when nobody says otherwise, mm."""
        return next(layer.height for layer in self.layers if layer.usual)


_ALWAYS = ("density", "price", "loss", "plate_temperature", "strength", "stiffness")
_WAITS = ("wait_before", "wait_after", "edge_smoothing")
NEEDED: dict[str, tuple[str, ...]] = {
    "powder_bed": (*_ALWAYS, "recoat_time", "hatch_speed", "outline_speed", "hatch_distance", "thermal_lift"),
    "vat": (*_ALWAYS, "exposure_time", "base_exposure_time", "base_layers", "lift_time", "peel_pressure", *_WAITS),
    "extrusion": (*_ALWAYS, "path_speed", "path_width", "nozzle_temperature", "nozzle_push"),
}
"""Constants without which a material of that process is not taken."""


def value_or(constants: Mapping[str, Constant], key: str, usual: float) -> float:
    """The value of a constant, or what is usual where the material does not have it."""
    return constants[key].value if key in constants else usual

"""What options of several commands come to: machine, material, pose."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import choose_mode, set_first_layer, set_layer_height, set_support_every
from lean_trellis.core.parts.pose import Pose, rotation_xyz
from lean_trellis.core.shop import full_library
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.machine import Machine, Process
from lean_trellis.core.shop.material import Material


def require_angle(name: str, angle: float | None) -> float | None:
    """The angle, when it is a surface angle."""
    if angle is not None and not 0 <= angle <= 90:
        raise EditError(name, f"{angle:g} is no surface angle", "give 0 to 90")
    return angle


def require_offset(offset: float | None) -> float | None:
    """The build offset, when it is not below the plate."""
    if offset is not None and not 0 <= offset < 10_000:
        raise EditError("--build-offset", f"{offset:g} mm is not above the plate", "give 0 or more")
    return offset


def require_support_every(layers: int | None) -> int | None:
    """At which layers supports are built, when that makes sense."""
    if layers is not None and not 1 <= layers <= 10:
        raise EditError("--support-every", f"every {layers} layers is no choice", "give 1 to 10")
    return layers


def require_layer_height(height: float | None, option: str = "--layer-height") -> float | None:
    """The layer height, when layers can be that high."""
    if height is not None and not 0 < height <= 5:
        raise EditError(option, f"{height:g} mm is no layer height", "give more than 0, up to 5")
    return height


@dataclass(frozen=True)
class LayerWish:
    """How layers are asked to be built: heights in mm, supports at every so many-th, the material's mode."""

    height: float | None = None
    first: float | None = None
    support_every: int | None = None
    mode: str | None = None

    def applied(self, job: Job) -> Job:
        """The job with what was asked for. Raises `EditError` and `UnknownNameError` for what cannot be."""
        if self.height is not None:
            job = set_layer_height(job, self.height).job
        if self.first is not None:
            job = set_first_layer(job, self.first).job
        if self.support_every is not None:
            job = set_support_every(job, self.support_every).job
        return job if self.mode is None else choose_mode(job, self.mode).job


def posed(rotate: tuple[float, float, float], build_offset: float, x: float, y: float) -> Pose:
    """The pose asked for, the part's middle at x, y."""
    return Pose(x=x, y=y, build_offset=build_offset).turned(rotation_xyz(*rotate))


_USUAL_LAYER_MM = 0.05


def chosen_layer_height(asked: float | None, material: str | None) -> float:
    """The layer height asked for; else the material's usual one; else one that is usual where nothing is named."""
    height = require_layer_height(asked)
    if height is not None:
        return height
    if material is not None:
        return choose_shop(full_library(), None, material)[1].usual_layer_height
    return _USUAL_LAYER_MM


_USUAL = {
    "powder_bed": ("metal-260", "steel-316l"),
    "vat": ("vat-150", "resin-model"),
    "extrusion": ("filament-320", "pla"),
}


def choose_shop(
    library: Library, machine: str | None, material: str | None, process: Process = "powder_bed"
) -> tuple[Machine, Material]:
    """Machine and material by id; what is not named follows from the other, else from the `process`."""
    if material is not None and machine is None:
        chosen = library.material(material)
        return library.machine(_USUAL[chosen.process][0]), chosen
    built_on = library.machine(machine or _USUAL[process][0])
    if material is None:
        return built_on, library.material(_USUAL[built_on.process][1])
    chosen = library.material(material)
    if chosen.process != built_on.process:
        raise EditError(material, f"cannot be built on {built_on.id}", "choose a material of its process")
    return built_on, chosen

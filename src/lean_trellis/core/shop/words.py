"""Values of machines and materials in words: what a dotted key is called, what the value does, in which unit.

One place for all benches and messages that name a value.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

UNIT_WORDS = {"1": "", "degC": "°C", "deg": "°", "g/cm3": "g/cm³", "mm3": "mm³", "N/mm2": "N/mm²", "EUR/kg": "€/kg"}
"""Units as files write them, and as people read them; those not listed read as they are written."""


@dataclass(frozen=True)
class ValueWords:
    """What a value is called, its unit as people read it, and what it does."""

    label: str
    unit: str = ""
    help: str = ""


CONSTANTS = {
    "density": ValueWords("Density", help="Of the built material: turns volume into weight."),
    "price": ValueWords("Price", help="Of the material as it is bought."),
    "loss": ValueWords("Loss", help="Share that cannot be used again."),
    "plate_temperature": ValueWords("Plate temperature", help="Everything built on one plate must suit it."),
    "strength": ValueWords("Strength", help="Of freshly built layers, which contacts rely on."),
    "stiffness": ValueWords("Stiffness", help="Of freshly built material; resists buckling."),
    "thermal_lift": ValueWords("Thermal lift", help="Pull along a region's rim as the metal cools."),
    "recoater_push": ValueWords("Recoater push", help="Side load of the recoater blade on what sticks up."),
    "recoat_time": ValueWords("Recoating", help="Time for a new layer of powder."),
    "hatch_speed": ValueWords("Hatch speed", help="Of the beam inside the outlines."),
    "outline_speed": ValueWords("Outline speed", help="Of the beam along the outlines."),
    "hatch_distance": ValueWords("Hatch distance", help="Between neighbouring tracks of the beam."),
    "least_wall": ValueWords("Thinnest wall", help="Thinner ones cannot be made."),
    "peel_pressure": ValueWords("Peel pressure", help="Pull of the film on each layer's area."),
    "exposure_time": ValueWords("Exposure", help="Of each layer but the base."),
    "base_exposure_time": ValueWords("Base exposure", help="Of the first layers, which must stick to the plate."),
    "base_layers": ValueWords("Base layers", help="How many layers are exposed as the base."),
    "lift_time": ValueWords("Lift and lower", help="Time to peel a layer off and come back."),
    "path_speed": ValueWords("Path speed", help="Of the nozzle along its paths."),
    "path_width": ValueWords("Path width", help="Of one extruded track."),
    "nozzle_temperature": ValueWords("Nozzle temperature"),
    "nozzle_push": ValueWords("Nozzle push", help="Side load of the nozzle on what sticks up."),
    "change_time": ValueWords("Material change", help="Time to change from one nozzle to the other."),
    "purge_volume": ValueWords("Purge", help="What each change leaves in the purge tower."),
    "wait_before": ValueWords("Settling time", help="Before exposure: the resin comes to rest."),
    "wait_after": ValueWords("Hold time", help="After exposure: the layer sets before the lift."),
    "outline_offset": ValueWords("Outline offset", help="Beam or bead build so far beyond it: paths are set in."),
    "overcure_width": ValueWords("Overcure in plan", help="Resin hardens so far beyond an outline: masks are set in."),
    "overcure_depth": ValueWords("Overcure in height", help="Light hardens resin so far below an underside."),
    "edge_smoothing": ValueWords("Edge smoothing", help="Share of grey at the pixels of an edge."),
    "warp_stress": ValueWords("Warp stress", help="Left in layers that are kept from shrinking: curls long parts."),
    "softening_temperature": ValueWords("Softens at", help="Layers begin to shrink against each other below it."),
    "loops": ValueWords("Loops", help="Beads along each outline, from the outside in."),
    "fill_share": ValueWords("Fill", help="Share of the inside that is filled."),
    "shell_layers": ValueWords("Full layers", help="Layers under and over air that are filled fully."),
    "least_layer_time": ValueWords("Least layer time", help="A layer that takes less waits, so that it cools."),
    "draw_back": ValueWords("Draw back", help="Filament pulled back before a long way between paths."),
    "hatch_turn": ValueWords("Turn of the hatch", help="From each layer to the next."),
    "stripe_width": ValueWords("Stripe width", help="Hatch lines are no longer than this; 0: as long as the layer."),
    "chamber_temperature": ValueWords("Chamber temperature", help="The warmer the chamber, the less a part warps."),
}
_PLAIN = {
    "name": ValueWords("Name"),
    "process": ValueWords("Process"),
    "plate.shape": ValueWords("Plate shape", help="rectangle or round"),
    "plate.width": ValueWords("Plate width", "mm", "Along X; the diameter of a round one."),
    "plate.depth": ValueWords("Plate depth", "mm", "Along Y."),
    "height": ValueWords("Build height", "mm", "Nothing may be higher."),
    "chamber_most": ValueWords("Warmest chamber", "°C"),
    "layer_least": ValueWords("Thinnest layer", "mm"),
    "layer_most": ValueWords("Thickest layer", "mm"),
    "nozzles": ValueWords("Nozzles", help="How many materials it can change between."),
    "belt_tilt_deg": ValueWords("Tilt of the layers", "°", "On a belt; 0 on a plate."),
    "blade_direction_deg": ValueWords("Blade moves towards", "°", "From X, counter-clockwise seen from above."),
    "gas_flow_deg": ValueWords("Gas flows towards", "°", "From X, counter-clockwise seen from above."),
    "pixel": ValueWords("Pixel pitch", "mm", "Of the masks of a vat."),
    "drive.travel_speed": ValueWords("Speed between paths", "mm/s"),
    "drive.acceleration": ValueWords("Acceleration", "mm/s²", "0: speeds are constant."),
    "drive.corner_speed": ValueWords("Corner speed", "mm/s", "What the velocity may change by at once."),
    "drive.start_time": ValueWords("Start of a path", "s", "What each path takes besides its length."),
    "drive.source": ValueWords("Speeds are from"),
    "rates.machine_hour": ValueWords("Machine hour", "EUR"),
    "rates.labour_hour": ValueWords("Working hour", "EUR"),
    "rates.warm_up": ValueWords("Warming up", "min", "Before the first layer."),
    "rates.cooling": ValueWords("Cooling", "min", "After the last layer."),
    "rates.contact_time": ValueWords("Taking off a contact", "s"),
    "rates.piece_time": ValueWords("Taking away a support", "s", "One support, its contacts aside."),
    "rates.time_factor": ValueWords("Time factor", "", "Actual time over estimated, from builds of the shop."),
    "rates.source": ValueWords("Rates are from"),
    "purge_tower.name": ValueWords("Purge tower: name"),
    "build_offset": ValueWords("Build offset", "mm", "Height of a part's lowest point above the plate."),
    "pose_range.0": ValueWords("Pose range from", "°", "Recommended angle from the plate: a recommendation."),
    "pose_range.1": ValueWords("Pose range to", "°", "Recommended angle from the plate: a recommendation."),
    "contact": ValueWords(
        "Contact of supports", help="bite: into the part. gap: away from it, with dense layers below."
    ),
    "detection.critical_angle": ValueWords("Critical angle", "°", "Flatter undersides than this need support."),
    "detection.watch_angle": ValueWords("Watch angle", "°", "Undersides up to this are doubtful."),
    "detection.bridge_span": ValueWords(
        "Bridges up to", "mm", "A ceiling between opposite walls needs no support up to this width."
    ),
    "detection.ledge_limit": ValueWords(
        "Ledges up to", "mm", "A ledge free on one side needs no support up to this width."
    ),
    "detection.smallest_region": ValueWords("Smallest region", "mm²", "Smaller ones are left out."),
}
_ZONE = {
    "name": ValueWords("name"),
    "x": ValueWords("left edge", "mm", "From the plate's left edge."),
    "y": ValueWords("front edge", "mm", "From the plate's front edge."),
    "width": ValueWords("width", "mm"),
    "depth": ValueWords("depth", "mm"),
}
_LISTED = {
    "surfaces": "Plate surface",
    "fittings": "Tray that fits",
    "validated_modes": "Proven mode",
    "validated_fittings": "Validated tray",
    "after": "After the build",
}


def words_of(key: str, values: dict[str, Any]) -> ValueWords:
    """What the value under a dotted key is called, among all `values` of its machine or material."""
    steps = key.split(".")
    if key in _PLAIN:
        return _PLAIN[key]
    if steps[0] == "constants":
        return _constant(steps[1], values.get(f"constants.{steps[1]}.unit", ""))
    if steps[0] == "shrinkage":
        return ValueWords(f"Shrinkage along {'XYZ'[int(steps[1])]}", "", "Share that is lost when it cools or cures.")
    if steps[0] == "free_span":
        return _free_span(steps, values)
    if steps[0] == "layers":
        column = {"height": ("", "mm"), "purpose": (": what for", ""), "usual": (": the usual one", "")}[steps[2]]
        return ValueWords(f"Layer height {int(steps[1]) + 1}{column[0]}", column[1])
    if steps[0] in ("keep_out", "purge_tower"):
        whose = values.get(f"keep_out.{steps[1]}.name", "zone") if steps[0] == "keep_out" else "Purge tower"
        told_zone = _ZONE[steps[-1]]
        return ValueWords(
            f"{whose}: {told_zone.label}", told_zone.unit, told_zone.help or "Nothing may be placed there."
        )
    if steps[0] == "plate_temperatures":
        return ValueWords(f"Plate temperature on {key.partition('.')[2]}", "°C")
    if steps[0] == "processes":
        return _process(steps, values)
    if steps[0] in _LISTED:
        return ValueWords(f"{_LISTED[steps[0]]} {int(steps[1]) + 1}")
    return ValueWords(key)


def _constant(name: str, unit: str) -> ValueWords:
    words = CONSTANTS.get(name, ValueWords(name.replace("_", " ").capitalize()))
    return ValueWords(words.label, UNIT_WORDS.get(unit, unit), words.help)


def _free_span(steps: list[str], values: dict[str, Any]) -> ValueWords:
    if len(steps) < 3:
        return ValueWords("Free span")
    if steps[1] == "angles":
        return ValueWords(f"Free span: angle {int(steps[2]) + 1}", "°", "Surface angle that the span is valid for.")
    angle = values.get(f"free_span.angles.{steps[2]}", 0.0)
    return ValueWords(f"Free span at {angle:g}°", "mm", "Largest distance of a surface from the nearest support.")


def _process(steps: list[str], values: dict[str, Any]) -> ValueWords:
    """What belongs to a machine, a layer height, a mode, or some of them."""
    start = ".".join(steps[:2])
    machine, height, mode = (values.get(f"{start}.{name}") for name in ("machine", "layer_height", "mode"))
    if len(steps) < 4:
        return ValueWords(f"Process {int(steps[1]) + 1}: {steps[2].replace('_', ' ')}")
    constant = _constant(steps[3], values.get(f"{start}.constants.{steps[3]}.unit", ""))
    where = [f"on {machine}"] if machine else []
    where += [f"at {height:g} mm"] if height is not None else []
    where += [f"in the {mode} mode"] if mode else []
    return ValueWords(" ".join([constant.label, *where]), constant.unit, constant.help)


def text_of(key: str, value: Any, values: dict[str, Any]) -> str:
    """A value with its unit, as people read it; a dash where there is none."""
    if value is None:
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    text = f"{value:,g}" if isinstance(value, int | float) else str(value)
    unit = words_of(key, values).unit
    return f"{text}{unit}" if unit == "°" else f"{text} {unit}".rstrip()

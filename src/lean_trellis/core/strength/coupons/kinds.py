"""The kinds of coupons: how each is made for a material, and which of its values follow from what came out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.material import Material
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.strength.coupons import shapes
from lean_trellis.core.strength.coupons.fitted import CouponError, Fitted
from lean_trellis.core.strength.coupons.ladders import threshold
from lean_trellis.core.strength.coupons.outcomes import Outcomes, Step
from lean_trellis.core.strength.coupons.scatter import constant_of_many, line_through

_ALL: tuple[Process, ...] = ("powder_bed", "vat", "extrusion")
Sizes = tuple[float, ...]


@dataclass(frozen=True)
class CouponKind:
    """One kind. `size` is the key of a step's size in outcomes, `outcome` that of what came out.

    `sizes` gives those of the coupon for a material, `make` the solid, `values` what follows from outcomes: material
    values by their dotted keys.
    """

    key: str
    title: str
    words: str
    processes: tuple[Process, ...]
    size: str
    unit: str
    outcome: str
    sizes: Callable[[Material], Sizes]
    make: Callable[[Sequence[float]], Mesh]
    values: Callable[[Outcomes, Material], dict[str, Fitted]]

    def template(self, material: Material) -> dict[str, object]:
        """Outcomes to be filled in for one coupon of that material."""
        empty = False if self.outcome == "held" else None
        steps: list[dict[str, object]] = [{self.size: size, self.outcome: empty} for size in self.sizes(material)]
        if self.key == "scale":
            steps = [{"axis": axis, "of": of, "nominal": nominal, "measured": None}
                     for size in self.sizes(material) for axis, of, nominal in _scale_steps(size)]  # fmt: skip
        return {"kind": self.key, "coupons": [{"steps": steps}], "date": "", "lot": "", "machine": ""}


def _scale_steps(size: float) -> list[tuple[str, str, float]]:
    plan = [(axis, of, share * size) for axis in "xy" for of, share in (("outside", 1.0), ("hole", 0.5))]
    return [*plan, ("z", "outside", size / 2)]


def _round(values: Floats, digits: int = 2) -> Sizes:
    return tuple(float(value) for value in np.round(values, digits))


def _angles(material: Material) -> Sizes:
    middle = 5 * round(material.detection.critical_angle / 5)
    return tuple(float(angle) for angle in range(max(middle - 20, 10), min(middle + 15, 75) + 1, 5))


def _about(value: float, least: float) -> Sizes:
    """Eight sizes from a third of a value to two and a half times as much."""
    return _round(max(value, least) * np.geomspace(0.35, 2.5, 8))


def _places(outcomes: Outcomes, key: str, known: Sizes, kind: str) -> tuple[Floats, Bools]:
    """Sizes and outcomes of all steps of all coupons; a size that is not said is the coupon's own."""
    places, held = [], []
    for number, coupon in enumerate(outcomes.coupons, start=1):
        for place, step in enumerate(coupon.steps):
            if step.held is None:
                raise CouponError(kind, f"coupon {number}, step {place + 1} does not say whether it held",
                                  "write true or false")  # fmt: skip
            places.append(_size(step, key, known, place, kind, number))
            held.append(step.held)
    return np.array(places, np.float64), np.array(held, bool)


def _size(step: Step, key: str, known: Sizes, place: int, kind: str, number: int) -> float:
    said = getattr(step, key)
    if said is None and place >= len(known):
        raise CouponError(kind, f"coupon {number}, step {place + 1} has no {key}", "say it")
    return float(known[place] if said is None else said)


def _critical_angle(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    places, held = _places(outcomes, "angle", _angles(material), "angles")
    angle = threshold(places, held, len(outcomes.coupons), holds_above=True, unit="deg", subject="angles", most=90.0)
    return {"detection.critical_angle": angle}


def _bridge_span(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    places, held = _places(outcomes, "span", _bridges(material), "bridges")
    span = threshold(places, held, len(outcomes.coupons), holds_above=False, unit="mm", subject="bridges")
    half = Fitted(span.value / 2, span.low / 2, span.high / 2, span.safe / 2, "mm", span.from_n)
    return {"detection.bridge_span": span, "free_span.spans.0": half}


def _bridges(material: Material) -> Sizes:
    return _about(material.detection.bridge_span, 2 * material.free_span.at(0))


def _ledges(material: Material) -> Sizes:
    return _about(material.detection.ledge_limit, material.free_span.at(0) / 3)


def _ledge_limit(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    places, held = _places(outcomes, "length", _ledges(material), "ledges")
    count = len(outcomes.coupons)
    return {"detection.ledge_limit": threshold(places, held, count, holds_above=False, unit="mm", subject="ledges")}


def _tips(material: Material) -> Sizes:
    return (0.3, 0.4, 0.5, 0.7, 0.9) if material.process != "extrusion" else (0.8, 1.2, 1.6, 2.0, 2.4)


def _strength(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    """Force over the neck's area: a bar in plain tension."""
    measured = []
    for number, coupon in enumerate(outcomes.coupons, start=1):
        for place, step in enumerate(coupon.steps):
            if step.force is not None:
                diameter = _size(step, "diameter", _tips(material), place, "tips", number)
                measured.append(step.force / (np.pi * diameter**2 / 4))
    values = np.array(measured, np.float64)
    count = len(outcomes.coupons)
    return {"constants.strength": constant_of_many(values, count, unit="MPa", subject="tips", is_safe_low=True)}


def _beams(_: Material) -> Sizes:
    return (1.0, 1.5, 2.0, 3.0)


def rise_per_lift(thickness: Floats, length: Floats, width: Floats, stiffness: float, lift_depth: float) -> Floats:
    """Rise in mm for each N/mm of `thermal_lift`, of a beam cut loose but at one end.

    The lift acts along its free rims: its end (w long) and both its sides. Euler and Bernoulli, I = w h^3 / 12: the end
    gives q w L^3 / (3 E I), the sides 2 q L^4 / (8 E I); together q (4 + 3 L / w) L^3 / (E h^3), with
    q = lift (1 - exp(-h / h0)).
    """
    bending = (4 + 3 * length / width) * length**3 / (stiffness * thickness**3)
    result: Floats = bending * -np.expm1(-thickness / lift_depth)
    return result


def _lift(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    rows: list[tuple[float, ...]] = []
    for number, coupon in enumerate(outcomes.coupons, start=1):
        for place, step in enumerate(coupon.steps):
            if step.rise is not None:
                thick = _size(step, "thickness", _beams(material), place, "cantilever", number)
                size = (step.length or shapes.CANTILEVER_LENGTH, step.width or shapes.CANTILEVER_WIDTH)
                rows.append((step.rise, thick, *size))
    rises, thicknesses, lengths, widths = np.array(rows, np.float64).reshape(-1, 4).T
    depth = constant_of(material.constants, "lift_depth").value
    stiffness = material.constants["stiffness"].value
    measured = rises / rise_per_lift(thicknesses, lengths, widths, stiffness, depth)
    count = len(outcomes.coupons)
    lift = constant_of_many(measured, count, unit="N/mm", subject="cantilever", is_safe_low=False)
    return {"constants.thermal_lift": lift}


def pad_pressure(diameters: Floats, strength: float) -> Floats:
    """N/mm²: the peel at which the stalk of a round pad gives: strength times the stalk's area over the pad's."""
    result: Floats = strength * (shapes.STALK_DIAMETER / diameters) ** 2
    return result


def _pads(material: Material) -> Sizes:
    peel = material.constants["peel_pressure"].value
    pressures = peel * np.geomspace(0.4, 4.0, 7)
    return _round(shapes.STALK_DIAMETER * (material.constants["strength"].value / pressures) ** 0.5, 1)


def _peel(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    """A pad holds where its stalk gives at a higher pressure than the film's peel."""
    places, held = [], []
    for number, coupon in enumerate(outcomes.coupons, start=1):
        for place, step in enumerate(coupon.steps):
            if step.held is None:
                raise CouponError("peel", f"coupon {number}, step {place + 1} does not say whether it held",
                                  "write true or false")  # fmt: skip
            held.append(step.held)
            if step.pressure is not None:
                places.append(step.pressure)
            else:
                size = _size(step, "diameter", _pads(material), place, "peel", number)
                places.append(float(pad_pressure(np.array(size), material.constants["strength"].value)))
    peel = threshold(np.array(places), np.array(held), len(outcomes.coupons), holds_above=True, unit="N/mm2",
                      subject="peel")  # fmt: skip
    return {"constants.peel_pressure": peel}


def _scale(outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    """Shrinkage along each axis that was measured, and by how much outlines grow in plan."""
    rows: dict[str, list[tuple[float, float, float]]] = {}
    for coupon in outcomes.coupons:
        for place, step in enumerate(coupon.steps, start=1):
            if step.measured is not None:
                if step.axis is None or step.nominal is None:
                    raise CouponError("scale", f"step {place} does not say axis and nominal", "say both")
                side = -1.0 if step.of == "hole" else 1.0
                rows.setdefault(step.axis, []).append((step.nominal, side, step.measured))
    if not rows:
        raise CouponError("scale", "nothing was measured", "write what you measured")
    count, values, offsets = len(outcomes.coupons), {}, []
    for axis in sorted(rows):
        nominal, side, measured = np.array(rows[axis], np.float64).T
        scale, offset = line_through(nominal, side, measured, count)
        shrinkage = (1 - scale.high, 1 - scale.value, 1 - scale.low)
        values[f"shrinkage.{'xyz'.index(axis)}"] = Fitted(
            shrinkage[1], shrinkage[0], shrinkage[2], shrinkage[1], "1", count
        )
        if axis in "xy":
            offsets.append(offset)
    if offsets:
        mean = [float(np.mean([getattr(one, key) for one in offsets])) for key in ("value", "low", "high")]
        key = "constants.overcure_width" if material.process == "vat" else "constants.outline_offset"
        values[key] = Fitted(mean[0], mean[1], mean[2], mean[0], "mm", count)
    return values


KINDS: Mapping[str, CouponKind] = {
    kind.key: kind
    for kind in (
        CouponKind("angles", "Ladder of angles", "Slabs that lean ever flatter: which came out, which sagged?", _ALL,
                   "angle", "°", "held", _angles, shapes.angle_ladder, _critical_angle),
        CouponKind("bridges", "Ladder of bridges", "Ceilings between two posts, ever wider: which sagged?",
                   ("powder_bed", "extrusion"), "span", "mm", "held", _bridges, shapes.bridge_ladder, _bridge_span),
        CouponKind("ledges", "Ladder of ledges", "Ledges out of a wall, ever longer: which curled or sagged?",
                   ("powder_bed", "extrusion"), "length", "mm", "held", _ledges, shapes.ledge_ladder, _ledge_limit),
        CouponKind("tips", "Row of tips", "Necks of several diameters: the force at which each tore.", _ALL,
                   "diameter", "mm", "force", _tips, shapes.tip_row, _strength),
        CouponKind("cantilever", "Cantilevers", "Beams on teeth: how far the end rose once they were sawn off.",
                   ("powder_bed",), "thickness", "mm", "rise", _beams, shapes.cantilevers, _lift),
        CouponKind("peel", "Peel pads", "Pads on thin stalks, ever larger: which did the film tear off?", ("vat",),
                   "diameter", "mm", "held", _pads, shapes.peel_pads, _peel),
        CouponKind("scale", "Bars and holes", "Blocks with square holes: their sizes as measured.", _ALL, "nominal",
                   "mm", "measured", lambda _: (10.0, 20.0, 40.0), shapes.scale_blocks, _scale),
    )
}  # fmt: skip
"""Every kind by its key, in the order in which a shop would build them."""


def find_kind(key: str) -> CouponKind:
    """The kind of that key; `UnknownNameError` says what comes close."""
    if key not in KINDS:
        raise UnknownNameError.among("coupon", key, KINDS)
    return KINDS[key]


def coupon_mesh(key: str, material: Material) -> Mesh:
    """A coupon for a material. Raises `CouponError` where its process has no use for it."""
    kind = find_kind(key)
    _require_process(kind, material)
    return kind.make(kind.sizes(material))


def fitted_values(key: str, outcomes: Outcomes, material: Material) -> dict[str, Fitted]:
    """Values of a material, by their dotted keys, that follow from outcomes of a kind. Raises `CouponError`."""
    kind = find_kind(key)
    _require_process(kind, material)
    if outcomes.kind and outcomes.kind != key:
        raise CouponError(key, f"these are outcomes of {outcomes.kind}", f"fit {outcomes.kind}")
    return kind.values(outcomes, material)


def _require_process(kind: CouponKind, material: Material) -> None:
    if material.process not in kind.processes:
        words = f"says nothing about {material.name}: it is for {' and '.join(kind.processes).replace('_', ' ')}"
        raise CouponError(kind.key, words, "choose another coupon or material")

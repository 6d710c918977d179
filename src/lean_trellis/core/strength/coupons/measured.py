"""Measured values written into a material, with where they come from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from lean_trellis.core.shop.material import Constant, Material
from lean_trellis.core.strength.coupons.fitted import CouponError, Fitted
from lean_trellis.core.strength.coupons.outcomes import Outcomes


def source_of(fitted: Fitted, kind: str, outcomes: Outcomes) -> str:
    """Where a value comes from, in words: the coupons, the interval, date, lot and machine."""
    coupons = f"{fitted.from_n} coupon{'s' * (fitted.from_n != 1)} ({kind})"
    unit = "" if fitted.unit == "1" else f" {fitted.unit}"
    words = [f"measured: {coupons}, between {fitted.low:.4g} and {fitted.high:.4g}{unit}"]
    words += [outcomes.date] if outcomes.date else []
    words += [f"lot {outcomes.lot}"] if outcomes.lot else []
    words += [f"on {outcomes.machine}"] if outcomes.machine else []
    return ", ".join(words)


def with_measured(material: Material, fitted: Mapping[str, Fitted], kind: str, outcomes: Outcomes) -> Material:
    """The material with measured values in place of what it had: of each the end that a build may rely on.

    Raises `CouponError` where a value does not fit with others of the material.
    """
    content: dict[str, Any] = material.model_dump()
    for key, one in fitted.items():
        group, name = key.split(".", 1)
        source = source_of(one, kind, outcomes)
        if group == "constants":
            content[group][name] = Constant(value=one.safe, unit=one.unit, source=source).model_dump()
        elif group == "shrinkage":
            rows = list(content[group])
            rows[int(name)] = Constant(value=one.safe, unit="1", source=source).model_dump()
            content[group] = rows
        elif group == "detection":
            detection = dict(content[group])
            detection["sources"] = {**detection["sources"], name: source}
            detection[name] = one.safe
            if name == "critical_angle":
                detection["watch_angle"] = max(detection["watch_angle"], one.safe)
            content[group] = detection
        else:
            spans = list(content["free_span"]["spans"])
            spans[0] = one.safe
            rising = [max(spans[: place + 1]) for place in range(len(spans))]
            content["free_span"] = {**content["free_span"], "spans": rising, "source": source}
    try:
        return Material.model_validate(content)
    except ValidationError as problem:
        raise CouponError(material.name, problem.errors()[0]["msg"], "look at the outcomes again") from None

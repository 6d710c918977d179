"""What came out of built coupons, as a JSON file says it.

`{"kind": "angles", "coupons": [{"steps": [{"angle": 35, "held": false}, {"angle": 40, "held": true}]}]}`; of one
coupon the `steps` may stand alone. A step's size may be left out where the coupon was built as it came: the first
step is the first of the file's coupon.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.errors import AccessError
from lean_trellis.core.strength.coupons.fitted import CouponError


class Step(BaseModel):
    """One step of a coupon: its size (of which kind depends on the coupon) and what came out."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    angle: float | None = Field(None, gt=0, lt=90, description="degrees")
    span: float | None = Field(None, gt=0, description="mm")
    length: float | None = Field(None, gt=0, description="mm")
    diameter: float | None = Field(None, gt=0, description="mm")
    thickness: float | None = Field(None, gt=0, description="mm")
    width: float | None = Field(None, gt=0, description="mm")
    pressure: float | None = Field(None, gt=0, description="N/mm² at which the stalk gives")
    axis: Literal["x", "y", "z"] | None = None
    of: Literal["outside", "hole"] | None = None
    nominal: float | None = Field(None, gt=0, description="mm")
    held: bool | None = None
    force: float | None = Field(None, gt=0, description="N at which it tore")
    rise: float | None = Field(None, gt=0, description="mm")
    measured: float | None = Field(None, gt=0, description="mm")


class Coupon(BaseModel):
    """One built coupon, its steps in order."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    steps: tuple[Step, ...] = Field(min_length=1, max_length=500)


class Outcomes(BaseModel):
    """All coupons of one kind that were built, and where."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: str = ""
    coupons: tuple[Coupon, ...] = Field(min_length=1, max_length=500)
    date: str = ""
    lot: str = ""
    machine: str = ""
    note: str = ""


def read_outcomes(path: Path) -> Outcomes:
    """The outcomes of a JSON file. Raises `AccessError`, `CouponError` that names file and key."""
    try:
        content = json.loads(path.read_text(encoding="utf-8"))
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except ValueError as problem:
        raise CouponError(path, f"is no valid JSON ({problem})", "mend that place") from None
    if isinstance(content, list):
        content = {"coupons": content}
    if isinstance(content, dict) and "steps" in content and "coupons" not in content:
        content = {**{key: value for key, value in content.items() if key != "steps"},
                   "coupons": [{"steps": content["steps"]}]}  # fmt: skip
    try:
        return Outcomes.model_validate(content)
    except ValidationError as problem:
        fault = problem.errors()[0]
        key = ".".join(str(step) for step in fault["loc"])
        raise CouponError(path, f"key '{key}': {fault['msg']}", "correct that key; see docs/file-formats.md") from None

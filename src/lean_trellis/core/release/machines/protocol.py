"""What program and machine agree on: the manifest of a build, what a machine says of itself, all of it bounded."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

MANIFEST = "manifest.json"
MOST_PACKAGE_BYTES = 2_000_000_000
MOST_ANSWER_BYTES = 256_000
KEY_PATTERN = "^[0-9a-f]{64}$"
_NAME_PATTERN = r"^[^/\\\x00-\x1f]{1,200}$"
_MOST_LAYERS = 100_000

State = Literal["idle", "warming", "building", "paused", "done", "failed"]
SentState = Literal["waiting", "warming", "building", "paused", "done", "failed", "cancelled"]
Fault = Literal["refuse", "vanish", "nonsense", "hang", "out_of_material", "stop_at_layer"]
ACTIVE: tuple[str, ...] = ("warming", "building", "paused")
OVER: tuple[str, ...] = ("done", "failed", "cancelled")


def _is_finite(value: float) -> float:
    if not math.isfinite(value):
        raise ValueError("must be a finite number")
    return value


Amount = Annotated[float, Field(ge=0, le=1e12), AfterValidator(_is_finite)]
Name = Annotated[str, Field(pattern=_NAME_PATTERN)]


class _Agreed(BaseModel):
    model_config = ConfigDict(extra="ignore", frozen=True)


class SentBody(_Agreed):
    """A body of the file, in the order in which it numbers them; built at every `every`-th layer."""

    name: str = Field(max_length=400)
    kind: Literal["part", "support", "separator"]
    every: int = Field(1, ge=1, le=20)


class Manifest(_Agreed):
    """What a build says of itself: for which machine it is, of what, how much, and in which file."""

    format: Literal["lean-trellis-build"] = "lean-trellis-build"
    version: int = Field(1, ge=1, le=1)
    job: str = Field(max_length=400)
    machine: Name
    process: Literal["powder_bed", "vat", "extrusion"]
    material: Name
    layer_height: float = Field(gt=0, le=5)
    first_layer: float | None = Field(None, gt=0, le=5)
    file: Name
    sha256: str = Field(pattern=KEY_PATTERN)
    volume_mm3: Amount
    line_width: float = Field(gt=0, le=20)
    grams: Amount
    layer_seconds: tuple[Amount, ...] = Field(min_length=1, max_length=_MOST_LAYERS)
    bodies: tuple[SentBody, ...] = Field((), max_length=20_000)

    @property
    def build_seconds(self) -> float:
        """From the first layer to the last."""
        return sum(self.layer_seconds)


class SentBuild(_Agreed):
    """What a machine says of one build."""

    key: str = Field(pattern=KEY_PATTERN)
    job: str = Field(max_length=400)
    state: SentState
    layer: int = Field(0, ge=0, le=_MOST_LAYERS)
    layers: int = Field(0, ge=0, le=_MOST_LAYERS)
    elapsed_s: Amount = 0.0
    left_s: Amount = 0.0
    message: str = Field("", max_length=400)

    @property
    def is_over(self) -> bool:
        """Whether nothing more will happen to it."""
        return self.state in OVER


class Status(_Agreed):
    """What a machine says of itself."""

    format: Literal["lean-trellis-machine"] = "lean-trellis-machine"
    version: int = Field(1, ge=1, le=1)
    machine: Name
    name: str = Field(max_length=200)
    process: Literal["powder_bed", "vat", "extrusion"]
    state: State
    material: str = Field("", max_length=200)
    loaded_grams: Amount | None = None
    speed: float = Field(1.0, gt=0, le=1e9)
    current: str = Field("", max_length=64)
    builds: tuple[SentBuild, ...] = Field((), max_length=1000)
    message: str = Field("", max_length=400)

    def build(self, key: str) -> SentBuild | None:
        """What it says of a build; None where it does not know it."""
        return next((one for one in self.builds if one.key == key), None)


class Reply(_Agreed):
    """What a machine answers to a build, or to what it was told to do."""

    accepted: bool
    reasons: tuple[Annotated[str, Field(max_length=400)], ...] = Field((), max_length=50)
    build: SentBuild | None = None

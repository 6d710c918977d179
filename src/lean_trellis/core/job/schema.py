"""The schema of `job.json`, version 7, as pydantic models: what a job file may hold."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from lean_trellis.core.job.waivers import day_of
from lean_trellis.core.parts.path_values import LEAST_WIDTH_MM, MOST_LOOPS, MOST_WIDTH_MM
from lean_trellis.core.parts.pose import Matrix

FORMAT = "lean-trellis-job"
VERSION = 7
MOST_MM = 1e6
"""No part stands further out."""
_HASH = "^[0-9a-f]{32}$"


class _Kept(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class PoseKept(_Kept):
    """A pose."""

    rotation: Matrix
    x: float = Field(ge=-MOST_MM, le=MOST_MM)
    y: float = Field(ge=-MOST_MM, le=MOST_MM)
    build_offset: float = Field(ge=0, le=MOST_MM)

    @field_validator("rotation")
    @classmethod
    def _is_rotation(cls, rotation: Matrix) -> Matrix:
        matrix = np.array(rotation).reshape(3, 3)
        if np.abs(matrix).max() > 2 or np.abs(matrix @ matrix.T - np.eye(3)).max() > 1e-6:
            raise ValueError("these nine numbers are no rotation")
        return rotation


class OriginKept(_Kept):
    """Where a part came from."""

    file: str = ""
    body: int = Field(0, ge=0)
    unit: str = "mm"
    unit_is_from: str = "user"
    tolerance_mm: float | None = Field(None, gt=0)


class StageKept(_Kept):
    """A stage of shrinkage."""

    name: str
    rates: tuple[float, float, float]


class SizeKept(_Kept):
    """Scale and shrinkage."""

    scale: tuple[float, float, float] = (1.0, 1.0, 1.0)
    stages: list[StageKept] = []


class MarksKept(_Kept):
    """What is marked on a part: `hand` and `protected` are one little-endian int16 a face, deflated, in base64."""

    hand: str = ""
    protected: str = ""
    taken_back: list[tuple[float, float, float]] = []


class PathValuesKept(_Kept):
    """Values of paths that hold for some layers or one outline of a part."""

    low: float | None = Field(None, ge=-MOST_MM, le=MOST_MM)
    high: float | None = Field(None, ge=-MOST_MM, le=MOST_MM)
    at: tuple[float, float, float] | None = None
    path_width: float | None = Field(None, ge=LEAST_WIDTH_MM, le=MOST_WIDTH_MM)
    loops: int | None = Field(None, ge=0, le=MOST_LOOPS)
    fill_share: float | None = Field(None, ge=0, le=1)


class DetectionKept(_Kept):
    """What supports itself on a part, where that is other than the material says."""

    bridge_span: float | None = Field(None, ge=0)
    ledge_limit: float | None = Field(None, ge=0)
    smallest_region: float | None = Field(None, ge=0)


class PartKept(_Kept):
    """A part; `mesh` is its nominal mesh, before scale and shrinkage."""

    id: str
    name: str
    mesh: str = Field(pattern=_HASH)
    pose: PoseKept
    owner: str = ""
    order: str = ""
    origin: OriginKept = OriginKept()
    size: SizeKept = SizeKept()
    critical_angle: float | None = Field(None, ge=0, le=90)
    watch_angle: float | None = Field(None, ge=0, le=90)
    group: str = ""
    is_hidden: bool = False
    is_locked: bool = False
    marks: MarksKept = MarksKept()
    path_values: list[PathValuesKept] = []
    detection: DetectionKept = DetectionKept()
    thickens: bool = False
    lot: str = ""
    load: tuple[float, float, float] | None = None


class SeparatorKept(_Kept):
    """A separator between the parts of a stack."""

    kind: Literal["separator"]
    material: str
    inset: float
    layers: int = Field(ge=1)


class SpacerKept(_Kept):
    """A body from a file between the parts of a stack."""

    kind: Literal["spacer"]
    name: str
    mesh: str = Field(pattern=_HASH)


class StackKept(_Kept):
    """Parts that stand on one another, from the bottom up."""

    id: str
    parts: list[str] = Field(min_length=2)
    gap: float = Field(ge=0)
    gap_unit: Literal["layers", "mm"]
    filling: SeparatorKept | SpacerKept | None = Field(None, discriminator="kind")


class PickKept(_Kept):
    """A region that a support is for."""

    kind: Literal["face", "edge", "point"]
    anchor_mm: tuple[float, float, float]


class HandBarKept(_Kept):
    """A bar added or changed by hand; `place` in the part's own coordinates, `foot` and `bend` from there."""

    place: tuple[float, float, float]
    shaft_diameter: float | None = Field(None, gt=0)
    tip_diameter: float | None = Field(None, gt=0)
    tip_length: float | None = Field(None, gt=0)
    foot: tuple[float, float] | None = None
    bend: tuple[float, float, float] | None = None
    is_locked: bool = False
    on_any_slope: bool = False


class RemovedKept(_Kept):
    """A place where no bar is generated."""

    place: tuple[float, float, float]
    radius: float = Field(ge=0)


class TieKept(_Kept):
    """A bar between two places of the part."""

    start: tuple[float, float, float]
    stop: tuple[float, float, float]
    diameter: float = Field(gt=0)


class LineKept(_Kept):
    """Places one after the other, in the part's own coordinates."""

    places: list[tuple[float, float, float]]


class GoneKept(_Kept):
    """A wall or a piece that was deleted."""

    place: tuple[float, float, float]
    what: Literal["wall", "piece"]


class ExtendedKept(_Kept):
    """A wall that goes on beyond its end."""

    place: tuple[float, float, float]
    by: float = Field(gt=0)


class HandKept(_Kept):
    """What was done to a support by hand."""

    bars: list[HandBarKept] = []
    removed: list[RemovedKept] = []
    ties: list[TieKept] = []
    paths: list[LineKept] = []
    cut_out: list[LineKept] = []
    gone: list[GoneKept] = []
    extended: list[ExtendedKept] = []


class MadeByKept(_Kept):
    """The rule of a recipe that a support was made by."""

    recipe: str
    version: int = Field(ge=1)
    rule: str
    use: int = Field(0, ge=0)
    values: dict[str, float | int | bool | str] = {}


class SupportKept(_Kept):
    """A support."""

    id: str
    part_id: str
    family: str
    form: str = ""
    set_name: str
    set_version: int
    parameters: dict[str, Any]
    target: list[PickKept] | None = None
    hand: HandKept = HandKept()
    others: list[str] = []
    body: str | None = Field(None, pattern=_HASH)
    made_by: MadeByKept | None = None


class SetKept(_Kept):
    """A parameter set as it was used."""

    id: str
    title: str
    version: int = Field(ge=1)
    owner: str
    process: str
    note: str
    family: str
    form: str = ""
    parameters: dict[str, Any]


class WaiverKept(_Kept):
    """A stop that was accepted in writing; the place in the part's own coordinates."""

    code: str = Field(min_length=1)
    part_id: str
    who: str = Field(min_length=1)
    reason: str = Field(min_length=1)
    at_mm: tuple[float, float, float] | None = None
    value: float | None = None
    limit: float | None = None
    expires: str = ""
    message: str = ""

    @field_validator("expires")
    @classmethod
    def _is_day(cls, expires: str) -> str:
        return day_of(expires)


class ReleasedKept(_Kept):
    """A release; `contents` is the ticket's, as JSON."""

    who: str = ""
    at: str = ""
    to: str = ""
    key: str = ""
    contents: str = ""


class LinkKept(_Kept):
    """The build of a board that the job belongs to."""

    build_id: str
    parts: list[tuple[str, int, str]] = []
    settings: tuple[int, str] = (0, "")


class JobFile(_Kept):
    """The whole of `job.json`.

    `machine_values`, `material_values` and `further_materials` (of separators) hold all values as they are used, `sets`
    the parameter sets. Where one is not there, in a job of an older version, it is the library's.
    """

    format: Literal["lean-trellis-job"]
    version: int
    name: str
    machine: str
    material: str
    layer_height: float = Field(gt=0, le=5)
    parts: list[PartKept]
    supports: list[SupportKept]
    stacks: list[StackKept] = []
    lot: str = ""
    surface: str = ""
    fitting: str = ""
    machine_values: dict[str, Any] | None = None
    material_values: dict[str, Any] | None = None
    further_materials: dict[str, dict[str, Any]] = {}
    sets: list[SetKept] = []
    released: ReleasedKept | None = None
    first_layer: float | None = Field(None, gt=0, le=5)
    support_every: int = Field(1, ge=1, le=20)
    mode: str = "usual"
    loaded_grams: float | None = Field(None, ge=0)
    due: str = ""
    waivers: list[WaiverKept] = []
    link: LinkKept | None = None
    trials: list[TrialKept] = Field([], max_length=200)


class TrialKept(_Kept):
    """A state that was kept under a name; it holds no trials of its own."""

    name: str = Field(min_length=1)
    job: JobFile

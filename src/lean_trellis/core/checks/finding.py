"""One result of a check, and what can be done about it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

from lean_trellis.core.job.edits import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import Watch
from lean_trellis.core.strength.statics import PartLoads
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support

Severity = Literal["stop", "caution", "note"]
SEVERITIES: tuple[Severity, ...] = ("stop", "caution", "note")
Topic = Literal["machine", "parts", "pose", "regions", "supports"]
"""What of a job a cure is about that a person has to decide: whoever shows it knows where that is done."""


CODE_TITLES = {
    "bar_no_way": "no clear path for bars",
    "bars_too_near": "bars by hand too close to others",
    "bar_slender": "too slender",
    "fitting_not_validated": "tray not validated",
    "held_too_little": "supports overloaded",
    "hand_work_lost": "manual edits lost",
    "in_the_air": "starts in the air",
    "island_not_held": "island not supported",
    "cradle_one_sided": "cradle carries on one side",
    "keep_out": "in a keep-out zone",
    "layer_height": "layer height without values",
    "area_jump": "layer jumps",
    "mode_not_validated": "mode not proven",
    "thin_wall": "too thin",
    "limit_leaves_bare": "height limit leaves points without a bar",
    "load_across_layers": "load across the layers",
    "lots_differ": "lots of material differ",
    "material_short": "too little material loaded",
    "mesh_unsound": "mesh not sound",
    "out_of_date": "trial out of date",
    "out_of_reach": "hard to remove",
    "outside_volume": "outside the build volume",
    "parts_overlap": "parts overlap",
    "plate_hold_low": "may come off the plate",
    "pose_out_of_range": "pose outside the range",
    "raft_hole_closed": "hole of the raft closed",
    "raft_too_thick": "raft thicker than the build offset",
    "set_changed": "set has a later version",
    "recoater_edge": "edge along the blade",
    "region_not_held": "region not supported",
    "stack_gap": "gap of a stack",
    "support_empty": "support without anything to build",
    "support_on_protected": "contact on a protected surface",
    "support_through_part": "support runs through a part",
    "supported_twice": "supported twice",
    "supports_overlap": "supports overlap",
    "temperatures_disagree": "plate temperatures differ",
    "too_near": "parts too close",
    "tips_over": "may tip over",
    "trapped": "closed off inside",
    "too_flexible": "gives way",
    "warp": "ends may curl up",
    "wall_left_out": "wall left out",
    "walls_end_in_air": "walls end in the air",
}
"""What each code is called in a list."""


class Deriving(Protocol):
    """Whoever derives results of a job, for changes that need them."""

    def overhangs(self, part: Part, job: Job, watch: Watch) -> Overhangs:
        """The regions of a part in its pose."""

    def structure(self, support: Support, job: Job, watch: Watch) -> Structure:
        """The structures of a support."""

    def statics(self, part_id: str, job: Job, watch: Watch) -> PartLoads:
        """What all contacts of a part carry."""

    def figures(self, part_id: str, job: Job, watch: Watch) -> dict[str, Any]:
        """Figures of the elements of a part's supports, by the support's id."""

    def built_volume(self, support: Support, job: Job, watch: Watch) -> float:
        """The volume of a support as it is built, mm³."""

    def seconds(
        self,
        part_ids: Sequence[str],
        job: Job,
        watch: Watch,
        *,
        with_parts: Collection[str] = (),
        within: Collection[str] | None = None,
    ) -> float:
        """What building the supports of some parts takes, `with_parts` those parts too, with all layers of the build.

        Only supports `within` some ids count, where they are given.
        """

    def request(self, support: Support, job: Job, watch: Watch) -> Request[Any]:
        """All that the structures of a support follow from."""


class Change(Protocol):
    """A frozen value that knows its edit; slow ones are computed beside the window."""

    @property
    def is_quick(self) -> bool:
        """Whether its edit needs nothing that is derived."""

    def edit(self, job: Job, deriving: Deriving, watch: Watch) -> Edit:
        """The edit on a job. Raises `TrellisError` where it cannot be done."""


LIMIT_SPARE = 0.005
"""Figures of two digits are over a limit only where they are more by half of the last: never "5.00, limit 5.00"."""


@dataclass(frozen=True)
class Cure:
    """What to do about a finding: words for a person, and the change; without one, what a person has to look at."""

    words: str
    change: Change | None = None
    about: Topic | None = None

    @property
    def plain(self) -> str:
        """Its words without what it would bring."""
        return self.words.partition(": ")[0]


@dataclass(frozen=True)
class Finding:
    """What was found: where, how bad, measured value against limit, why, and what to do.

    `at_mm` is a place in the plate's frame or None; `value` and `limit` share `unit`. `source` says where the
    limit comes from.
    """

    code: str
    severity: Severity
    part: str
    message: str
    cause: str
    at_mm: tuple[float, float, float] | None = None
    value: float | None = None
    limit: float | None = None
    unit: str = ""
    source: str = ""
    cures: tuple[Cure, ...] = ()
    part_id: str = ""
    support_id: str = ""

    @property
    def title(self) -> str:
        """What it is called in a list."""
        return CODE_TITLES.get(self.code, self.code.replace("_", " "))

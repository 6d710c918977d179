"""A shared build by owner: what each has in it, what share of time and cost falls to them, whom a fault would reach."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.parts.part import Part

NEAR_IN_VAT_MM = 10.0
"""What comes off in a vat is pressed into what stands this near: assumed."""
NOBODY = "no owner"


@dataclass(frozen=True)
class OwnerShare:
    """What one owner has in a build. `time_share` of the machine's time, `cost` in EUR; `orders` in their order.

    `stops` counts their open stops; `threatens` names parts of others that a fault of theirs would reach.
    """

    owner: str
    parts: tuple[str, ...]
    orders: tuple[str, ...]
    volume_mm3: float
    support_mm3: float
    time_share: float
    cost: float
    stops: int
    threatens: tuple[str, ...]

    @property
    def is_ready(self) -> bool:
        """Whether none of their stops is open."""
        return self.stops == 0


def owner_shares(job: Job, estimate: Estimate, stops: Sequence[Finding]) -> tuple[OwnerShare, ...]:
    """The owners of a build, in the order of their first parts. `stops` are those that are open.

    Time is shared by what is built along own paths, in a vat by volume; machine hours and warming up by time, material
    and taking supports off by what each has.
    """
    by_owner: dict[str, list[Part]] = {}
    for part in job.parts:
        by_owner.setdefault(part.owner or NOBODY, []).append(part)
    weights = {owner: _weight(owner, estimate) for owner in by_owner}
    total = sum(weights.values()) or 1.0
    machine = estimate.costs["machine"] + estimate.costs["warming up and cooling"]
    material = sum(share.cost for share in estimate.shares)
    shares = []
    for owner, parts in by_owner.items():
        mine = [share for share in estimate.shares if (share.owner or NOBODY) == owner]
        ids = {part.id for part in parts}
        removal = _removal(job, ids) * estimate.costs["taking supports off"]
        own_material = sum(share.cost for share in mine)
        purge = (estimate.costs["material"] - material) * weights[owner] / total
        shares.append(
            OwnerShare(
                owner, tuple(part.name for part in parts), tuple(dict.fromkeys(p.order for p in parts if p.order)),
                sum(share.volume_mm3 for share in mine if share.kind == "part"),
                sum(share.volume_mm3 for share in mine if share.kind != "part"), weights[owner] / total,
                own_material + purge + machine * weights[owner] / total + removal,
                sum(stop.part_id in ids for stop in stops), _others_reached(job, parts),
            )
        )  # fmt: skip
    return tuple(shares)


def _weight(owner: str, estimate: Estimate) -> float:
    mine = [share for share in estimate.shares if (share.owner or NOBODY) == owner]
    if any(share.seconds > 0 for share in estimate.shares):
        return sum(share.seconds for share in mine)
    return sum(share.volume_mm3 for share in mine)


def _removal(job: Job, part_ids: set[str]) -> float:
    """The share of supports that belongs to some parts."""
    mine = sum(support.part_id in part_ids for support in job.supports)
    return mine / len(job.supports) if job.supports else 0.0


def _others_reached(job: Job, parts: Iterable[Part]) -> tuple[str, ...]:
    owners = {part.owner for part in parts}
    reached = {name for part in parts for name in reached_by(job, part)}
    return tuple(other.name for other in job.parts if other.name in reached and other.owner not in owners)


def reached_by(job: Job, part: Part) -> tuple[str, ...]:
    """The names of the parts that would suffer if a part came loose.

    In a powder bed what lies behind it in the way of the blade; in a vat what stands near it; on extrusion machines
    what stands near, since the nozzle drags it along.
    """
    low, high = part.bounds()[:, :2]
    others = [other for other in job.parts if other.id != part.id]
    boxes = np.array([other.bounds()[:, :2] for other in others]).reshape(-1, 2, 2)
    direction = job.machine.blade_direction_deg
    if job.machine.process == "powder_bed" and direction is not None:
        way = np.array([math.cos(math.radians(direction)), math.sin(math.radians(direction))])
        across = np.array([-way[1], way[0]])
        mine, theirs = _extent(np.array([low, high])[None], across), _extent(boxes, across)
        is_beside = (theirs[:, 0] < mine[0, 1]) & (theirs[:, 1] > mine[0, 0])
        is_behind = _extent(boxes, way)[:, 1] > _extent(np.array([low, high])[None], way)[0, 1]
        is_reached = is_beside & is_behind
    else:
        gaps = np.maximum(np.maximum(low - boxes[:, 1], boxes[:, 0] - high), 0.0)
        is_reached = np.hypot(gaps[:, 0], gaps[:, 1]) <= NEAR_IN_VAT_MM
    return tuple(other.name for other, is_one in zip(others, is_reached.tolist(), strict=True) if is_one)


def _extent(boxes: np.ndarray, way: np.ndarray) -> np.ndarray:
    """(n, 2): from where to where boxes (n, 2, 2) reach along a way in plan."""
    corners = np.stack([boxes[:, [0, 0, 1, 1], 0], boxes[:, [0, 1, 0, 1], 1]], axis=2)
    along = corners @ way
    return np.column_stack([along.min(axis=1), along.max(axis=1)]) if len(boxes) else np.zeros((0, 2))

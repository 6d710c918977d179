"""Edits of bars by hand: added, moved, led another way, deleted, made thicker, locked; ties; supports repeated.

Bars are named by their number among those that the support has now, `bars`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job, fresh_id
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports.bars.parameters import bar_parameters
from lean_trellis.core.supports.bars.struts import BEND, LOWER_END, ON_PLATE, SHAFT_END, SHAFT_START, TIP_END, Bars
from lean_trellis.core.supports.common.support import HandBar, HandWork, Place, RegionPick, Removed, Support, Tie

THICKER = 1.25
"""By how much a bar is made thicker at a time."""


def add_bars(job: Job, support_id: str, places: Floats, *, on_any_slope: bool = False) -> Edit:
    """Add bars at places (k, 3) on the plate's frame. Raises `EditError` without a place."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    if not len(places):
        raise EditError(part.name, "no place selected", "click an underside of the part")
    fresh = tuple(HandBar(place, on_any_slope=on_any_slope) for place in _own(part, places))
    hand = replace(support.hand, bars=support.hand.bars + fresh)
    return Edit(f"Add {_count(len(fresh))}", _with_hand(job, support, hand))


def move_hold(job: Job, support_id: str, bars: Bars, bar: int, place: Place) -> Edit:
    """Move a bar's support point to another place of the surface; a way drawn by hand is discarded."""
    support, part = _free_support(job, support_id, bars, (bar,))
    moved = replace(_kept(support, bars, bar, part), place=_own(part, np.array([place]))[0], foot=None, bend=None)
    hand = _without(support, bars, (bar,), part)
    return Edit("Move a support point", _with_hand(job, support, replace(hand, bars=(*hand.bars, moved))))


def move_missed(job: Job, support_id: str, missed: Floats, places: Floats) -> Edit:
    """Bars by hand at places (k, 3) instead of support points (k, 3) without a clear path; those at one place once."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    fresh = tuple(HandBar(place) for place in dict.fromkeys(_own(part, places)))
    gone = tuple(Removed(place, bar_parameters(support).bound_mm) for place in _own(part, missed))
    hand = replace(support.hand, bars=support.hand.bars + fresh, removed=support.hand.removed + gone)
    what = "a support point" if len(missed) == 1 else f"{len(missed)} support points"
    return Edit(f"Move {what} to where there is a clear path", _with_hand(job, support, hand))


def lead_bar(
    job: Job,
    support_id: str,
    bars: Bars,
    bar: int,
    *,
    foot: tuple[float, float] | None = None,
    bend: Place | None = None,
) -> Edit:
    """Put a bar's foot, or its bend, somewhere else: places on the plate's frame. What is not given stays."""
    support, part = _free_support(job, support_id, bars, (bar,))
    hold = bars.holds[bar]
    led = _kept(support, bars, bar, part)
    if foot is not None:
        led = replace(led, foot=(float(foot[0] - hold[0]), float(foot[1] - hold[1])))
    if bend is not None:
        x, y, z = (np.array(bend) - hold).tolist()
        led = replace(led, bend=(x, y, z))
    hand = _replaced(support, bars, {bar: led})
    return Edit("Move a foot" if bend is None else "Move a bend", _with_hand(job, support, hand))


def delete_bars(job: Job, support_id: str, bars: Bars, which: Sequence[int]) -> Edit:
    """Take bars out; locked ones stay. Raises `EditError` where none is left to delete."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    free = [bar for bar in which if not _is_locked(support, bars, bar)]
    if not free:
        raise EditError(part.name, "these bars are locked", "select bars that are not locked")
    return Edit(f"Delete {_count(len(free))}", _with_hand(job, support, _without(support, bars, free, part)))


def every_second(bars: Bars, which: Sequence[int]) -> tuple[int, ...]:
    """Of some bars one of each two that stand next to each other: those nearest are paired first."""
    some = np.array(sorted(which), np.int64)
    if len(some) < 2:
        return ()
    places = bars.holds[some]
    away, near = place_tree(places).query(places, k=min(7, len(some)))
    one = np.repeat(np.arange(len(some)), near.shape[1] - 1)
    other, apart = near[:, 1:].reshape(-1), away[:, 1:].reshape(-1)
    taken = np.zeros(len(some), bool)
    gone = []
    for pair in np.lexsort((other, one, np.round(apart, 6))).tolist():
        a, b = int(one[pair]), int(other[pair])
        if not taken[a] and not taken[b]:
            taken[a] = taken[b] = True
            gone.append(int(some[max(a, b)]))
    return tuple(sorted(gone))


def make_thicker(job: Job, support_id: str, bars: Bars, which: Sequence[int], factor: float = THICKER) -> Edit:
    """Make bars thicker, tips and all; thinner with a factor below 1."""
    support, part = _free_support(job, support_id, bars, which)
    changed = {}
    for bar in which:
        shaft, tip = 2 * bars.radii[bar, SHAFT_START] * factor, 2 * bars.radii[bar, TIP_END] * factor
        kept = _kept(support, bars, bar, part)
        changed[bar] = replace(kept, shaft_diameter=round(float(shaft), 4), tip_diameter=round(float(tip), 4))
    what = "thicker" if factor > 1 else "thinner"
    return Edit(f"Make {_count(len(changed))} {what}", _with_hand(job, support, _replaced(support, bars, changed)))


def lock_bars(job: Job, support_id: str, bars: Bars, which: Sequence[int], *, locked: bool = True) -> Edit:
    """Keep bars as they are, whatever the values become; or let them follow again."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    changed = {}
    for bar in which:
        kept = _kept(support, bars, bar, part)
        changed[bar] = _as_it_stands(kept, support, bars, bar) if locked else replace(kept, is_locked=False)
    title = f"{'Lock' if locked else 'Unlock'} {_count(len(changed))}"
    return Edit(title, _with_hand(job, support, _replaced(support, bars, changed)))


def add_tie(job: Job, support_id: str, start: Place, stop: Place, diameter: float) -> Edit:
    """A bar between two places of the part, given on the plate's frame."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    if np.linalg.norm(np.array(start) - stop) < diameter:
        raise EditError(part.name, "both ends lie at one place", "click two places apart from each other")
    one, other = _own(part, np.array([start, stop]))
    hand = replace(support.hand, ties=(*support.hand.ties, Tie(one, other, diameter)))
    return Edit("Tie two places", _with_hand(job, support, hand))


def drop_hand_work(job: Job, support_id: str) -> Edit:
    """Discard the manual edits: the support is as its values make it."""
    return Edit("Discard manual edits", _with_hand(job, job.support(support_id), HandWork()))


def again_on(job: Job, support_id: str, target: tuple[RegionPick, ...]) -> Edit:
    """The same support once more, on other regions of its part."""
    support = job.support(support_id)
    if not target:
        raise EditError(job.part(support.part_id).name, "no region is selected", "select the regions first")
    fresh = fresh_id("support", (known.id for known in job.supports))
    again = replace(support, id=fresh, target=target, hand=HandWork())
    return Edit("Repeat the support on selected regions", replace(job, supports=(*job.supports, again)))


def copies_of(job: Job, part_id: str) -> tuple[str, ...]:
    """The other parts of the same shape and size."""
    mesh = job.part(part_id).mesh.key
    return tuple(part.id for part in job.parts if part.id != part_id and part.mesh.key == mesh)


def copy_support(job: Job, support_id: str, part_ids: Sequence[str]) -> Edit:
    """The support with its work by hand on copies of its part. Raises `EditError` where a part is none."""
    support = job.support(support_id)
    known = copies_of(job, support.part_id)
    wrong = [part_id for part_id in part_ids if part_id not in known]
    if wrong or not part_ids:
        name = job.part((wrong or [support.part_id])[0]).name
        reason = "is no copy of the part" if wrong else "has no copies"
        raise EditError(name, reason, "copy the part first, or select a part of the same shape")
    supports = list(job.supports)
    for part_id in part_ids:
        fresh = fresh_id("support", (entry.id for entry in supports))
        supports.append(replace(support, id=fresh, part_id=part_id, others=()))
    what = job.part(part_ids[0]).name if len(part_ids) == 1 else f"{len(part_ids)} copies"
    return Edit(f"Copy the support to {what}", replace(job, supports=tuple(supports)))


def _count(number: int) -> str:
    return "a bar" if number == 1 else f"{number:,} bars"


def _own(part: Part, places: Floats) -> list[Place]:
    """Places of the plate's frame in the part's own coordinates."""
    return [(x, y, z) for x, y, z in part.pose.to_part(part.mesh, np.asarray(places, np.float64)).tolist()]


def _with_hand(job: Job, support: Support, hand: HandWork) -> Job:
    return job.with_support(replace(support, hand=hand))


def _is_locked(support: Support, bars: Bars, bar: int) -> bool:
    number = int(bars.by_hand[bar])
    return number >= 0 and support.hand.bars[number].is_locked


def _free_support(job: Job, support_id: str, bars: Bars, which: Sequence[int]) -> tuple[Support, Part]:
    """The support and its part. Raises `EditError` when one of the bars is locked."""
    support = job.support(support_id)
    part = job.part(support.part_id)
    if any(_is_locked(support, bars, bar) for bar in which):
        raise EditError(part.name, "the bar is locked", "unlock it first")
    return support, part


def _kept(support: Support, bars: Bars, bar: int, part: Part) -> HandBar:
    """The bar as one by hand: as it was kept, or new at the support point of a generated one."""
    number = int(bars.by_hand[bar])
    return support.hand.bars[number] if number >= 0 else HandBar(_own(part, bars.holds[bar][None])[0])


def _as_it_stands(kept: HandBar, support: Support, bars: Bars, bar: int) -> HandBar:
    """Locked with the values and the way that it has now; a bar on a part or a trunk keeps its values alone."""
    lengths = np.linalg.norm(np.diff(bars.centres[bar], axis=0), axis=1)
    kept = replace(
        kept,
        shaft_diameter=float(2 * bars.radii[bar, SHAFT_START]),
        tip_diameter=float(2 * bars.radii[bar, TIP_END]),
        tip_length=float(lengths[SHAFT_END]) or bar_parameters(support).tip_length,
        is_locked=True,
    )
    if bars.landings[bar] != ON_PLATE:
        return kept
    bend = bars.centres[bar, BEND] - bars.holds[bar]
    foot = bars.centres[bar, LOWER_END] - bars.holds[bar]
    x, y, z = bend.tolist()
    return replace(kept, bend=(x, y, z), foot=(float(foot[0]), float(foot[1])))


def _replaced(support: Support, bars: Bars, changed: dict[int, HandBar]) -> HandWork:
    """Work by hand with some bars in place of what they were."""
    known = list(support.hand.bars)
    for bar, fresh in changed.items():
        number = int(bars.by_hand[bar])
        if number >= 0:
            known[number] = fresh
        else:
            known.append(fresh)
    return replace(support.hand, bars=tuple(known))


def _room_round(bars: Bars, which: Sequence[int]) -> Floats:
    """(k,): how far the nearest bar that stays is from each of some."""
    stays = np.setdiff1d(np.arange(len(bars)), list(which))
    if not len(stays):
        return np.full(len(which), np.inf)
    away: Floats = place_tree(bars.holds[stays]).query(bars.holds[list(which)])[0]
    return away


def _without(support: Support, bars: Bars, which: Sequence[int], part: Part) -> HandWork:
    """Work by hand without some bars; where they were, none is generated again."""
    numbers = {int(bars.by_hand[bar]) for bar in which}
    kept = tuple(bar for number, bar in enumerate(support.hand.bars) if number not in numbers)
    places = bars.holds[np.array(list(which), np.int64)]
    radii = np.minimum(bar_parameters(support).bound_mm, 0.5 * _room_round(bars, which))
    gone = tuple(Removed(place, radius) for place, radius in zip(_own(part, places), radii.tolist(), strict=True))
    return replace(support.hand, bars=kept, removed=support.hand.removed + gone)

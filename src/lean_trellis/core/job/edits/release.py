"""Edits on the way to release: waivers, material loaded, the day it is due, lots of orders, the release itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, named, require_finite
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.released import Released
from lean_trellis.core.job.waivers import Waiver, day_of


def waive(job: Job, waivers: Sequence[Waiver]) -> Edit:
    """Accept stops in writing; a waiver for the same code, part and place replaces the one before.

    Raises `EditError` without a name, a reason, or with an expiry that is no day.
    """
    for waiver in waivers:
        if not waiver.who.strip():
            raise EditError("waiver", "names nobody", "type the name of who accepts it")
        if not waiver.reason.strip():
            raise EditError("waiver", "gives no reason", "type why the part may be built all the same")
        require_day("expiry of the waiver", waiver.expires)
    kept = tuple(one for one in job.waivers if not any(_is_same(one, new) for new in waivers))
    title = f"Waive {waivers[0].message}" if len(waivers) == 1 else f"Waive {len(waivers)} stops"
    return Edit(title, replace(job, waivers=(*kept, *waivers)))


def withdraw_waivers(job: Job, waivers: Sequence[Waiver]) -> Edit:
    """Take waivers back: the stops stand again."""
    gone = set(waivers)
    title = "Withdraw waiver" if len(gone) == 1 else f"Withdraw {len(gone)} waivers"
    return Edit(title, replace(job, waivers=tuple(one for one in job.waivers if one not in gone)))


def set_loaded(job: Job, grams: float | None) -> Edit:
    """Note how much powder, resin or filament is loaded for this build; None where nobody knows."""
    if grams is not None:
        require_finite("material loaded", grams)
        if grams < 0:
            raise EditError("material loaded", f"{grams:g} g is no amount", "give 0 or more, or nothing")
    said = "nothing" if grams is None else f"{grams:,.0f} g"
    return Edit(f"Note {said} loaded", replace(job, loaded_grams=grams))


def set_due(job: Job, day: str) -> Edit:
    """Note the day by which the build is due."""
    return Edit(f"Note due day {day.strip() or 'none'}", replace(job, due=require_day("due day", day)))


def set_order_lot(job: Job, part_ids: Sequence[str], lot: str) -> Edit:
    """Note the lot of material that the order of parts asks for."""
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), lot=lot.strip()))
    return Edit(f"Note lot {lot.strip() or 'none'} for {named(job, list(part_ids))}", job)


def note_release(job: Job, released: Released) -> Edit:
    """Freeze a job: it has been released."""
    if job.released is not None:
        raise EditError(job.name, "has been released already", "make a new build of it to change anything")
    return Edit(f"Release to {released.to}", replace(job, released=released))


def new_build_of(job: Job, name: str) -> Edit:
    """The same build again under a new name, free to be changed; waivers stay, the release and the board do not."""
    return Edit(f"New build {name}", replace(job, name=name, released=None, link=None))


def require_day(subject: str, day: str) -> str:
    """A day as ISO 8601, "" for none. Raises `EditError` where it is no day."""
    try:
        return day_of(day)
    except ValueError:
        raise EditError(subject, f"{day!r} is no day", "give year-month-day, for example 2026-12-24") from None


def _is_same(one: Waiver, other: Waiver) -> bool:
    return (one.code, one.part_id, one.at_mm) == (other.code, other.part_id, other.at_mm)

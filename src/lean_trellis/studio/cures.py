"""Doing what a finding's cure says, from whichever bench shows it."""

from __future__ import annotations

from collections.abc import Callable

from lean_trellis.core.checks import Cure, Finding
from lean_trellis.core.job import Edit
from lean_trellis.core.job.edits import add_support, change_support, move_part, set_build_offset
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import usual_set
from lean_trellis.core.targets import pick_region
from lean_trellis.studio.hand_requests import MoveMissed
from lean_trellis.studio.session import Session


def apply_cure(session: Session, cure: Cure, finding: Finding, open_station: Callable[[str], None]) -> None:
    """Do what a cure says, as an edit; or open the station where it is done."""
    match cure.action:
        case "set_build_offset":
            session.do(lambda job: set_build_offset(job, [finding.part_id], cure.value("offset")))
        case "move_part":
            session.do(lambda job: move_part(job, finding.part_id, cure.value("x"), cure.value("y")))
        case "set_parameter":
            session.do(lambda job: change_support(job, finding.support_id, cure.value("key"), cure.value("value")))
        case "support_regions":
            _support(session, finding.part_id, cure.value("regions"))
        case "add_support":
            chosen = shipped_sets()[cure.value("set")]
            session.do(lambda job: add_support(job, finding.part_id, chosen))
        case "move_holds":
            _move_holds(session, finding.support_id, cure.value("reason"))
        case "open_station":
            open_station(cure.value("station"))


def _support(session: Session, part_id: str, numbers: tuple[int, ...]) -> None:
    """Support regions by number, or all when none are named, with the set used last for the process."""
    part = session.job.part(part_id)
    found = session.regions(part)
    used = [s.set_name for s in session.job.supports]
    process = session.job.machine.process
    fitting = [
        name
        for name in used[::-1]
        if name in shipped_sets() and shipped_sets()[name].suits(process) and shipped_sets()[name].family == "bars"
    ]
    chosen = shipped_sets()[fitting[0] if fitting else usual_set(process)]
    target = None
    if numbers and found is not None:
        target = tuple(pick_region(found.regions[number], part) for number in numbers)
    session.do(lambda job: add_support(job, part_id, chosen, target))


def _move_holds(session: Session, support_id: str, reason: int) -> None:
    """Move hold points to where there is a way; not where the job has changed meanwhile."""
    before = session.job

    def found(edit: Edit) -> None:
        if session.job is before:
            session.do(lambda _: edit)

    session.ask("Looking for places with a way", MoveMissed(before, support_id, reason), found)

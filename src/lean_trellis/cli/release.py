"""Commands of the release: `waive`, `release`, `rules`."""

from __future__ import annotations

from datetime import UTC, date, datetime
from pathlib import Path

import typer

from lean_trellis.cli.library import known_sets
from lean_trellis.cli.output import progress, say_json, say_table, say_warning
from lean_trellis.core.board.log import logged
from lean_trellis.core.checks import in_order, waiver_of
from lean_trellis.core.checks.set_changes import set_changes
from lean_trellis.core.derive import Pipeline
from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.job.edits import note_release, waive
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.job.released import Released
from lean_trellis.core.progress import Stretch
from lean_trellis.core.release.machines.client import MachineClient, machine_at
from lean_trellis.core.release.releasing import (
    ReleaseResult,
    ReleaseWish,
    release_to_folder,
    release_to_machine,
    released_document,
)
from lean_trellis.core.shop import full_library
from lean_trellis.core.shop.rules import ShopRules, save_rules, shop_rules
from lean_trellis.core.shop.store.store import user_name


def waive_stops(path: Path, code: str, part: str, who: str, reason: str, expires: str, as_json: bool) -> None:
    """Accept the stops of a code, on one part or all, in writing."""
    job = open_job(path, full_library())
    with progress() as watch:
        findings = Pipeline().findings(job, watch)
    stops = [one for one in findings if one.severity == "stop" and one.code == code and part in ("", one.part)]
    if not stops:
        codes = sorted({one.code for one in findings if one.severity == "stop"})
        raise UnknownNameError.among("stop", code, codes or ["this build has none"])
    waivers = [waiver_of(one, job, who=who, reason=reason, expires=expires) for one in stops]
    save_job(waive(job, waivers).job, path)
    documents = [{"code": one.code, "part": stop.part, "message": one.message, "who": one.who, "reason": one.reason,
                  "expires": one.expires} for one, stop in zip(waivers, stops, strict=True)]  # fmt: skip
    if as_json:
        say_json(documents)
    else:
        rows = [(one["part"], one["message"], one["who"], one["reason"]) for one in documents]
        say_table("Waived", ("part", "finding", "by", "reason"), rows)


def release(
    path: Path, to: str | None, token: str, folder: Path | None, who: str, replaces: bool, as_json: bool
) -> None:
    """Release a job; exit 1 where gate or machine refuses."""
    if (to is None) == (folder is None):
        raise EditError("release", "needs one place to go", "give --to MACHINE or --to-folder DIR")
    job = open_job(path, full_library())
    pipeline, rules = Pipeline(), shop_rules()
    with progress() as watch:
        findings = in_order((*pipeline.findings(job, Stretch(watch, 0.0, 0.4)), *set_changes(job, known_sets())))
        wish = ReleaseWish(findings, who or user_name(), date.today(), rules.two_people)
        rest = Stretch(watch, 0.4, 1.0)
        if to is not None:
            client = MachineClient(machine_at(to, token))
            outcome = release_to_machine(job, pipeline, wish, client, ticket_folder=path.parent, watch=rest)
        else:
            assert folder is not None
            outcome = release_to_folder(job, pipeline, wish, folder, replaces=replaces, watch=rest)
    if outcome.accepted and job.released is None:
        now = datetime.now(UTC).isoformat(timespec="seconds")
        kept = Released(wish.who, now, outcome.to, outcome.key, outcome.contents)
        job = note_release(job, kept).job
        save_job(job, path)
        problem = logged(job)
        if problem is not None:
            say_warning(f"{problem}; the release itself is done")
    if as_json:
        say_json(released_document(outcome))
    else:
        _say(outcome)
    raise typer.Exit(0 if outcome.accepted else 1)


def _say(outcome: ReleaseResult) -> None:
    if outcome.accepted:
        say_table(f"Released to {outcome.to}", ("file",), [(str(path),) for path in outcome.files])
    else:
        say_table("Refused", ("because",), [(reason,) for reason in outcome.reasons])


def rules(two_people: bool | None, why: str, as_json: bool) -> None:
    """Show what the shop asks of releases, or change it."""
    known = shop_rules()
    if two_people is not None:
        known = save_rules(ShopRules(**{**known.model_dump(), "two_people": two_people}), why=why)
    if as_json:
        say_json(known.model_dump())
    else:
        say_table("Rules of release", ("rule", ""), [("Who waives does not release", known.two_people)])

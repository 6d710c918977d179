"""Commands of the release, as they are typed. What a command needs is imported when it runs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lean_trellis.cli.arguments import JobArgument, JsonOption


def register_release(app: typer.Typer) -> None:
    """Add the commands."""
    for command in (waive, release, simulate, rules):
        app.command(command.__name__)(command)


def waive(
    job: JobArgument,
    code: Annotated[str, typer.Option("--code", help="The code of the stops, as 'check' prints it.")],
    who: Annotated[str, typer.Option("--who", help="Who accepts them.")],
    reason: Annotated[str, typer.Option("--reason", help="Why the part may be built all the same.")],
    part: Annotated[str, typer.Option("--part", help="On this part alone.")] = "",
    expires: Annotated[str, typer.Option("--expires", help="The last day on which it holds, year-month-day.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Accept stops in writing: a waiver falls when a value gets worse or a place moves."""
    from lean_trellis.cli.release import waive_stops as run

    run(job, code, part, who, reason, expires, as_json)


def release(
    job: JobArgument,
    to: Annotated[str | None, typer.Option("--to", help="A machine that runs here, or its http address.")] = None,
    to_folder: Annotated[Path | None, typer.Option("--to-folder", help="A folder or removable medium.")] = None,
    by: Annotated[str, typer.Option("--by", help="Who releases it; default: who is logged in.")] = "",
    token: Annotated[str, typer.Option("--token", help="The token of a machine at an address.")] = "",
    replace: Annotated[bool, typer.Option("--replace", help="Replace files of an earlier release.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Release a build to a machine or a folder, with its ticket; exit 1 where the gate or the machine refuses."""
    from lean_trellis.cli.release import release as run

    run(job, to, token, to_folder, by, replace, as_json)


def simulate(
    machine: Annotated[str, typer.Argument(help="The kind of machine, by id.", metavar="MACHINE")],
    port: Annotated[int, typer.Option("--port", help="0 takes any that is free.")] = 0,
    token: Annotated[str, typer.Option("--token", help="What programs have to show; default: a new one.")] = "",
    material: Annotated[str, typer.Option("--material", help="What is loaded; default: whatever a build needs.")] = "",
    loaded: Annotated[float | None, typer.Option("--loaded", help="How much is loaded, grams.")] = None,
    speed: Annotated[float, typer.Option("--speed", help="How many times as fast its time runs.")] = 60.0,
    host: Annotated[str, typer.Option("--host", help="The address to listen on.")] = "127.0.0.1",
    as_json: JsonOption = False,
) -> None:
    """Start a practice machine on the loopback address and print its address; Ctrl+C ends it."""
    from lean_trellis.cli.simulate import simulate as run

    run(machine, port, token, material, loaded, speed, host, as_json)


def rules(
    two_people: Annotated[
        bool | None, typer.Option("--two-people/--one-person", help="Whether who waives may not release.")
    ] = None,
    why: Annotated[str, typer.Option(help="What was changed and what for; kept in the history.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Show or set what the shop asks of releases."""
    from lean_trellis.cli.release import rules as run

    run(two_people, why, as_json)

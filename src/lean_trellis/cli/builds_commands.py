"""Commands on the build board, as they are typed."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lean_trellis.cli.arguments import JobArgument, JsonOption

BuildArgument = Annotated[str, typer.Argument(help="A build by id or name.", metavar="BUILD")]


def register_builds(app: typer.Typer) -> None:
    """Add the commands."""
    builds = typer.Typer(help="The build board of the shop library.", no_args_is_help=True)
    builds.command("list")(list_builds)
    builds.command("show")(show_build)
    builds.command("put")(put_build)
    builds.command("take")(take_build)
    builds.command("state")(set_state)
    builds.command("outcome")(note_outcome)
    builds.command("order")(note_order)
    builds.command("orders")(list_orders)
    app.add_typer(builds, name="builds")


def list_builds(as_json: JsonOption = False) -> None:
    """List the builds on the board."""
    from lean_trellis.cli.builds import list_builds as run

    run(as_json)


def show_build(build: BuildArgument, as_json: JsonOption = False) -> None:
    """Show one build with its parts."""
    from lean_trellis.cli.builds import show_build as run

    run(build, as_json)


def put_build(
    job: JobArgument,
    name: Annotated[str, typer.Option("--name", help="What a new build is called; default: the job's name.")] = "",
    mine: Annotated[list[str] | None, typer.Option("--mine", help="Of this part, by id, keep what is here.")] = None,
    theirs: Annotated[list[str] | None, typer.Option("--theirs", help="Of this part take what is there.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Put a job on the board, or bring it and its build up to date: only changed parts are sent and fetched.

    Exit 1 where a part, or the settings, were changed on both sides: nothing of it was overwritten.
    """
    from lean_trellis.cli.builds import put_build as run

    run(job, name, mine or [], theirs or [], as_json)


def take_build(
    build: BuildArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="The job file to write.")],
    parts: Annotated[list[str] | None, typer.Option("--part", help="Only this part, by name.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Write a build of the board as a job file that stays linked with it."""
    from lean_trellis.cli.builds import take_build as run

    run(build, out, parts or [], as_json)


def set_state(
    build: BuildArgument,
    state: Annotated[str, typer.Argument(help="open, released, building, done, failed or closed.")],
    hours: Annotated[float | None, typer.Option("--hours", help="How long it took.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Say how far a build is."""
    from lean_trellis.cli.builds import set_state as run

    run(build, state, hours, as_json)


def note_outcome(
    build: BuildArgument,
    part: Annotated[str, typer.Argument(help="A part by name or id.")],
    outcome: Annotated[str, typer.Argument(help="well, fell_off, came_off_plate, broke, marks_left or distorted.")],
    note: Annotated[str, typer.Option("--note", help="What was seen.")] = "",
    photo: Annotated[Path | None, typer.Option("--photo", help="A picture of it.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Say what came of a part; one that failed waits on the board to be built again."""
    from lean_trellis.cli.builds import note_outcome as run

    run(build, part, outcome, note, photo, as_json)


def note_order(
    number: Annotated[str, typer.Argument(help="The order's number.")],
    part: Annotated[str, typer.Argument(help="The part's name, copies alike.")],
    asked: Annotated[int, typer.Argument(help="How many are ordered.")],
    owner: Annotated[str, typer.Option("--owner", help="Whose order it is.")] = "",
    due: Annotated[str, typer.Option("--due", help="Year-month-day.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Note an order: how many of a part are ordered."""
    from lean_trellis.cli.builds import note_order as run

    run(number, part, owner, asked, due, as_json)


def list_orders(as_json: JsonOption = False) -> None:
    """List the orders: how many are ordered, placed, built and still to do."""
    from lean_trellis.cli.builds import list_orders as run

    run(as_json)

"""The console script: commands gathered, errors turned into one line and an exit status."""

from __future__ import annotations

import sys

import typer

from lean_trellis import __version__
from lean_trellis.cli.commands import register
from lean_trellis.core.errors import Cancelled, TrellisError

app = typer.Typer(
    name="lean-trellis",
    help="Prepare parts, supports and shared builds for additive manufacturing.",
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
)
_UsageError: type[Exception] = typer.BadParameter.__bases__[0]  # typer gives its base no public name
register(app)


@app.callback(invoke_without_command=True)
def _version(version: bool = typer.Option(False, "--version", help="Print the version.")) -> None:
    """Prepare parts, supports and shared builds for additive manufacturing."""
    if version:
        typer.echo(__version__)
        raise typer.Exit


def _message_of(problem: Exception) -> str:
    """What click says of wrong usage, without its decoration."""
    formatted = getattr(problem, "format_message", None)
    return str(problem if formatted is None else formatted())


def run(arguments: list[str]) -> int:
    """Run one command and give its exit status: 0 done, 1 the answer is no, 2 could not be done, 130 Ctrl-C."""
    try:
        status = typer.main.get_command(app).main(args=arguments, prog_name="lean-trellis", standalone_mode=False)
    except _UsageError as problem:
        message = str(_message_of(problem)).strip()
        if "\n" in message:  # a command group called without a command answers with its help
            sys.stderr.write(f"{message}\n")
            return 2
        context = getattr(problem, "ctx", None)
        help_of = context.command_path if context is not None else "lean-trellis"
        return _refuse(f"{message.rstrip('.')}; try '{help_of} --help'")
    except (typer.Abort, KeyboardInterrupt, Cancelled):
        return 130
    except TrellisError as problem:
        return _refuse(str(problem))
    except BrokenPipeError:
        return 0
    return status if isinstance(status, int) else 0


def _refuse(line: str) -> int:
    sys.stderr.write(" ".join(line.split()) + "\n")
    return 2


def main() -> None:
    """Entry of the console script."""
    for stream in (sys.stdout, sys.stderr):  # a terminal set to plain ASCII still gets its answer
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(encoding="utf-8", errors="backslashreplace")
    sys.exit(run(sys.argv[1:]))

"""The manual page, made from the commands themselves."""

from __future__ import annotations

from typing import Any

import typer

from lean_trellis import __version__
from lean_trellis.cli.main import app


def manual() -> str:
    """The page in roff, as `man` reads it: every command with its arguments and options."""
    root: Any = typer.main.get_command(app)
    lines = [
        f'.TH LEAN-TRELLIS 1 "" "Lean Trellis {__version__}" "User commands"',
        ".SH NAME",
        "lean-trellis \\- prepare parts, supports and shared builds for additive manufacturing",
        ".SH SYNOPSIS",
        ".B lean-trellis",
        ".I COMMAND",
        "[OPTIONS] [ARGUMENTS]",
        ".SH COMMANDS",
    ]
    for name, command in _commands(root, ""):
        lines += _described(name, command)
    lines += [
        ".SH EXIT STATUS",
        "0: done. 1: the answer is no. 2: it could not be done; one line on standard error says why. 130: Ctrl-C.",
        ".SH SEE ALSO",
        ".BR lean-trellis-studio (1)",
    ]
    return "\n".join(lines) + "\n"


def _commands(group: Any, before: str) -> list[tuple[str, Any]]:
    """All commands with their whole names, those of groups too."""
    commands: list[tuple[str, Any]] = []
    for name, command in group.commands.items():
        whole = f"{before}{name}"
        commands += _commands(command, f"{whole} ") if hasattr(command, "commands") else [(whole, command)]
    return commands


def _described(name: str, command: Any) -> list[str]:
    arguments = [one for one in command.params if one.param_type_name == "argument"]
    options = [one for one in command.params if one.param_type_name == "option" and one.name != "help"]
    usage = " ".join(one.metavar or one.name.upper() for one in arguments)
    lines = [f".SS {_plain(name)} {_plain(usage)}".rstrip(), _plain(" ".join((command.help or "").split()))]
    for one in options:
        names = ", ".join([*one.opts, *one.secondary_opts])
        lines += [".TP", f".B {_plain(names)}", _plain(one.help or "")]
    return lines


def _plain(words: str) -> str:
    """Words as roff takes them."""
    return words.replace("\\", "\\\\").replace("-", "\\-")

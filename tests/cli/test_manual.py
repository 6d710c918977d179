"""The manual page names every command and every option that there is."""

from __future__ import annotations

import typer

from lean_trellis.cli.main import app
from lean_trellis.cli.manual import manual


def test_every_command_and_option_is_in_it():
    page = manual().replace("\\-", "-")
    root = typer.main.get_command(app)
    for name, command in root.commands.items():
        assert f".SS {name}" in page
        for parameter in getattr(command, "params", ()):
            if parameter.param_type_name == "option" and parameter.name != "help":
                assert all(option in page for option in parameter.opts)
    for group in ("sets", "recipes"):
        assert f".SS {group} list" in page
    assert page.startswith(".TH LEAN-TRELLIS 1")

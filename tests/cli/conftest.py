"""Commands called as a script calls them."""

from __future__ import annotations

import json

import pytest

from lean_trellis.cli.main import run


@pytest.fixture
def call(capsys):
    """Run a command; give exit status, the JSON document (or text) and standard error."""

    def calling(*arguments):
        status = run([str(argument) for argument in arguments])
        out, err = capsys.readouterr()
        return status, json.loads(out) if "--json" in arguments and out else out, err

    return calling

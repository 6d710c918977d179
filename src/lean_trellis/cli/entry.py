"""The console script's first step: Ctrl-C is taken care of before anything slow is imported."""

from __future__ import annotations

import os
import signal
import sys


def _stopped(*_: object) -> None:
    """End at once with status 130; what is half written is removed.

    No exception is raised: it could arrive inside a library that cannot pass it on.
    """
    atomic = sys.modules.get("lean_trellis.core.atomic")
    if atomic is not None:
        atomic.discard_unfinished()
    os._exit(130)


def main() -> None:
    """Run the command line."""
    signal.signal(signal.SIGINT, _stopped)
    from lean_trellis.cli.main import main as run_commands

    run_commands()


if __name__ == "__main__":
    main()

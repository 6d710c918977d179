"""The command that runs a practice machine. It imports no more than a machine needs: it starts at once."""

from __future__ import annotations

import os
import secrets
import signal
import sys
import time
from pathlib import Path

from lean_trellis.cli.output import say_json
from lean_trellis.core.errors import EditError
from lean_trellis.core.release.machines.practice import PracticeMachine
from lean_trellis.core.release.machines.register import Known, memory_folder, noted
from lean_trellis.core.release.machines.server import bound_socket, serve
from lean_trellis.core.shop import full_library


def simulate(
    machine: str, port: int, token: str, material: str, loaded: float | None, speed: float, host: str, as_json: bool
) -> None:
    """Run a practice machine until Ctrl+C or a signal ends it."""
    library = full_library()
    kind = library.machine(machine)
    if material:
        loads = library.material(material)
        if loads.process != kind.process:
            raise EditError(material, f"cannot be built on {kind.name}", "load a material of its process")
    if not 0 < speed <= 1e9:
        raise EditError("--speed", f"{speed:g} is no speed", "give 1 for true time, 3600 for an hour a second")
    listening = bound_socket(port, host)
    address = f"http://{host}:{listening.getsockname()[1]}"
    known = Known(kind.id, f"{kind.name}, practice", address, token or secrets.token_urlsafe(16), os.getpid())
    practice = PracticeMachine(kind, memory_folder(kind.id), time.monotonic, material=material, loaded_grams=loaded,
                               speed=speed)  # fmt: skip
    with noted(known) as note:
        _end_by_signals(note)
        document = {"machine": kind.id, "address": address, "token": known.token, "speed": speed}
        say_json(document) if as_json else sys.stdout.write(f"{address}\n")
        sys.stdout.flush()
        serve(practice, known.token, listening)
        raise KeyboardInterrupt  # it answers until a signal ends it


def _end_by_signals(note: Path) -> None:
    """Let Ctrl+C and a request to end take the note away, and end the process with status 130.

    No exception is raised: it could arrive where Python lets none through, and the machine would go on.
    """

    def ended(*_: object) -> None:
        note.unlink(missing_ok=True)
        os._exit(130)

    for ending in (signal.SIGINT, signal.SIGTERM):
        signal.signal(ending, ended)

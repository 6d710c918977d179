"""The display: is there one, and a virtual one where there is none (pictures, tests)."""

from __future__ import annotations

import ctypes
import os
import select
import shutil
import signal
import subprocess
from collections.abc import Iterator, MutableMapping
from contextlib import contextmanager

_servers: list[subprocess.Popen[bytes]] = []


def has_display(environment: MutableMapping[str, str] | None = None) -> bool:
    """Whether a window can be shown."""
    known = os.environ if environment is None else environment
    return bool(known.get("DISPLAY") or known.get("WAYLAND_DISPLAY"))


def prepare_platform(environment: MutableMapping[str, str] | None = None) -> None:
    """Let the window go through X11 (XWayland on Wayland): VTK's view needs it."""
    known = os.environ if environment is None else environment
    known["QT_QPA_PLATFORM"] = "xcb"
    known.setdefault("QT_LOGGING_RULES", "qt.qpa.*=false")


def _end_with_parent() -> None:
    """Let the kernel end the server when this process ends, however it ends (Linux: PR_SET_PDEATHSIG)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


@contextmanager
def virtual_display(size: str = "1280x800") -> Iterator[str]:
    """An X server without a screen, with OpenGL by Mesa in software; `DISPLAY` points to it meanwhile.

    The server lives as long as this process: Qt holds its connection until the very end.
    Raises `RuntimeError` where Xvfb is missing or does not start.
    """
    program = shutil.which("Xvfb")
    if program is None:
        raise RuntimeError("Xvfb is missing; on Debian: apt-get install xvfb")
    reader, writer = os.pipe()
    server = subprocess.Popen(
        [program, "-displayfd", str(writer), "-screen", "0", f"{size}x24", "+extension", "GLX", "-nolisten", "tcp",
         "-noreset"],
        pass_fds=[writer], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, preexec_fn=_end_with_parent,
    )  # fmt: skip
    os.close(writer)
    _servers.append(server)
    ready: list[int] = []
    before = {name: os.environ.get(name) for name in ("DISPLAY", "LIBGL_ALWAYS_SOFTWARE", "WAYLAND_DISPLAY")}
    try:
        ready, _, _ = select.select([reader], [], [], 30)
        number = os.read(reader, 32).decode().strip() if ready else ""
        if not number:
            raise RuntimeError("Xvfb did not start")
        os.environ.update(DISPLAY=f":{number}", LIBGL_ALWAYS_SOFTWARE="1")
        os.environ.pop("WAYLAND_DISPLAY", None)
        yield f":{number}"
    finally:
        os.close(reader)
        if server.poll() is None and not ready:
            server.kill()
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value

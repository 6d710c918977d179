"""The program on a desk: menu entry, icon, the type of job files and the manual page in the user's XDG folders."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import platformdirs

from lean_trellis.cli.manual import manual
from lean_trellis.core.atomic import written_whole

NAME = "lean-trellis"
_ICON = Path(__file__).parent / "icons" / "leaf.svg"
_ENTRY = """[Desktop Entry]
Type=Application
Name=Lean Trellis
GenericName=Support preparation
Comment=Parts, supports and shared builds for additive manufacturing
Exec={program} %F
Icon={name}
Terminal=false
Categories=Graphics;3DGraphics;Engineering;
MimeType=application/x-lean-trellis;model/stl;model/3mf;model/obj;
StartupNotify=true
"""
_TYPE = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="application/x-lean-trellis">
    <comment>Lean Trellis job</comment>
    <sub-class-of type="application/zip"/>
    <glob pattern="*.trellis"/>
    <icon name="{name}"/>
  </mime-type>
</mime-info>
"""


def data_folder() -> Path:
    """The user's data folder (XDG)."""
    return Path(platformdirs.user_data_dir())


def files(program: str) -> dict[str, str]:
    """What is written, by its place below the data folder; `program` is how the window is started."""
    return {
        f"applications/{NAME}.desktop": _ENTRY.format(program=program, name=NAME),
        f"icons/hicolor/scalable/apps/{NAME}.svg": _ICON.read_text(),
        f"mime/packages/{NAME}.xml": _TYPE.format(name=NAME),
        f"man/man1/{NAME}.1": manual(),
    }


def started_by() -> str:
    """The command that starts the window of this installation."""
    beside = Path(sys.executable).with_name("lean-trellis-studio")
    return str(beside) if beside.exists() else f"{sys.executable} -m lean_trellis.studio"


def install() -> list[Path]:
    """Write everything, and give the paths. Raises `TrellisError` where a folder cannot be written."""
    written = []
    for place, text in files(started_by()).items():
        path = data_folder() / place
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as file:
            file.write(text.encode())
        written.append(path)
    _tell_desktop()
    return written


def remove() -> list[Path]:
    """Take everything away again, and give the paths that were there."""
    gone = []
    for place in files(""):
        path = data_folder() / place
        if path.exists():
            path.unlink()
            gone.append(path)
    _tell_desktop()
    return gone


def _tell_desktop() -> None:
    """Have the desktop's indexes renewed, where it has the programs for that."""
    folder = data_folder()
    for program, place in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        tool = shutil.which(program)
        if tool is not None and (folder / place).is_dir():
            subprocess.run([tool, str(folder / place)], check=False, capture_output=True)

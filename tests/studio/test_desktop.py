"""The program on a desk: what is written into the user's folders, and that all of it goes again."""

from __future__ import annotations

import configparser
import xml.etree.ElementTree as ET
from pathlib import Path

from lean_trellis.studio import desktop
from lean_trellis.studio.__main__ import run


def everything_below(folder: Path) -> set[str]:
    return {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()}


def test_all_is_written_and_taken_away_again(monkeypatch, capsys):
    folder = desktop.data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    monkeypatch.setattr("sys.argv", ["lean-trellis-studio", "--install"])
    assert run() == 0
    written = set(desktop.files(""))
    assert written <= everything_below(folder)
    said = capsys.readouterr().out
    assert all(place in said for place in written)
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(folder / "applications" / "lean-trellis.desktop")
    assert entry["Desktop Entry"]["Exec"] == f"{desktop.started_by()} %F"
    assert "application/x-lean-trellis" in entry["Desktop Entry"]["MimeType"]
    kind = ET.parse(folder / "mime" / "packages" / "lean-trellis.xml").getroot()
    assert [glob.get("pattern") for glob in kind.iter() if glob.tag.endswith("glob")] == ["*.trellis"]
    monkeypatch.setattr("sys.argv", ["lean-trellis-studio", "--remove"])
    assert run() == 0
    assert not written & everything_below(folder)
    assert desktop.remove() == []

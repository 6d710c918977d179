"""The command that describes meshes: `inspect`. Imports no more than reading and examining need."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.cli.reading import read_files
from lean_trellis.core.mesh.health import examine
from lean_trellis.core.mesh.topology import build_topology


def inspect(files: list[Path], units: str, as_json: bool) -> None:
    """The figures of every body in files."""
    with progress() as watch:
        bodies = read_files(files, units, watch).bodies
        documents = [_inspected(file, body.name, body.triangles_read, body.mesh) for file, body in bodies]
    if as_json:
        say_json(documents)
        return
    columns = ("file", "name", "triangles", "shells", "watertight", "volume mm³", "open edges")
    rows = [
        (entry["file"], entry["name"], entry["triangles"], entry["shells"], entry["watertight"],
         entry["volume_mm3"], entry["defects"]["open_edges"])
        for entry in documents
    ]  # fmt: skip
    say_table("Bodies", columns, rows)


def _inspected(file: Path, name: str, triangles: int, mesh: Any) -> dict[str, Any]:
    health = examine(build_topology(mesh))
    figures = asdict(health)
    defects = ("open_edges", "non_manifold_edges", "degenerate_faces", "duplicate_faces", "inward_shells",
               "misoriented_edges")  # fmt: skip
    return {
        "file": str(file),
        "name": name,
        **{key: value for key, value in figures.items() if key not in defects},
        "triangles": triangles,
        "bounds_mm": [list(corner) for corner in health.bounds_mm],
        "defects": {key: figures[key] for key in defects},
    }

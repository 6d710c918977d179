"""STEP: tessellated by Open CASCADE (through cascadio) in a process of its own; each solid of an assembly a body.

The process keeps a crash or a flood of messages of the geometry kernel away from us, and can be ended at any time.
"""

from __future__ import annotations

import signal
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.body import Body, require_finite, require_triangles
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch

USUAL_TOLERANCE_MM = 0.02
LEAST_TOLERANCE_MM, MOST_TOLERANCE_MM = 0.0005, 5.0
_ANGULAR_RAD = 0.25
_LOOK_S = 0.1
_MOST_S, _MOST_S_A_MB = 60, 60
"""Computing time after which a file counts as damaged: the geometry kernel may never come to an end on such."""
_MM_PER_GLB_UNIT = 1000.0
_TESSELLATE = """
import resource, sys
source, target, linear, angular, seconds = sys.argv[1:]
resource.setrlimit(resource.RLIMIT_CPU, (int(seconds), int(seconds) + 5))
sys.modules["trimesh"] = None  # only its viewer would use it, and importing it takes longer than tessellating
import cascadio
sys.exit(cascadio.step_to_glb(source, target, tol_linear=float(linear), tol_angular=float(angular)))
"""


def is_step(head: bytes) -> bool:
    """Whether a file begins as ISO 10303-21 does."""
    return head.lstrip().startswith(b"ISO-10303-21")


def read(path: Path, watch: Watch = UNWATCHED, *, tolerance_mm: float = USUAL_TOLERANCE_MM) -> list[Body]:
    """One body a solid, named as in the assembly, no facet further than `tolerance_mm` from the true surface.

    Raises `FormatError` where nothing solid can be made of it.
    """
    if not LEAST_TOLERANCE_MM <= tolerance_mm <= MOST_TOLERANCE_MM:
        raise FormatError(path, f"cannot be tessellated to {tolerance_mm:g} mm",
                          f"give {LEAST_TOLERANCE_MM:g} to {MOST_TOLERANCE_MM:g} mm")  # fmt: skip
    with tempfile.TemporaryDirectory(prefix="trellis-") as folder:
        target = Path(folder) / "tessellated.glb"
        _tessellate(path, target, tolerance_mm, watch)
        scene = _loaded(path, target)
    return _bodies(path, scene, tolerance_mm, watch)


def _tessellate(path: Path, target: Path, tolerance_mm: float, watch: Watch) -> None:
    watch.at(0.05, f"tessellating {path.name} to {tolerance_mm:g} mm")
    words = [sys.executable, "-c", _TESSELLATE, str(path), str(target), str(tolerance_mm), str(_ANGULAR_RAD)]
    seconds = _MOST_S + int(_MOST_S_A_MB * path.stat().st_size / 1e6)
    words.append(str(seconds))
    quiet = subprocess.DEVNULL
    with subprocess.Popen(words, stdin=quiet, stdout=quiet, stderr=quiet) as process:
        try:
            while True:
                try:
                    process.wait(_LOOK_S)
                    break
                except subprocess.TimeoutExpired:
                    watch.at(0.1, f"tessellating {path.name} to {tolerance_mm:g} mm")
        except BaseException:
            process.kill()
            raise
    if process.returncode in (-signal.SIGXCPU, -signal.SIGKILL):
        raise FormatError(path, f"could not be tessellated within {seconds} s of computing",
                          "export it again, simpler, or as a mesh")  # fmt: skip
    if process.returncode != 0 or not target.is_file() or not target.stat().st_size:
        raise FormatError(path, "is no STEP file that can be read, or holds no solid", "export it again as AP214")


def _loaded(path: Path, target: Path) -> Any:
    import trimesh

    try:
        return trimesh.load_scene(str(target), file_type="glb", process=False)
    except (ValueError, KeyError, TypeError, IndexError):
        raise FormatError(path, "holds no solid", "export its solids again") from None


def _bodies(path: Path, scene: Any, tolerance_mm: float, watch: Watch) -> list[Body]:
    order = {name: place for place, name in enumerate(scene.geometry)}
    nodes = sorted(scene.graph.nodes_geometry, key=lambda node: (order[scene.graph[node][1]], node))
    require_triangles(path, sum(len(scene.geometry[scene.graph[node][1]].faces) for node in nodes))
    bodies = []
    for place, node in enumerate(nodes):
        watch.at(0.5 + 0.5 * place / len(nodes), f"welding {path.name}")
        matrix, kept = scene.graph[node]
        shape = scene.geometry[kept]
        placed = np.asarray(shape.vertices, np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
        vertices = placed * _MM_PER_GLB_UNIT
        require_finite(path, vertices)
        faces = np.asarray(shape.faces, np.int32)
        name = path.stem if len(nodes) == 1 and kept.startswith(("=>", "geometry")) else kept
        mesh = weld(Mesh(vertices, faces))
        bodies.append(Body(name, mesh, len(faces), unit_known=True, unit="mm", tolerance_mm=tolerance_mm))
    return bodies

"""Side-by-side measurements: ours and the same work by trimesh or a plain NumPy pass, in one run, as ratios."""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np
import trimesh

from bars import bars
from folded import folded
from layers import layers
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh import Mesh, build_topology, examine
from lean_trellis.core.mesh.primitives import wavy_torus
from lean_trellis.core.overhang import detect, find_islands
from lean_trellis.core.parts import Pose, rotation_about
from measured import Measured, best_of
from planning import planning
from seen_from_below import seen_from_below
from shared_build import shared_build
from start import starts
from statics import statics
from walls import walls


def read_and_examine(path: Path) -> None:
    (body,) = read_bodies(path)
    examine(build_topology(body.mesh))


def read_with_trimesh(path: Path) -> None:
    mesh = trimesh.load(path, process=True)
    assert mesh.is_watertight is not None
    assert mesh.volume is not None
    assert mesh.body_count


def plain_overhangs(mesh: Mesh) -> None:
    """The critical faces by a plain pass and their pieces by trimesh's adjacency."""
    witness = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    chosen = np.flatnonzero(witness.face_normals[:, 2] < -np.cos(np.radians(45)))
    adjacency = witness.face_adjacency
    both = np.isin(adjacency, chosen).all(axis=1)
    trimesh.graph.connected_components(adjacency[both], nodes=chosen)


def measure() -> list[Measured]:
    results = []
    source = wavy_torus()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "torus.stl"
        path.write_bytes(stl_bytes(source))
        results.append(
            Measured("binary STL of 871,200 triangles read, welded, examined", best_of(lambda: read_and_examine(path)),
                     "trimesh: load, watertight, volume, bodies", best_of(lambda: read_with_trimesh(path), 1), 2.0)
        )  # fmt: skip
        (body,) = read_bodies(path)
    mesh = body.mesh
    topology = build_topology(mesh)
    topology.pair_faces, topology.pair_lengths, mesh.normals  # noqa: B018 - what examining has made already
    pose = Pose(x=130, y=110, build_offset=5)

    def find() -> object:
        return detect(topology, pose.applied(mesh), critical_angle=45)

    results.append(
        Measured("its overhang regions", best_of(find), "NumPy normals and trimesh adjacency",
                 best_of(lambda: plain_overhangs(mesh), 1), 1.0)
    )  # fmt: skip
    placed = pose.applied(mesh)
    results.append(
        Measured("its islands", best_of(lambda: find_islands(topology, placed, 0.05)), "80 of trimesh's slices",
                 best_of(lambda: slices(placed), 1), None)
    )  # fmt: skip
    turned = Pose(x=130, y=110, build_offset=5).turned(rotation_about("x", 20))

    def turn() -> None:
        detect(topology, turned.applied(mesh), critical_angle=45)

    results.append(
        Measured("one turn: stood up again, regions anew", best_of(turn), "a plain turn of all vertices and normals",
                 best_of(lambda: plain_turn(mesh)), 1.0)
    )  # fmt: skip
    return results


def slices(mesh: Mesh) -> None:
    witness = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    witness.section_multiplane([0, 0, 0], [0, 0, 1], list(np.linspace(5.1, 36, 80)))


def plain_turn(mesh: Mesh) -> None:
    turned = mesh.vertices @ rotation_about("x", 20).T
    a, b, c = (turned[mesh.faces[:, i]] for i in range(3))
    normals = np.cross(b - a, c - a)
    normals / np.linalg.norm(normals, axis=1, keepdims=True)


GROUPS: dict[str, Callable[[], Iterable[Measured]]] = {
    "meshes": measure, "bars": bars, "walls": walls, "below": seen_from_below, "planning": planning, "layers": layers,
    "folded": folded, "statics": statics, "shared": shared_build, "start": starts,
}  # fmt: skip


def main() -> int:
    names = sys.argv[1:] or [name for name in GROUPS if name != "start"]
    unknown = [name for name in names if name not in GROUPS]
    if unknown:
        print(f"{' '.join(unknown)}: unknown; give any of {', '.join(GROUPS)}, or nothing for all but start",
              file=sys.stderr)  # fmt: skip
        return 2
    print(f"{'what':58} {'ours':>8} {'asked':>7}   {'ratio':>7}  against")
    met = True
    for row in (row for name in names for row in GROUPS[name]()):
        asked = "" if row.limit_s is None else f"< {row.limit_s:g} s"
        ratio = "" if np.isnan(row.theirs_s) else f"{row.theirs_s / row.ours_s:6.1f}x"
        print(f"{row.what:58} {row.ours_s:6.2f} s {asked:>7}   {ratio:>7}  {row.theirs}")
        met &= row.limit_s is None or row.ours_s < row.limit_s
    print("all within what is asked" if met else "NOT all within what is asked")
    return 0


if __name__ == "__main__":
    sys.exit(main())

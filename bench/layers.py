"""`./trellis bench layers`: cutting into layers, beside a bare loop of manifold3d's cuts and trimesh's sections."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import trimesh

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import to_manifold, wavy_torus
from measured import Measured, best_of

_LAYERS, _SOME = 2000, 40


def _thick() -> list[Measured]:
    """871,200 triangles at 2,000 layers; trimesh is timed on every fiftieth of them."""
    mesh = wavy_torus()
    topology = build_topology(mesh)
    raised = mesh.vertices - [0, 0, mesh.bounds[0, 2]]
    plan = LayerPlan(float(np.ptp(mesh.bounds[:, 2])) / _LAYERS)

    def ours() -> None:
        made = layered(topology, raised, plan)
        assert abs(made.areas_mm2.sum() * plan.height - mesh.volume) < made.areas_mm2.max() * plan.height

    solid = to_manifold(mesh).translate((0, 0, -float(mesh.bounds[0, 2])))
    heights = plan.middles(0.0, _LAYERS * plan.height).tolist()

    def loop() -> None:
        for height in heights:
            solid.slice(height).to_polygons()

    witness = trimesh.Trimesh(raised, mesh.faces, process=False)
    begin = time.perf_counter()
    witness.section_multiplane([0, 0, 0], [0, 0, 1], heights[:: _LAYERS // _SOME])
    sections = (time.perf_counter() - begin) * _LAYERS / _SOME
    ours_s, loop_s = best_of(ours), best_of(loop)
    what = "871,200 triangles at 2,000 layers"
    return [
        Measured(what, ours_s, "a bare loop of manifold3d's cuts", loop_s, None),
        Measured(what, ours_s, f"trimesh's sections ({_SOME} of them, times {_LAYERS // _SOME})", sections, None),
    ]


def _many() -> Measured:
    """Forty parts of 50,000 triangles at 0.05 mm, one after the other, each with its topology."""
    mesh = wavy_torus(160, 156)
    plan = LayerPlan(0.05)
    parts = [mesh.vertices * (0.7 + 0.01 * number) for number in range(40)]

    def ours() -> None:
        for vertices in parts:
            layered(build_topology(mesh), vertices, plan).areas_mm2  # noqa: B018 - the areas are wanted

    def loop() -> None:
        for vertices in parts:
            solid = to_manifold(type(mesh)(vertices, mesh.faces))
            for height in plan.middles(float(vertices[:, 2].min()), float(vertices[:, 2].max())).tolist():
                solid.slice(height).area()

    return Measured("2 million triangles in 40 parts at 0.05 mm", best_of(ours, 1), "manifold3d: solids, cuts, areas",
                    best_of(loop, 1), 60.0)  # fmt: skip


def _at_work() -> list[Measured]:
    """A window with 871,200 triangles: its first layer, and steps through layers that are cut."""
    done = subprocess.run([sys.executable, str(Path(__file__).with_name("layers_at_work.py"))], capture_output=True,
                          text=True, check=True)  # fmt: skip
    found = json.loads(done.stdout.strip().splitlines()[-1])
    steps = sorted(found["steps_s"])
    return [
        Measured("first layer of 871,200 triangles on the screen", found["first_s"], "asked", 1.0, 1.0),
        Measured("the longest step among cut layers", steps[-1], "asked", 0.05, 0.05),
        Measured("a step among cut layers, in the middle", steps[len(steps) // 2], "asked", 0.05, 0.05),
    ]


def layers() -> list[Measured]:
    """The rows."""
    return [*_thick(), _many(), *_at_work()]

"""A deeply folded part: a knotted tube with scales, whose bars mostly have to find a way; against its overhangs."""

from __future__ import annotations

import time

import numpy as np

from bars import job_with_bars
from lean_trellis.core.derive.parts import TREE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from measured import Measured

_AROUND, _ACROSS = 1320, 330


def scaly_knot(around: int = _AROUND, across: int = _ACROSS) -> Mesh:
    """A tube of 6 mm radius on a trefoil knot, with scales of half a millimetre: 2 · `around` · `across` faces."""
    turn = np.arange(around) * 2 * np.pi / around
    spin = np.arange(across) * 2 * np.pi / across

    def line(t: np.ndarray) -> np.ndarray:
        ring = 30 + 13 * np.cos(3 * t)
        return np.column_stack([ring * np.cos(2 * t), ring * np.sin(2 * t), 13 * np.sin(3 * t)])

    middle, along = line(turn), np.gradient(line(np.append(turn, turn[:2] + 2 * np.pi)), axis=0)[:around]
    along[0] = line(turn[1:2])[0] - line(turn[-1:])[0]
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    aside = np.cross(along, [0.0, 0.0, 1.0])
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    up = np.cross(aside, along)
    u, v = np.meshgrid(turn, spin, indexing="ij")
    # Scales: each rises along the tube and falls off at its end, every other ring by half a scale aside.
    ring = u / (2 * np.pi) * 90
    rise = ring % 1.0
    bulge = np.abs(np.cos(v * 6 + np.floor(ring) % 2 * np.pi / 2))
    radius = 6 + 0.5 * rise * bulge
    out = np.cos(v)[..., None] * aside[:, None] + np.sin(v)[..., None] * up[:, None]
    vertices = (middle[:, None] + radius[..., None] * out).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = i * across + j, (i + 1) % around * across + j
    c, d = (i + 1) % around * across + (j + 1) % across, i * across + (j + 1) % across
    faces = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], axis=2).reshape(-1, 3)
    mesh = Mesh(vertices, faces.astype(np.int32))
    return mesh if mesh.volume > 0 else Mesh(vertices, faces[:, ::-1].astype(np.int32).copy())


def folded() -> list[Measured]:
    mesh = scaly_knot()
    job = job_with_bars(mesh, 6.0)
    part, support = job.parts[0], job.supports[0]
    pipeline = Pipeline()
    pipeline.topology(mesh)
    pipeline.tree(mesh).prepare()
    pipeline.graph.keep(pipeline.graph.key(TREE, mesh, job), pipeline.tree(mesh))
    taken = {}
    for name, work in (
        ("overhangs", lambda: pipeline.overhangs(part, job)),
        ("supports", lambda: pipeline.structure(support, job)),
        ("check", lambda: pipeline.findings(job)),
    ):
        begin = time.perf_counter()
        work()
        taken[name] = time.perf_counter() - begin
    made = pipeline.bars(support, job)
    leaning = int((made.leans_deg > 1).sum()) + made.on_part
    what = f"knotted tube, {len(mesh.faces):,} triangles: {len(made):,} bars, {leaning:,} not straight"
    return [
        Measured("knotted tube: its overhangs", taken["overhangs"], "", float("nan"), None),
        Measured(what, taken["supports"], "its overhangs", taken["overhangs"], 2 * taken["overhangs"]),
        Measured(
            "knotted tube: the check", taken["check"], "its overhangs", taken["overhangs"], 6 * taken["overhangs"]
        ),
    ]

"""Bars: routed, joined, changed, united, turned in the view; against plain ways of doing the same."""

from __future__ import annotations

import time
from functools import partial

import numpy as np
from manifold3d import Manifold, OpType

from lean_trellis.core.derive.parts import TREE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, to_manifold, wavy_torus
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.uniting import set_apart, united
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.supports import Bars
from measured import Measured, best_of


def bars() -> list[Measured]:
    mesh = wavy_torus()
    begin = time.perf_counter()
    tree = RayTree(mesh)
    tree.prepare()
    built = time.perf_counter() - begin
    results = [Measured("ray tree, once a mesh, in the background", built, "", float("nan"), None)]
    for spacing, limit, join in ((1.2, 3.0, "off"), (0.82, 5.0, "off"), (1.9, 10.0, "on")):
        taken, made = _generated(mesh, tree, spacing, join)
        few, count = 40, len(made)
        local = made.holds[:few] - [0, 0, 0.02] - [130, 110, 0]
        plain = best_of(partial(plain_rays, mesh, local), 1) * 9 * count / few
        what = f"{count:,} bars {'joined' if join == 'on' else 'routed'} and checked (tree there)"
        results.append(Measured(what, taken, "its rays alone, plain NumPy (40 timed, scaled)", plain, limit))
    return [*results, _one_value(), _union(), *_turned()]


def job_with_bars(mesh: Mesh, offset: float, **values: object) -> Job:
    """A job with a part on bars of the general set for metal, some of its values changed."""
    library = shipped_library()
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    job = edits.add_bodies(job, [Body("part", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], offset).job
    parameters = shipped_sets()["bars-metal"].parameters
    for key, value in values.items():
        parameters = parameters.with_value(key, value)
    return edits.add_support(job, "part-1", shipped_sets()["bars-metal"], None, parameters).job


def _generated(mesh: Mesh, tree: RayTree, spacing: float, join: str) -> tuple[float, Bars]:
    """The shorter of two times, and the bars."""
    # As thin as the spacing asks for, with the clearance that leaves.
    thin = {"tip_diameter": 0.2 * spacing, "shaft_diameter": 0.4 * spacing, "bar_clearance": 0.15 * spacing}
    job = job_with_bars(mesh, 30.0 if join == "on" else 4.0, spacing=spacing, join=join, **thin)
    taken = []
    for _ in range(2):
        pipeline = Pipeline()
        pipeline.graph.keep(pipeline.graph.key(TREE, job.parts[0].mesh, job), tree)
        pipeline.overhangs(job.parts[0], job)
        begin = time.perf_counter()
        made = pipeline.bars(job.supports[0], job)
        taken.append(time.perf_counter() - begin)
    return min(taken), made


def _one_value() -> Measured:
    """From a changed value to new bars, on a slab held by some 500."""
    job, pipeline = job_with_bars(box((66, 44, 4)), 18.0), Pipeline()
    count = len(pipeline.bars(job.supports[0], job))
    taken = []
    for diameter in (0.6, 0.65, 0.7):
        changed = edits.change_support(job, "support-1", "tip_diameter", diameter).job
        begin = time.perf_counter()
        pipeline.bars(changed.supports[0], changed)
        taken.append(time.perf_counter() - begin)
    anew = best_of(lambda: Pipeline().bars(job.supports[0], job))
    return Measured(f"one value changed on {count} bars", min(taken), "all from the mesh on", anew, 0.3)


def _union() -> Measured:
    """Some 2,000 bars made one solid."""
    job = job_with_bars(box((130, 90, 4)), 18.0)
    made = Pipeline().bars(job.supports[0], job)
    solids = [to_manifold(layer) for layer in set_apart(made.mesh)]

    def plain() -> None:
        Manifold.batch_boolean(solids, OpType.Add)

    return Measured(f"{len(made):,} bars united", best_of(lambda: united([made.mesh]), 1),
                    "manifold3d alone, solids there", best_of(plain, 1), None)  # fmt: skip


def _turned() -> list[Measured]:
    """A frame of the 3D view while it turns, with some 5,000 bars in it."""
    from lean_trellis.studio.display import prepare_platform, virtual_display

    prepare_platform()
    with virtual_display():
        from lean_trellis.studio.pictures import settle
        from lean_trellis.studio.settings import Settings
        from lean_trellis.studio.start import make_application, make_window

        settings = Settings(window=[1280, 800])
        application = make_application(settings)
        window = make_window(settings)
        window.application = application
        window.show()
        window.start()
        window.session.replace_job(job_with_bars(box((206, 150, 4)), 18.0), None)
        window.bench.open("supports")
        settle(window)
        (support,) = window.session.job.supports
        bars = window.session.bars(support)
        assert bars is not None
        count = len(bars)
        window.views.view.fit()
        taken = _frames(window)
        window.views.view.scene.move(is_moving=False)
        whole = best_of(window.views.view._draw)
        window.session.replace_job(window.session.job, None)
        window.close()
    return [
        Measured(
            f"a frame with {count:,} bars while the view turns", taken, "the same with all their faces", whole, 1 / 25
        )
    ]


def _frames(window: object) -> float:
    """The middle one of 20 frames."""
    view = window.views.view  # type: ignore[attr-defined]
    taken = []
    for _ in range(20):
        view._move_eye(view.eye.orbited(6, 1))
        begin = time.perf_counter()
        view._draw()
        taken.append(time.perf_counter() - begin)
    return float(np.median(taken))


def plain_rays(mesh: Mesh, origins: np.ndarray) -> None:
    """The first hit of each ray straight down, all triangles in turn (Moeller and Trumbore 1997)."""
    a, b, c = (mesh.corners[:, i] for i in range(3))
    u, v = b - a, c - a
    p = np.stack([v[:, 1], -v[:, 0], np.zeros(len(v))], axis=1)
    determinant = (u * p).sum(axis=1)
    for origin in origins:
        t = origin - a
        first = (t * p).sum(axis=1) / determinant
        q = np.cross(t, u)
        second = -q[:, 2] / determinant
        inside = (first >= 0) & (second >= 0) & (first + second <= 1)
        ((v * q).sum(axis=1) / determinant)[inside]

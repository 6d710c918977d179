"""Mending, pose search and arranging, measured beside trimesh, a dense sphere and rectpack."""

from __future__ import annotations

import time

import numpy as np
import trimesh

from boxes import packed_boxes
from lean_trellis.core.demo import dental_parts, metal_parts, organ_parts
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mend import mend_all
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, wavy_torus
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.planning import (
    FIGURES,
    ArrangeRequest,
    Piece,
    PoseRequest,
    arrange,
    figures_of,
    search_poses,
    sphere_directions,
)
from lean_trellis.core.planning.footprint import covered_places, footprint_of
from lean_trellis.core.shop import shipped_library
from measured import Measured, best_of

_GAP_MM = 2.0


def planning() -> list[Measured]:
    """All measurements of what happens before any support."""
    return [mending(), searching(), *arranging()]


def mending() -> Measured:
    """A torus with 200 holes, 8,000 faces turned over and a crumb beside it."""
    whole = wavy_torus()
    faces = whole.faces.copy()
    faces[1000:9000] = faces[1000:9000][:, ::-1]
    kept = np.ones(len(faces), bool)
    kept[np.random.default_rng(0).integers(0, len(faces), 200)] = False
    crumb = ball(0.5, subdivisions=1)
    broken = join([Mesh(whole.vertices, faces[kept]), Mesh(crumb.vertices + [0, 0, 60], crumb.faces)])
    begin = time.perf_counter()
    mended = mend_all(broken)
    ours = time.perf_counter() - begin
    assert mended.after.is_sound

    def theirs() -> None:
        witness = trimesh.Trimesh(broken.vertices.copy(), broken.faces.copy(), process=False)
        witness.merge_vertices()
        trimesh.repair.fix_winding(witness)
        trimesh.repair.fill_holes(witness)

    return Measured("871,000 triangles mended until sound", ours, "trimesh: merge, winding, holes", best_of(theirs, 1),
                    20.0)  # fmt: skip


def searching() -> Measured:
    """Poses of a torus of about 100,000 triangles; the dense sphere is timed on a tenth of its directions."""
    request = PoseRequest(wavy_torus(224, 224), np.eye(3), critical_angle=45.0, build_offset=4.0)
    begin = time.perf_counter()
    found = search_poses(request)
    ours = time.perf_counter() - begin
    dense = sphere_directions(20_000)
    begin = time.perf_counter()
    figures = [figures_of(request, dense[k::10]) for k in range(10)]
    theirs = time.perf_counter() - begin
    least = np.concatenate(figures).min(axis=0)
    for place, (key, (title, _)) in enumerate(FIGURES.items()):
        if least[place] > 0:
            share = 100 * found.smallest(key) / least[place]
            print(f"    {title}: best found is {share:.1f} % of 20,000 directions' best")
    what = "poses of 100,000 triangles, 13,000 directions"
    return Measured(what, ours, "20,000 directions, all exactly", theirs, 15.0)


def arranging() -> list[Measured]:
    """Forty parts on a large plate, and how dense curved parts lie against boxes."""
    library = shipped_library()
    lying = metal_parts.exhaust_elbow().moved(rotation_about("x", 90), np.zeros(3))
    mixed = [lying, metal_parts.impeller(), metal_parts.strut_bracket(), metal_parts.sensor_manifold()]
    request = ArrangeRequest(library.machine("filament-320").plate, clearance=_GAP_MM, step_deg=45)
    begin = time.perf_counter()
    arrange(_pieces(mixed * 10), request)
    ours = time.perf_counter() - begin
    begin = time.perf_counter()
    _boxes(mixed * 10)
    theirs = time.perf_counter() - begin
    curved = [lying, dental_parts.arch_model(), dental_parts.drill_guide(), organ_parts.tracker_lever()]
    for title, meshes in (
        ("ten exhaust elbows, lying", [lying] * 10),
        ("ten drill guides", [dental_parts.drill_guide()] * 10),
        ("three of each curved part", curved * 3),
        ("three of each metal part", mixed * 3),
    ):
        pieces = _pieces(meshes)
        density = arrange(pieces, ArrangeRequest(request.plate, clearance=_GAP_MM, step_deg=30)).density
        covered = sum(footprint_of(p.points, np.array(p.middle), 0.0, 0.4, 0.0).area for p in pieces)
        ratio = density / (covered / _boxes(meshes))
        print(f"    {title}: {ratio:.2f} times the footprint per area of the best packing of boxes")
    return [
        Measured("40 parts arranged by footprint, 8 turns each", ours, "rectpack on boxes, many widths", theirs, 20.0)
    ]


def _pieces(meshes: list[Mesh]) -> list[Piece]:
    return [
        Piece(str(n), covered_places(mesh, 0.35), tuple(mesh.middle[:2].tolist()), float(mesh.bounds[1, 2]))
        for n, mesh in enumerate(meshes)
    ]


def _boxes(meshes: list[Mesh]) -> float:
    return packed_boxes(np.ptp(mesh.bounds[:, :2], axis=0) + _GAP_MM for mesh in meshes)

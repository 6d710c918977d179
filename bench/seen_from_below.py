"""Overhangs with outlines and islands together, recolouring, and the underside map's redraw in a real window."""

from __future__ import annotations

import time

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPixmap

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import ball, from_manifold, wavy_torus
from lean_trellis.core.overhang import SelfBridging, detect, find_islands
from lean_trellis.core.parts import Pose
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from lean_trellis.studio.display import prepare_platform, virtual_display
from lean_trellis.studio.shown import ShownRegions
from lean_trellis.studio.theme import DAY
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.view3d.paint import paint_angles
from measured import Measured, best_of

_REGIONS, _CONTACTS = 2_000, 20_000


def seen_from_below() -> list[Measured]:
    """All measurements of what is seen from below."""
    return [together(), recoloured(), *map_redrawn()]


def together() -> Measured:
    """Regions, what holds itself, outlines, low edges and points, islands of a bumpy torus of 871,200 triangles."""
    mesh = wavy_torus()
    topology = build_topology(mesh)
    pose = Pose(build_offset=5)

    def ours() -> None:
        placed = pose.applied(mesh)
        found = detect(topology, placed, critical_angle=45, watch_angle=52, bridging=SelfBridging(1.2, 0.4, 0.6))
        assert len(found.outlines.places)
        find_islands(topology, placed, 0.04)

    def theirs() -> None:
        placed = pose.applied(mesh)
        for _ in range(3):  # normals, angles, and a sort of all edges: the least that such a search takes
            normals = np.cross(placed.corners[:, 1] - placed.corners[:, 0], placed.corners[:, 2] - placed.corners[:, 0])
            np.sort(np.arccos(np.clip(normals[:, 2], -1, 1)))

    return Measured("871,200 triangles: regions, outlines, edges, points, islands", best_of(ours, 2),
                    "three plain passes of normals and a sort", best_of(theirs, 1), 3.0)  # fmt: skip


def recoloured() -> Measured:
    """The colours of 327,680 faces while a hand of the fan is dragged."""
    mesh = ball(20, subdivisions=7)
    angles = np.degrees(np.arccos(np.clip(-mesh.normals[:, 2], -1, 1)))
    found = detect(build_topology(mesh), mesh.moved(np.eye(3), np.array([0, 0, 30.0])), critical_angle=45)
    nothing = np.full(len(angles), -1, np.int32)
    shown = ShownRegions(found.regions, angles, np.zeros(len(angles), bool), nothing, 0, 0, found.outlines)
    colours = np.zeros((len(angles), 3), np.uint8)

    def plain() -> None:
        for face in range(0, len(angles), 100):
            colours[face] = (0, 0, 0) if angles[face] < 45 else (255, 255, 255)

    theirs = best_of(plain, 1) * 100
    return Measured("327,680 faces recoloured by angle", best_of(lambda: paint_angles(colours, shown, (40, 50), DAY)),
                    "a loop over faces (1 % timed, scaled)", theirs, 0.1)  # fmt: skip


def _bumpy_plate() -> Mesh:
    """A slab whose underside hangs down in 50 x 40 flat bumps: 2,000 regions."""
    from manifold3d import Manifold

    bump = Manifold.cube((1.6, 1.6, 1.0))
    bumps = [bump.translate((3.0 * i, 3.0 * j, 0)) for i in range(50) for j in range(40)]
    slab = Manifold.cube((150, 120, 2)).translate((0, 0, 1))
    return from_manifold(slab + Manifold.compose(bumps))


def map_redrawn() -> list[Measured]:
    """The map of a plate with 2,000 regions and 20,000 contacts in a window under Xvfb, drawn on the processor."""
    from lean_trellis.studio.pictures import settle
    from lean_trellis.studio.settings import Settings
    from lean_trellis.studio.start import make_application, make_window

    with virtual_display():
        prepare_platform()
        application = make_application(Settings())
        window = make_window(Settings(window=[1280, 800]))
        window.application = application
        window.show()
        window.start()
        library = shipped_library()
        job = new_job(library.machine("metal-260"), library.material("steel-316l"))
        mesh = _bumpy_plate()
        job = edits.add_bodies(job, [Body("plate", mesh, len(mesh.faces))]).job
        parameters = shipped_sets()["bars-metal"].parameters
        for key, value in (("spacing", 1.25), ("wall_inset", 0.1), ("edge_inset", 0.1)):
            parameters = parameters.with_value(key, value)
        job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"], None, parameters).job
        window.session.replace_job(job, None)
        window.bench.open("overhangs")
        settle(window)
        chart = window.views.map
        regions = sum(len(sheet.shapes) for sheet in chart.sheet.parts())
        contacts = sum(len(p) for sheet in chart.sheet.supports() for p in sheet.contacts.by_diameter.values())
        print(f"    on the map: {regions:,} regions, {contacts:,} contacts")
        chart._is_rough = False
        anew = best_of(lambda: chart._pictures())
        chart.repaint()
        moving = _moving(chart)
        plain = _plain(chart)
        window.session.replace_job(job, None)
        window.close()
    return [
        Measured("the map while it moves, a frame", moving, "each dot an ellipse of its own", plain, 1 / 30),
        Measured("the map drawn anew, when it comes to rest", anew, "each dot an ellipse of its own", plain, None),
    ]


def _moving(chart: object) -> float:
    """The middle one of 30 frames while the map moves."""
    taken = []
    for step in range(30):
        frame: MapFrame = chart.frame  # type: ignore[attr-defined]
        chart._take_frame(frame.panned(4, 2) if step % 2 else frame.zoomed(1.03, 300, 150))  # type: ignore[attr-defined]
        begin = time.perf_counter()
        chart.repaint()  # type: ignore[attr-defined]
        taken.append(time.perf_counter() - begin)
    return float(np.median(taken))


def _plain(chart: object) -> float:
    """The same contacts as ellipses, one call each."""
    picture = QPixmap(700, 300)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    begin = time.perf_counter()
    for sheet in chart.sheet.supports():  # type: ignore[attr-defined]
        for places in sheet.contacts.by_diameter.values():
            for x, y in places.tolist():
                painter.drawEllipse(QRectF(2 * x, 2 * y, 2, 2))
    taken = time.perf_counter() - begin
    painter.end()
    return taken

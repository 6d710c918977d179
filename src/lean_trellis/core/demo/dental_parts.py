"""The vat parts of the demo: bridge frame, copings, drill guide, arch model. All made by code."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold

from lean_trellis.core.demo.shapes import arch_places, tube, united
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold


def _cap(radius: float, height: float, sides: int = 72) -> Manifold:
    """A rounded cap standing on its open rim: a tapering wall under a dome."""
    turn = np.linspace(0, np.pi / 2, 14)
    dome = np.column_stack([0.82 * radius * np.cos(turn), height - 0.45 * radius + 0.45 * radius * np.sin(turn)])
    outline = np.vstack([np.array([[0.0, 0.0], [radius, 0.0]]), dome])
    return CrossSection([outline]).revolve(sides)


def coping(width: float = 8.6, depth: float = 7.2, height: float = 7.0, wall: float = 0.55) -> Mesh:
    """A coping: a thin shell over a prepared stump, oval, its rim rising at the sides."""
    outer = _cap(1.0, height).scale((width / 2, depth / 2, 1))
    inner = _cap(1.0, height - wall).scale((width / 2 - wall, depth / 2 - wall, 1)).translate((0, 0, -0.01))
    saddle = Manifold.cylinder(3 * width, 6.0, 6.0, 90, center=True).rotate((90, 0, 0)).translate((0, 0, -5.2))
    return from_manifold(outer - inner - saddle)


def bridge_frame() -> Mesh:
    """A three-unit bridge frame: two hollow abutments, a solid middle between them, joined by slim necks."""
    places = [(-10.5, 0.0, -4.0), (0.0, 1.6, 0.0), (10.5, 0.0, 4.0)]
    solid, hollow = [], []
    for number, (x, y, turn) in enumerate(places):
        size = (4.6, 4.9, 1.0) if number == 1 else (4.3, 3.9, 1.0)
        solid.append(_cap(1.0, 7.4).scale(size).rotate((0, 0, turn)).translate((x, y, 0)))
        if number != 1:
            hollow.append(_cap(1.0, 6.6).scale((3.6, 3.2, 1.0)).rotate((0, 0, turn)).translate((x, y, -0.01)))
    necks = tube(np.array([[x, y, 3.4] for x, y, _ in places]), np.array([1.6, 1.7, 1.6]), 40)
    underside = Manifold.sphere(9.0, 90).translate((0.0, 1.6, -7.6))
    return from_manifold(united(solid) + necks - united(hollow) - underside)


def arch_model() -> Mesh:
    """A model of an arch: a horseshoe base with sixteen tooth crowns, two of them prepared as stumps."""
    outline = arch_places(41)[:, :2]
    ring = CrossSection([np.vstack([outline * 1.28, (outline * [0.62, 0.68])[::-1]])])
    base = ring.offset(1.2, circular_segments=24).extrude(9)
    crowns = []
    for number, (x, y, turn) in enumerate(arch_places(16, reach=0.94).tolist()):
        stump = number in (4, 11)
        back = abs(number - 7.5) > 4
        width, depth, height = (3.4, 3.4, 5.4) if stump else (4.6, 5.2, 6.0) if back else (2.4, 3.4, 8.0)
        crown = _cap(1.0, height).scale((depth, width, 1.0)).rotate((0, 0, turn)).translate((x * 0.97, y * 0.98, 8.6))
        crowns.append(crown)
        if back and not stump:
            dip = Manifold.sphere(2.0, 40).translate((x * 0.97, y * 0.98, 8.6 + height + 0.9))
            crowns[-1] = crown - dip
    return from_manifold(base + united(crowns))


def drill_guide() -> Mesh:
    """A drill guide: a strip over part of an arch with three sleeves, one of them set at an angle, and windows."""
    places = arch_places(25, reach=0.72)
    path = np.column_stack([places[:, :2], np.zeros(len(places))])
    strip = tube(path, np.full(len(path), 4.2), 48)
    strip = strip.trim_by_plane((0, 0, 1), -2.4).trim_by_plane((0, 0, -1), -3.2)
    groove = tube(path + [0, 0, -2.6], np.full(len(path), 2.5), 40)
    solid, bores = strip - groove, []
    for place, lean in ((5, 0.0), (12, 14.0), (19, -6.0)):
        x, y, turn = places[place].tolist()
        at = (x, y, 0.0)
        sleeve = Manifold.cylinder(8.5, 4.1, 3.7, 72).translate((0, 0, -2.4)).rotate((lean, 0, turn)).translate(at)
        solid += sleeve
        bores.append(Manifold.cylinder(30, 2.55, 2.55, 72, center=True).rotate((lean, 0, turn)).translate(at))
    for place in (9, 15):
        x, y, turn = places[place].tolist()
        window = Manifold.cube((2.2, 3.6, 20), center=True).rotate((0, 0, turn)).translate((x, y, 0))
        bores.append(window)
    return from_manifold((solid - united(bores)).trim_by_plane((0, 0, 1), -2.4))

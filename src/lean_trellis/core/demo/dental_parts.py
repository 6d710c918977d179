"""The vat parts of the demo: bridge frame, copings, drill guide, arch model. All made by code."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold

from lean_trellis.core.demo.shapes import arch_places, tube, united
from lean_trellis.core.demo.teeth import canine, incisor, molar, premolar, stump
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


_TEETH = (
    (incisor, 5.0, 6.2, 8.6),
    (incisor, 5.5, 6.4, 8.6),
    (canine, 6.3, 7.4, 9.8),
    (premolar, 6.4, 7.8, 7.8),
    (premolar, 6.6, 8.2, 7.4),
    (molar, 9.8, 10.2, 7.0),
    (molar, 9.2, 9.8, 6.6),
)
"""From the middle backwards: kind, size along and across the arch, height over the gum."""
_PREPARED, _MISSING = (3, 5), 4
"""On the right side: two teeth are prepared for a bridge, the one between them is gone."""


def arch_model() -> Mesh:
    """A model of a lower arch on its base: teeth on a ridge of gum, two stumps, and the gap that a bridge is for."""
    places = arch_places(161)[:, :2] * [0.98, 1.0]
    base = CrossSection([np.vstack([places * 1.26, (places * [0.62, 0.68])[::-1]])])
    foot = base.offset(1.2, circular_segments=24)
    ridge = np.column_stack([places[8:-8:6], np.full(len(places[8:-8:6]), 6.0)])
    gum = tube(ridge, np.full(len(ridge), 5.2), 32) ^ foot.offset(-0.6).extrude(20)
    solid = foot.extrude(7) + gum.trim_by_plane((0, 0, 1), 0.5)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(places, axis=0).T))])
    crowns = []
    for side in (-1, 1):
        gone = 0.0
        for number, (kind, wide, deep, high) in enumerate(_TEETH):
            at = along[-1] / 2 + side * (gone + wide / 2)
            gone += wide + 0.15
            if side == 1 and number == _MISSING:
                continue
            made = stump if side == 1 and number in _PREPARED else kind
            x, y = (float(np.interp(at, along, column)) for column in places.T)
            ahead = [float(np.interp(at + 0.5, along, column)) for column in places.T]
            turn = float(np.degrees(np.arctan2(ahead[1] - y, ahead[0] - x)))
            crown = made(wide, deep, high).rotate((0, 0, 180.0)).rotate((0, 0, turn))
            crowns.append(crown.translate((x, y, 10.4)))
    return from_manifold(solid + united(crowns))


def drill_guide() -> Mesh:
    """A drill guide: a strip over part of an arch with three sleeves, one of them set at an angle, and windows."""
    places = arch_places(25, reach=0.72)
    path = np.column_stack([places[:, :2], np.zeros(len(places))])
    strip = tube(path, np.full(len(path), 4.2), 36)
    strip = strip.trim_by_plane((0, 0, 1), -2.4).trim_by_plane((0, 0, -1), -3.2)
    groove = tube(path + [0, 0, -2.6], np.full(len(path), 2.5), 28)
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

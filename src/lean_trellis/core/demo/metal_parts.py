"""The metal parts of the demo: strut bracket, sensor manifold, exhaust elbow, impeller. All made by code."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold, OpType

from lean_trellis.core.demo.shapes import rounded, tube
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold


def strut_bracket() -> Mesh:
    """A hydrofoil strut bracket: a drilled foot plate, a tapering arm with a window, a clamp eye set across."""
    foot = rounded(46, 34, 6).extrude(5)
    for x in (-16, 16):
        for y in (-10, 10):
            foot -= Manifold.cylinder(20, 2.6, 2.6, 48).translate((x, y, -5))
            foot -= Manifold.cylinder(3, 2.6, 5.2, 48).translate((x, y, 2.5))
    arm = (
        rounded(26, 12, 5.5).extrude(46, n_divisions=24, twist_degrees=14, scale_top=(0.74, 0.86)).translate((0, 0, 4))
    )
    window = (
        Manifold.cylinder(40, 6.2, 6.2, 64, center=True).rotate((90, 0, 0)).scale((1, 1, 1.5)).translate((0, 0, 27))
    )
    eye = Manifold.cylinder(22, 11, 11, 96, center=True).rotate((90, 0, 0)).translate((0, 0, 58))
    bore = Manifold.cylinder(40, 7, 7, 96, center=True).rotate((90, 0, 0)).translate((0, 0, 58))
    slot = Manifold.cube((2.2, 40, 14), center=True).translate((0, 0, 69))
    ears = Manifold.cube((15, 9, 11), center=True).translate((0, 0, 70))
    bolt = Manifold.cylinder(30, 1.7, 1.7, 40, center=True).rotate((0, 90, 0)).translate((0, 0, 72))
    return from_manifold((foot + (arm - window) + eye + ears) - bore - slot - bolt)


def sensor_manifold() -> Mesh:
    """A sensor manifold: a block with a wide cross channel whose ceiling needs holding from inside."""
    block = rounded(54, 38, 5).extrude(34)
    channel = rounded(30, 16, 2.5).extrude(80).translate((0, 0, -40)).rotate((90, 0, 0)).translate((0, 0, 16))
    across = Manifold.cylinder(90, 4.5, 4.5, 72, center=True).rotate((0, 90, 0)).translate((0, 0, 16))
    ports = Manifold()
    for x in (-17, 0, 17):
        boss = Manifold.cylinder(7, 7, 6, 72).translate((x, 0, 33))
        ports += boss
    solid = block + ports
    for x in (-17, 0, 17):
        solid -= Manifold.cylinder(40, 2.4, 2.4, 56).translate((x, 0, 20))
        solid -= Manifold.cylinder(4, 3.4, 3.4, 56).translate((x, 0, 37))
    flange = rounded(66, 24, 4).extrude(5).rotate((90, 0, 0)).translate((0, 24, 17))
    for x in (-28, 28):
        flange -= Manifold.cylinder(20, 2.3, 2.3, 48, center=True).rotate((90, 0, 0)).translate((x, 21, 17))
    return from_manifold((solid + flange) - channel - across)


def exhaust_elbow() -> Mesh:
    """A branching exhaust elbow: two thin-walled runs that meet, with flanges at the three ends."""
    turn = np.linspace(0, np.pi / 2, 13)
    main = np.column_stack([34 * (1 - np.cos(turn)), np.zeros(13), 34 * np.sin(turn)])
    branch_turn = np.linspace(0, 1.05, 9)
    branch = np.column_stack([6 + 10 * branch_turn, 22 * np.sin(branch_turn), 14 + 24 * np.sin(branch_turn) ** 1.2])
    outer = tube(main, np.full(13, 9.0), 40) + tube(branch, np.full(9, 7.0), 32)
    away = branch[-1] - branch[-2]
    away /= np.linalg.norm(away)
    through_main = np.vstack([main[0] - [0, 0, 30], main, main[-1] + [30, 0, 0]])
    through_branch = np.vstack([branch, branch[-1] + 30 * away])
    inner = tube(through_main, np.full(15, 7.2), 40) + tube(through_branch, np.full(10, 5.4), 32)
    lean = (float(-np.degrees(np.arcsin(away[1]))), float(np.degrees(np.arctan2(away[0], away[2]))), 0.0)
    ends = []
    for place, rotation, radius in (
        (main[0] - [0, 0, 8], (0, 0, 0), 15),
        (main[-1] + [2.5, 0, 0], (0, 90, 0), 15),
        (branch[-1] + 1.2 * away, lean, 12.5),
    ):
        disc = Manifold.cylinder(3.5, radius, radius, 80)
        for k in range(4):
            x, y = (
                (radius - 3) * np.cos(np.pi / 4 + k * np.pi / 2),
                (radius - 3) * np.sin(np.pi / 4 + k * np.pi / 2),
            )
            disc -= Manifold.cylinder(12, 1.3, 1.3, 28, center=True).translate((x, y, 0))
        ends.append(disc.rotate(rotation).translate(tuple(place.tolist())))
    solid = outer + Manifold.batch_boolean(ends, OpType.Add)
    return from_manifold(max((solid - inner).decompose(), key=lambda piece: piece.volume()))


def impeller() -> Mesh:
    """An impeller: a domed hub with seven twisted blades and a bore."""
    height = np.linspace(0, 1, 22)
    profile = np.vstack([[0, 0], np.column_stack([4.5 + 17.5 * (1 - height) ** 1.7, 1.6 + 20 * height]), [0, 21.6]])
    profile = np.vstack([[[0, 0], [22, 0]], profile[1:]])
    hub = CrossSection([profile]).revolve(120)
    blades = []
    for k in range(7):
        blade = (
            CrossSection.square((1.5, 21), center=True)
            .translate((0, 12.5))
            .extrude(19, n_divisions=22, twist_degrees=-48, scale_top=(0.85, 0.66))
            .translate((0, 0, 1))
        )
        blades.append(blade.rotate((0, 0, k * 360 / 7)))
    limit = Manifold.cylinder(40, 23, 23, 120)
    solid = hub + (Manifold.batch_boolean(blades, OpType.Add) ^ limit)
    solid -= Manifold.cylinder(60, 2.6, 2.6, 64, center=True)
    return from_manifold(solid - Manifold.cylinder(3, 6, 4, 64).translate((0, 0, 20)))

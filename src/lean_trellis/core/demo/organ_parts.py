"""The extrusion parts of the demo: reed-box panel, wind-chest grid, reed cover, tracker lever. All made by code."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold

from lean_trellis.core.demo.shapes import rounded, united
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold


def reed_panel() -> Mesh:
    """A reed-box panel: tall and thin, with a slim frame, two round sound holes and a row of screw eyes."""
    sheet = CrossSection.square((120, 190), center=True)
    frame = sheet - rounded(108, 178, 4)
    holes = united([Manifold.cylinder(20, 16, 16, 96, center=True).translate((0, y, 0)) for y in (-42, 42)])
    panel = sheet.extrude(1.8) + frame.extrude(3.2) - holes
    eyes = [
        Manifold.cylinder(20, 1.7, 1.7, 32, center=True).translate((x, y, 0))
        for x in (-56.8, 56.8)
        for y in np.linspace(-85, 85, 6).tolist()
    ]
    return from_manifold((panel - united(eyes)).rotate((90, 0, 0)))


def wind_chest_grid() -> Mesh:
    """A wind-chest grid: a frame with crossing bars and valve holes, flat above and below, made to be stacked."""
    outer = rounded(110, 70, 5)
    grid = outer.extrude(7)
    cells = [
        rounded(15, 17, 2).extrude(20).translate((x, y, -5))
        for x in np.linspace(-42, 42, 6).tolist()
        for y in np.linspace(-21.5, 21.5, 3).tolist()
    ]
    valves = [
        Manifold.cylinder(20, 1.4, 1.4, 32, center=True).translate((x, y, 0))
        for x in np.linspace(-50.5, 50.5, 7).tolist()
        for y in (-10.8, 10.8)
    ]
    return from_manifold(grid - united(cells) - united(valves))


def reed_cover() -> Mesh:
    """A reed cover: a shallow lid with rows of narrow tuning slots and raised lettering bars inside."""
    lid = rounded(96, 58, 6).extrude(9) - rounded(91.2, 53.2, 4).extrude(20).translate((0, 0, 2.2))
    slots = [
        rounded(1.3, 9, 0.6, 24).extrude(20).translate((x, y, -5))
        for x in np.linspace(-38, 38, 14).tolist()
        for y in (-15, 0, 15)
    ]
    letters = [
        Manifold.cube((0.9, 4.5, 0.7), center=True).translate((x, -23.5, 2.4)) for x in np.linspace(-9, 9, 7).tolist()
    ]
    return from_manifold(lid - united(slots) + united(letters))


def tracker_lever() -> Mesh:
    """A tracker lever: a slim cranked arm with an eye at each end, one turned across the other."""
    one = Manifold.cylinder(8, 7, 7, 72, center=True)
    other = Manifold.cylinder(9, 6, 6, 72, center=True).rotate((90, 0, 0)).translate((86, 0, 9))
    blocks = [
        Manifold.cube(size, center=True).translate(at)
        for size, at in (((6, 5, 7), (4, 0, 0)), ((4, 5, 5), (48, 0, 1)), ((4, 7, 6), (83, 0, 9)))
    ]
    arm = Manifold.batch_hull(blocks[:2]) + Manifold.batch_hull(blocks[1:])
    bores = Manifold.cylinder(30, 3.1, 3.1, 64, center=True) + (
        Manifold.cylinder(30, 2.6, 2.6, 64, center=True).rotate((90, 0, 0)).translate((86, 0, 9))
    )
    return from_manifold(one + other + arm - bores)

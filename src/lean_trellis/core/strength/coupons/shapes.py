"""The coupons as solids. Every step stands on one foot; as many dots as its number say which step it is.

Lengths in mm, z up from the plate, steps along x from the left; what is tested faces the front (low y).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, cylinder, extrusion, from_manifold, revolution, to_manifold
from lean_trellis.core.mesh.uniting import united

FOOT = 2.0
_APART = 4.0
_DOT = 0.8
_OVERLAP = 0.2
LEAN_LENGTH = 10.0
STEP_WIDTH = 8.0
CANTILEVER_WIDTH, CANTILEVER_LENGTH = 5.0, 20.0
STALK_DIAMETER = 0.6
_X, _Y, _Z = np.eye(3)


def _in_a_row(steps: Sequence[tuple[Mesh, float]], depth: tuple[float, float]) -> Mesh:
    """Steps with their widths, side by side on a foot that reaches from and to some y, with dots at its front edge."""
    front, back = depth[0] - 4.0, depth[1] + 1.5
    x, solids = _APART / 2, []
    for number, (step, width) in enumerate(steps, start=1):
        solids.append(step.moved(np.eye(3), np.array([x, 0.0, FOOT - _OVERLAP])))
        for dot in range(number):
            at = (x + 1.6 * (dot % 5), front + 0.6 + 1.6 * (dot // 5), FOOT - _OVERLAP)
            solids.append(box((_DOT, _DOT, _DOT + _OVERLAP), corner=at))
        x += width + _APART
    foot = box((x - _APART / 2, back - front, FOOT), corner=(0, front, 0))
    return united([foot, *solids])


def _along_x(profile: Floats, width: float) -> Mesh:
    """A closed (n, 2) profile of (y, z), counter-clockwise seen from +x, as wide as that along x."""
    turn = np.column_stack([_Y, _Z, _X])
    return extrusion(profile, width).moved(turn, np.zeros(3))


def angle_ladder(angles: Sequence[float]) -> Mesh:
    """A slab that leans out of a wall for each surface angle, degrees; its underside is as long as all others."""
    steps = []
    for angle in angles:
        turn = np.radians(angle)
        out, up = LEAN_LENGTH * np.cos(turn), LEAN_LENGTH * np.sin(turn)
        low, thick, wall = 3.0, 2.0, 3.0
        profile = [(0, 0), (wall, 0), (wall, low + up + thick), (-out, low + up + thick), (-out, low + up), (0, low)]
        steps.append((_along_x(np.array(profile), STEP_WIDTH), STEP_WIDTH))
    return _in_a_row(steps, (-LEAN_LENGTH, 3.0))


def bridge_ladder(spans: Sequence[float]) -> Mesh:
    """A flat ceiling between two posts for each span."""
    high, thick, post, deep = 5.0, 1.5, 2.5, 6.0
    steps = []
    for span in spans:
        width = span + 2 * post
        outline = [(0, 0), (post, 0), (post, high), (post + span, high), (post + span, 0), (width, 0),
                   (width, high + thick), (0, high + thick)]  # fmt: skip
        steps.append((_along_y(np.array(outline), deep), width))
    return _in_a_row(steps, (0, deep))


def _along_y(profile: Floats, depth: float) -> Mesh:
    """A closed (n, 2) profile of (x, z), counter-clockwise seen from the front, as deep as that along y."""
    turn = np.column_stack([_X, _Z, -_Y])
    return extrusion(profile, depth).moved(turn, np.array([0.0, depth, 0.0]))


def ledge_ladder(lengths: Sequence[float]) -> Mesh:
    """A flat ledge out of a wall, free on three sides, for each length."""
    high, thick, wall = 5.0, 1.5, 3.0
    steps = []
    for length in lengths:
        profile = [(0, 0), (wall, 0), (wall, high + thick), (-length, high + thick), (-length, high), (0, high)]
        steps.append((_along_x(np.array(profile), STEP_WIDTH), STEP_WIDTH))
    return _in_a_row(steps, (-max(lengths), wall))


def tip_row(diameters: Sequence[float]) -> Mesh:
    """A column with a neck for each tip diameter, and a head with an eye above it to pull at."""
    steps = []
    for diameter in diameters:
        neck, post, head = diameter / 2, 1.5, 3.5
        rise = head - neck  # 45 degrees outwards
        heights = np.cumsum([4.0, post - neck, 0.6, rise, 6.0])
        profile = [(0, 0), (post, 0), (post, heights[0]), (neck, heights[1]), (neck, heights[2]), (head, heights[3]),
                   (head, heights[4]), (0, heights[4])]  # fmt: skip
        turned = revolution(np.array(profile, np.float64), sides=48)
        hole = cylinder(1.5, 4 * head, sides=32).moved(
            np.column_stack([_X, _Z, -_Y]), np.array([0, 2 * head, heights[3] + 3.0])
        )
        pierced = from_manifold(to_manifold(turned) - to_manifold(hole))
        steps.append((pierced.moved(np.eye(3), np.array([head, 0, 0])), 2 * head))
    return _in_a_row(steps, (-3.5, 3.5))


def cantilevers(thicknesses: Sequence[float]) -> Mesh:
    """A beam on a post and on a comb of thin teeth for each thickness; sawn off the teeth, its end rises."""
    steps = []
    teeth_high, tooth, pitch, post = 4.0, 0.6, 2.0, 6.0
    for thick in thicknesses:
        solids = [
            box((CANTILEVER_WIDTH, post, teeth_high + thick)),
            box((CANTILEVER_WIDTH, CANTILEVER_LENGTH + _OVERLAP, thick),
                corner=(0, -CANTILEVER_LENGTH, teeth_high)),
        ]  # fmt: skip
        for y in np.arange(-CANTILEVER_LENGTH, -pitch / 2, pitch):
            solids.append(box((CANTILEVER_WIDTH, tooth, teeth_high + _OVERLAP), corner=(0, float(y), 0)))
        steps.append((united(solids), CANTILEVER_WIDTH))
    return _in_a_row(steps, (-CANTILEVER_LENGTH, post))


def peel_pads(diameters: Sequence[float]) -> Mesh:
    """A round pad on a thin stalk for each pad diameter; the film pulls at the pad, the stalk holds it."""
    steps = []
    stalk = STALK_DIAMETER / 2
    for diameter in diameters:
        radius = diameter / 2
        heights = np.cumsum([2.0, 0.8 - stalk, 0.8, radius - stalk, 1.5])
        profile = [(0, 0), (0.8, 0), (0.8, heights[0]), (stalk, heights[1]), (stalk, heights[2]), (radius, heights[3]),
                   (radius, heights[4]), (0, heights[4])]  # fmt: skip
        turned = revolution(np.array(profile, np.float64), sides=64)
        steps.append((turned.moved(np.eye(3), np.array([radius, 0, 0])), diameter))
    widest = max(diameters) / 2
    return _in_a_row(steps, (-widest, widest))


def scale_blocks(sizes: Sequence[float]) -> Mesh:
    """A block as wide, deep and half as high for each size, with a square hole of half the size through it."""
    x, solids = 0.0, []
    for size in sizes:
        block = box((size, size, size / 2), corner=(x, 0, 0))
        hole = box((size / 2, size / 2, size), corner=(x + size / 4, size / 4, -size / 4))
        solids.append(from_manifold(to_manifold(block) - to_manifold(hole)))
        x += size + _APART
    return united(solids)

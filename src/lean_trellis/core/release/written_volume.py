"""How much a build's machine file builds, from its layers and not from the file: what it is held against."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, FillRule, JoinType

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.build import LayeredBody, LayeredBuild
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.shop.material import value_or
from lean_trellis.core.supports.common.request import line_width

_MITER = 2.0


def written_volume(build: LayeredBuild) -> float:
    """mm³: beads on extrusion machines; in a bed outlines as they are set in, sheets one scan line wide.

    In a vat what is exposed, of parts less what hardens of itself.
    """
    match build.machine.process:
        case "extrusion":
            return _beads(build)
        case "vat":
            return _exposed(build)
        case _:
            return _melted(build)


def _beads(build: LayeredBuild) -> float:
    """Beads and what is wiped off: width times height times length."""
    total = 0.0
    for number in build.assembly.numbers.tolist():
        for body in build.turns(number):
            thickness = build.thickness(number) if body < 0 else build.thickness(number, build.bodies[body])
            paths = build.assembly.purge[thickness] if body < 0 else build.paths(body, number)
            total += float(_lengths(paths.ways) @ paths.widths) * thickness
    return total


def _melted(build: LayeredBuild) -> float:
    width, is_set_in = line_width(build.constants), value_or(build.constants, "outline_offset", 0.0) != 0.0
    total = 0.0
    for index, body in enumerate(build.bodies):
        if is_set_in:
            total += sum(_along_paths(build, index, int(number), width) for number in body.numbers)
        else:
            total += _cut(build, body, width)
    return total


def _cut(build: LayeredBuild, body: LayeredBody, width: float) -> float:
    """A body by what its layers cut."""
    filled, lines, count = body.layers.filled, body.layers.lines, len(body.numbers)
    areas = np.bincount(filled.levels, filled.areas_mm2, count) + width * np.bincount(
        lines.levels, _lengths(lines), count
    )
    return float(areas @ build.plan_of(body).thickness_of(body.numbers))


def _along_paths(build: LayeredBuild, index: int, number: int, width: float) -> float:
    """A body's layer by its outlines as they are followed."""
    paths = build.paths(index, number)
    is_line, is_fill = paths.kinds == Kind.LINE, paths.kinds == Kind.FILL
    area = float(paths.ways.areas_mm2[~is_line & ~is_fill].sum())
    length = float(_lengths(paths.ways)[is_line].sum())
    return (area + length * width) * build.thickness(number, build.bodies[index])


def _lengths(ways: LayerWays) -> Floats:
    """(w,): how long each open way is."""
    if not len(ways):
        return np.zeros(0)
    steps = np.zeros(len(ways.points))
    steps[1:] = np.hypot(*np.diff(ways.points, axis=0).T)
    steps[ways.starts[:-1][np.diff(ways.starts) > 0]] = 0.0
    lengths: Floats = np.bincount(ways.owners, steps, len(ways)).astype(np.float64)
    return lengths


def _exposed(build: LayeredBuild) -> float:
    """Areas of everything together: what overlaps is exposed once."""
    width = value_or(build.constants, "overcure_width", 0.0)
    below = round(value_or(build.constants, "overcure_depth", 0.0) / build.plan.height)
    total = 0.0
    lower: list[CrossSection] = []
    for number in build.assembly.numbers.tolist():
        parts = _united(build, number, is_support=False)
        if width:
            parts = parts.offset(-width, JoinType.Miter, _MITER)
        lit = parts
        if below:  # what has air below, no deeper than the depth, stays dark, but for the top of what is thinner
            section = parts
            for earlier in lower[-below:]:
                section = section ^ earlier
            above = _united(build, number + 1, is_support=False)
            above = above.offset(-width, JoinType.Miter, _MITER) if width else above
            lit = (parts - above) + (section ^ above)
            lower.append(parts)
        total += (lit + _united(build, number, is_support=True)).area() * build.thickness(number)
    return total


def _united(build: LayeredBuild, number: int, *, is_support: bool) -> CrossSection:
    rings = [ring for body in build.bodies if body.is_support is is_support for ring in body.outlines(number)]
    return CrossSection(rings, FillRule.NonZero) if rings else CrossSection()

"""Figures of bars, their feet and their braces under the loads that tips carry, from what acts in a process."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.capacity import HINGED, column_loads, second_moments
from lean_trellis.core.strength.figures import deflections
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.supports.bars.facts.figures import BarFigures, BarStrength, bar_figures, summed_down
from lean_trellis.core.supports.bars.facts.grips import roots_of
from lean_trellis.core.supports.bars.struts import LOWER_END, ON_PLATE, ON_TRUNK, Bars
from lean_trellis.core.supports.common.solids import polygon_share

_STEADIES = 0.02
"""A brace that steadies a column takes a fiftieth of its load (Winter 1958, Lateral bracing of columns and beams)."""


def figures_of_bars(bars: Bars, grips: Grips, loads: GripLoads, actions: Actions) -> BarFigures:
    """Figures of the bars of one support, whose tips carry `loads`.

    Besides, nozzle and blade push each bar itself sideways: the nozzle with one force, the blade by the bar's width.
    """
    push = actions.nozzle if actions.process == "extrusion" else 0.0
    strength = BarStrength(actions.strength, actions.stiffness, push, actions.blade, actions.source)
    figures = bar_figures(bars, loads, strength)
    takes, used = brace_loads(bars, loads, figures.pushes_n, actions)
    return replace(
        figures,
        gives_mm=frozen(deflections(grips, loads, actions.stiffness)),
        feet_used=frozen(feet_used(bars, loads, actions)),
        brace_loads_n=frozen(takes),
        brace_used=frozen(used),
    )


def feet_used(bars: Bars, loads: GripLoads, actions: Actions) -> Floats:
    """(n,): the pull on the foot of each bar, or of the trunk that it goes down to, over what that foot bears.

    On the plate its bond bears, on a part the strength of the material; a shared foot carries all that stand on it.
    """
    if not len(bars):
        return np.zeros(0)
    stands, low = bars.landings != ON_TRUNK, bars.trunks.below < 0
    pulls = np.concatenate([loads.pulls[stands], summed_down(bars, loads.pulls)[low]])
    places = np.concatenate([bars.centres[stands, LOWER_END], bars.trunks.centres[low, LOWER_END]])
    radii = np.concatenate([bars.radii[stands, LOWER_END], bars.trunks.radii[low, LOWER_END]])
    on_plate = np.concatenate([bars.landings[stands], bars.trunks.landings[low]]) == ON_PLATE
    areas = polygon_share(bars.sides) * radii**2
    for ring in bars.feet.rings[:, 0, :, :2]:
        foot = shapely.Polygon(ring)
        inside = on_plate & shapely.contains_xy(foot, places[:, 0], places[:, 1])
        areas[inside], pulls[inside] = foot.area, pulls[inside].sum()
    bears = areas * np.where(on_plate, actions.bond, actions.strength)
    result: Floats = (pulls / np.maximum(bears, 1e-12))[roots_of(bars)]
    return result


def brace_loads(bars: Bars, loads: GripLoads, pushes: Floats, actions: Actions) -> tuple[Floats, Floats]:
    """(b,) each: what braces take, N, and how much of what they bear that is.

    Of the more loaded of its two columns: what pushes that sideways, `pushes` (n,) N on bars, and a fiftieth of what
    presses it, over the cosine of the brace's slope. A brace is a column that is held at both ends.
    """
    braces = bars.braces
    if not len(braces):
        return np.zeros(0), np.zeros(0)
    pressed = np.concatenate([loads.pushes, summed_down(bars, loads.pushes)])
    sideways = np.concatenate([pushes, summed_down(bars, loads.sides)])
    level = (sideways + _STEADIES * pressed)[braces.columns].max(axis=1)
    ways = braces.stops - braces.starts
    takes = level * braces.lengths_mm / np.maximum(np.hypot(ways[:, 0], ways[:, 1]), 1e-9)
    sections = polygon_share(bars.sides) * braces.radii**2
    moments = second_moments(braces.radii, bars.sides)
    bears = column_loads(moments, sections, braces.lengths_mm, HINGED, actions.stiffness, actions.strength)
    return takes, takes / np.maximum(bears, 1e-12)

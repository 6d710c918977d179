"""Figures of bars under the loads that their tips carry, from what acts in the machine's process."""

from __future__ import annotations

from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.strength.statics import GripLoads
from lean_trellis.core.supports.bars.figures import BarFigures, BarStrength, bar_figures
from lean_trellis.core.supports.bars.struts import Bars


def figures_of_bars(bars: Bars, _grips: Grips, loads: GripLoads, actions: Actions) -> BarFigures:
    """Figures of the bars of one support, whose tips carry `loads`.

    Besides, nozzle and blade push each bar itself sideways: the nozzle with one force, the blade by the bar's width.
    """
    push = actions.nozzle if actions.process == "extrusion" else 0.0
    strength = BarStrength(actions.strength, actions.stiffness, push, actions.blade, actions.source)
    return bar_figures(bars, loads, strength)

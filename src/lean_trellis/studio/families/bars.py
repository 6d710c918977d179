"""Bars in the window."""

from __future__ import annotations

from lean_trellis.core.supports import BARS
from lean_trellis.studio.families.bar_sketches import sketch_bars
from lean_trellis.studio.families.bar_tools import BarTools
from lean_trellis.studio.family_tools import no_grips
from lean_trellis.studio.looks import FamilyLook, register_look

BARS_LOOK = FamilyLook(
    spec=BARS,
    colour=lambda tokens: tokens.copper,
    sketch=sketch_bars,
    on_map=None,
    grips=no_grips,
    tools=BarTools,
)
register_look(BARS_LOOK)

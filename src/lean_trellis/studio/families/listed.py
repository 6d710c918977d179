"""Enters what the window knows of every family, and holds that none is missing."""

from lean_trellis.studio.families import bars, bodies, panels
from lean_trellis.studio.looks import require_looks

__all__ = ["bars", "bodies", "panels"]
require_looks()

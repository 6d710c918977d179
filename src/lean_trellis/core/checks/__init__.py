"""Checks of the whole shared build: one module a question, and the registry that runs them.

A check reads a `BuildState` and gives findings with place, value, limit, cause and cures. It changes nothing.
"""

from lean_trellis.core.checks.finding import Cure, Finding, Severity
from lean_trellis.core.checks.registry import CHECKS, in_order, not_examined
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.checks.waiving import is_releasable, open_stops, standing_waiver, waiver_of

__all__ = [
    "CHECKS",
    "BuildState",
    "Cure",
    "Finding",
    "PartState",
    "Severity",
    "SupportState",
    "in_order",
    "is_releasable",
    "not_examined",
    "open_stops",
    "standing_waiver",
    "waiver_of",
]

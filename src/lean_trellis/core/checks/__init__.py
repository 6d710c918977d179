"""Checks of the whole shared build: one module a question, and the registry that runs them.

A check reads a `BuildState` and gives findings with place, value, limit, cause and cures. It changes nothing.
"""

from lean_trellis.core.checks.finding import Cure, Finding, Severity
from lean_trellis.core.checks.registry import CHECKS, NOT_EXAMINED, in_order, is_releasable
from lean_trellis.core.checks.state import BuildState, PartState, SupportState

__all__ = [
    "CHECKS",
    "NOT_EXAMINED",
    "BuildState",
    "Cure",
    "Finding",
    "PartState",
    "Severity",
    "SupportState",
    "in_order",
    "is_releasable",
]

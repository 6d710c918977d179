"""All checks, in the order in which they are run."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from lean_trellis.core.checks.bars import check_bars
from lean_trellis.core.checks.finding import SEVERITIES, Finding
from lean_trellis.core.checks.fitting import check_fitting
from lean_trellis.core.checks.holding import check_holding
from lean_trellis.core.checks.overlap import check_overlap
from lean_trellis.core.checks.posing import check_posing
from lean_trellis.core.checks.protection import check_protection
from lean_trellis.core.checks.soundness import check_soundness
from lean_trellis.core.checks.stacks import check_stacks
from lean_trellis.core.checks.standing import check_standing
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.checks.structures import check_structures
from lean_trellis.core.checks.tipping import check_tipping
from lean_trellis.core.checks.volume import check_volume
from lean_trellis.core.checks.zones import check_zones
from lean_trellis.core.progress import UNWATCHED, Watch

CHECKS: dict[str, Callable[[BuildState], Iterator[Finding]]] = {
    "build volume": check_volume,
    "sound meshes": check_soundness,
    "keep-out zones": check_zones,
    "fittings": check_fitting,
    "poses": check_posing,
    "stacks": check_stacks,
    "overlaps": check_overlap,
    "holding": check_holding,
    "standing": check_standing,
    "bars": check_bars,
    "other supports": check_structures,
    "tipping": check_tipping,
    "protected surfaces": check_protection,
}


NOT_EXAMINED = (
    "strength of supports",
    "their deflection",
    "plate hold and warp",
    "trapped powder or resin",
    "thin walls",
    "reach of tools",
    "recoater edges",
    "proven settings",
)
"""What no check looks at yet: a build without stops is releasable but for these."""


def run_checks(state: BuildState, watch: Watch = UNWATCHED) -> tuple[Finding, ...]:
    """All findings, the worst first, then by part."""
    findings: list[Finding] = []
    for number, (title, check) in enumerate(CHECKS.items()):
        watch.at(number / len(CHECKS), f"checking {title}")
        findings.extend(check(state))
    return tuple(sorted(findings, key=lambda f: (SEVERITIES.index(f.severity), f.part, f.code)))


def is_releasable(findings: tuple[Finding, ...]) -> bool:
    """Whether no finding is a stop."""
    return all(finding.severity != "stop" for finding in findings)

"""All checks, in the order in which they are run."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.checks.families import check_families
from lean_trellis.core.checks.fillings import check_fillings
from lean_trellis.core.checks.finding import SEVERITIES, Finding
from lean_trellis.core.checks.fitting import check_fitting
from lean_trellis.core.checks.holding import check_holding
from lean_trellis.core.checks.layers import check_layers
from lean_trellis.core.checks.loading import check_loading
from lean_trellis.core.checks.lots import check_lots
from lean_trellis.core.checks.nearness import check_nearness
from lean_trellis.core.checks.outdated import check_outdated
from lean_trellis.core.checks.overlap import check_overlap
from lean_trellis.core.checks.posing import check_posing
from lean_trellis.core.checks.protection import check_protection
from lean_trellis.core.checks.reach import check_reach
from lean_trellis.core.checks.recoating import check_recoating
from lean_trellis.core.checks.settings import check_settings
from lean_trellis.core.checks.soundness import check_soundness
from lean_trellis.core.checks.stacks import check_stacks
from lean_trellis.core.checks.standing import check_standing
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.checks.strength import check_strength
from lean_trellis.core.checks.supply import STOCK_WORDS, check_supply
from lean_trellis.core.checks.supports_overlap import check_supports_overlap
from lean_trellis.core.checks.tipping import check_tipping
from lean_trellis.core.checks.trapped import check_trapped
from lean_trellis.core.checks.twice import check_twice
from lean_trellis.core.checks.volume import check_volume
from lean_trellis.core.checks.warp import check_warp
from lean_trellis.core.checks.zones import check_zones
from lean_trellis.core.job.job import Job

Scope = Literal["alone", "near", "standing", "stack", "first", "loads", "hollows", "layers", "trials", "supply"]
"""What a check looks at besides a part and its supports.

`alone`: nothing; `near`: parts that it or their supports could meet; `standing`: what it stands on;
`stack`: the stack it is the lowest of; `loads`: what its contacts carry; `hollows`: the air in it; `layers`: what its
layers show. `first`, `trials` and `supply` are looked at once, for the first part of the job: itself, what trials
hold, and what the build needs of its material.
"""


@dataclass(frozen=True)
class Check:
    """One check: what it finds of the parts that a state looks at, and how far it has to see."""

    title: str
    run: Callable[[BuildState], Iterator[Finding]]
    scope: Scope


CHECKS: tuple[Check, ...] = (
    Check("build volume", check_volume, "alone"),
    Check("sound meshes", check_soundness, "alone"),
    Check("keep-out zones", check_zones, "alone"),
    Check("fittings", check_fitting, "first"),
    Check("settings", check_settings, "first"),
    Check("trials", check_outdated, "trials"),
    Check("material loaded", check_supply, "supply"),
    Check("lots", check_lots, "alone"),
    Check("poses", check_posing, "alone"),
    Check("load in use", check_loading, "alone"),
    Check("stacks", check_stacks, "stack"),
    Check("fillings", check_fillings, "stack"),
    Check("overlaps", check_overlap, "near"),
    Check("distance between parts", check_nearness, "near"),
    Check("holding", check_holding, "stack"),
    Check("standing", check_standing, "standing"),
    Check("supports", check_families, "near"),
    Check("supports that overlap", check_supports_overlap, "near"),
    Check("supported twice", check_twice, "alone"),
    Check("tipping", check_tipping, "loads"),
    Check("protected surfaces", check_protection, "near"),
    Check("strength", check_strength, "loads"),
    Check("warp", check_warp, "loads"),
    Check("trapped", check_trapped, "hollows"),
    Check("reach", check_reach, "alone"),
    Check("recoating", check_recoating, "alone"),
    Check("layers", check_layers, "layers"),
)


def not_examined(job: Job) -> tuple[str, ...]:
    """What no check could look at, since nobody said it: a build without stops is releasable but for these."""
    stock = STOCK_WORDS[job.machine.process]
    return (f"how much {stock} is loaded",) if job.loaded_grams is None else ()


def in_order(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """The worst first, then by part and code."""
    return tuple(sorted(findings, key=lambda f: (SEVERITIES.index(f.severity), f.part, f.code)))

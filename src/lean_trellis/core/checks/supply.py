"""`material_short`: is enough powder, resin or filament loaded for this build?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.estimate import Estimate
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.parts.stacking import Separator, Stack
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.strength.actions import constant_of

STOCK_WORDS: dict[Process, str] = {"powder_bed": "powder", "vat": "resin", "extrusion": "filament"}


def needed_grams(estimate: Estimate, job: Job) -> tuple[float, str]:
    """How much of the job's own material has to be there before the first layer, and how that is found.

    A powder bed is filled all over up to the last layer: plate area times height times density times how densely
    powder lies, and more is spread than stays. Elsewhere it is what the estimate uses, what is lost included.
    """
    constants = job.constants
    if job.machine.process == "powder_bed":
        if not estimate.layers:
            return 0.0, ""
        plan = LayerPlan(job.layer_height, job.first_layer)
        height = float(plan.tops_of(estimate.assembly.numbers[-1:])[0])
        plate = job.machine.plate
        area = plate.width * plate.depth * (math.pi / 4 if plate.shape == "round" else 1.0)
        packing, more = constant_of(constants, "powder_packing"), constant_of(constants, "powder_overdose")
        grams = area * height / 1000 * constants["density"].value * packing.value * (1 + more.value)
        how = f"the bed filled to {height:.1f} mm, packing {packing.value:g}, {more.value:.0%} more spread than stays"
        return grams, how
    others = {"separators"} if any(_is_other(job, stack) for stack in job.stacks) else set()
    grams = sum(amount for cause, amount in estimate.grams_by.items() if cause not in others)
    least = constant_of(constants, "least_fill").value if job.machine.process == "vat" else 0.0
    rest = f", and {least:g} g that stay in the vat" if least else ""
    return grams + least, f"what is built and what is lost with it{rest}"


def _is_other(job: Job, stack: Stack) -> bool:
    return isinstance(stack.filling, Separator) and stack.filling.material != job.material


def check_supply(state: BuildState) -> Iterator[Finding]:
    """A stop, once for the build, where less is loaded than it needs."""
    supply = state.supply
    if supply is None or not state.parts or supply.loaded >= supply.needed * (1 - LIMIT_SPARE):
        return
    part, job = state.parts[0].part, state.job
    stock = STOCK_WORDS[job.machine.process]
    yield Finding(
        "material_short", "stop", part.name,
        f"{supply.loaded:,.0f} g of {stock} are loaded; the build needs {supply.needed:,.0f} g",
        cause=f"the {stock} runs out before the last layer", value=supply.loaded, limit=supply.needed, unit="g",
        source=supply.how, part_id=part.id,
        cures=(Cure(f"Load {supply.needed - supply.loaded:,.0f} g more and note it at Setup", about="machine"),),
    )  # fmt: skip

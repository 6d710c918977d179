"""`supported_twice`: do two supports of one family touch one region?"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from lean_trellis.core.checks.changes import RemoveSupport
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.supports.common.faults import place_of
from lean_trellis.core.supports.common.spec import spec_of


def check_twice(state: BuildState) -> Iterator[Finding]:
    """A caution for each pair: the later one is on top of what is there already."""
    serving = [carrier for carrier in state.own_supports if spec_of(carrier.support).serves_regions]
    for first, second in combinations(serving, 2):
        if first.support.part_id != second.support.part_id or spec_of(first.support) is not spec_of(second.support):
            continue
        shared = first.structure.served & second.structure.served
        if not shared:
            continue
        count = f"{len(shared)} region{'s' if len(shared) > 1 else ''}"
        yield Finding(
            "supported_twice", "caution", state.name_of(first.support.part_id),
            f"{count} supported twice: by {first.support.set_name} and by {second.support.set_name}",
            cause="a second support was added where one was already", value=float(len(shared)), limit=0.0,
            at_mm=place_of((second if len(second.structure.holds) else first).structure.holds.mean(axis=0)),
            part_id=second.support.part_id, support_id=second.support.id,
            cures=(
                Cure("Delete the later support", RemoveSupport(second.support.id)),
                Cure("Delete the earlier support", RemoveSupport(first.support.id)),
            ),
        )  # fmt: skip

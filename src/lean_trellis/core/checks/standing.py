"""`in_the_air`: is everything connected to the plate, by itself or through what it stands on?

From the plate upwards: a piece of a support stands where it begins, on the plate, on a part or on another support; a
part stands on the plate or another part, or is supported by a support that stands. What is left is in the air, also a
part that is supported only by supports which stand on itself.
"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.changes import SetOffset, SupportRegions
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, Foothold, PartState, SupportState


def check_standing(state: BuildState) -> Iterator[Finding]:
    """Stops for what is not connected to the plate."""
    for carrier in state.own_supports:
        foothold = state.footholds[carrier.support.id]
        if foothold.unfounded:
            yield _loose_support(state, carrier, list(foothold.unfounded), foothold.pieces)
    for part in state.subjects:
        foothold = state.footholds[part.part.id]
        if not foothold.stands:
            yield _loose_part(state, part, foothold)
        elif foothold.loose:
            yield _loose_piece(part, list(foothold.loose), foothold.pieces)


def _loose_support(state: BuildState, carrier: SupportState, loose: list[Floats], count: int) -> Finding:
    place = min(loose, key=lambda at: float(at[2]))
    counted = carrier.structure.counted
    one = len(loose) == count == 1
    what = f"its {counted.one} begins" if one else f"{len(loose)} of {count} pieces of its {counted.several} begin"
    return Finding(
        "in_the_air", "stop", state.name_of(carrier.support.part_id),
        f"{what} {place[2]:.2f} mm above the plate, with nothing below",
        cause="a support is built from its lowest layer up and needs the plate, a part or a support below",
        at_mm=tuple(place.tolist()), value=float(place[2]), limit=state.job.layer_height, unit="mm",
        part_id=carrier.support.part_id, support_id=carrier.support.id,
        cures=(Cure("Open its support", about="supports"),),
    )  # fmt: skip


def _loose_piece(part: PartState, loose: list[Floats], count: int) -> Finding:
    place = min(loose, key=lambda at: float(at[2]))
    what = "one piece" if len(loose) == 1 else f"{len(loose)} pieces"
    return Finding(
        "in_the_air", "stop", part.part.name,
        f"{what} of its {count} {'is' if len(loose) == 1 else 'are'} connected to nothing, the lowest at "
        f"{place[2]:.2f} mm above the plate",
        cause="it is not joined to the rest, stands on nothing and no support that stands holds it",
        at_mm=tuple(place.tolist()), value=float(place[2]), unit="mm", part_id=part.part.id,
        cures=(Cure("Support all its regions", SupportRegions(part.part.id)),),
    )  # fmt: skip


def _loose_part(state: BuildState, part: PartState, foothold: Foothold) -> Finding:
    mesh = part.overhangs.mesh
    place = mesh.vertices[int(mesh.vertices[:, 2].argmin())]
    height = float(place[2])
    if foothold.hangs_on_supports:
        why, cause = "its supports do not reach the plate", "its supports stand on the part alone"
    else:
        why, cause = "nothing is below it", "it has a build offset but no supports"
    support = Cure("Support all its regions", SupportRegions(part.part.id))
    lower = Cure("Lower it to the plate", SetOffset(part.part.id, 0.0))
    return Finding(
        "in_the_air", "stop", part.part.name,
        f"its lowest point is {height:.2f} mm above the plate and {why}",
        cause=cause,
        at_mm=tuple(place.tolist()), value=height, limit=state.job.layer_height, unit="mm", part_id=part.part.id,
        cures=(lower,) if foothold.hangs_on_supports else (support, lower),
    )  # fmt: skip

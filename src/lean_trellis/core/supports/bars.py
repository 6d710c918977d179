"""From a target and parameters to bars: hold points, ways, struts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bar_parameters import BarParameters, require_self_holding
from lean_trellis.core.supports.hold_points import find_hold_points
from lean_trellis.core.supports.obstacle import Ground, Obstacle
from lean_trellis.core.supports.route import Ways, find_ways
from lean_trellis.core.supports.struts import ON_PART, RINGS, Bars


@dataclass(frozen=True, eq=False)
class BarRequest:
    """All that the bars of one support follow from.

    `chosen` are places in `overhangs.regions`; `obstacles` every part the bars could meet, their own included.
    """

    topology: Topology
    overhangs: Overhangs
    chosen: tuple[int, ...]
    parameters: BarParameters
    layer_height: float
    obstacles: tuple[Obstacle, ...]
    ground: Ground | None = None
    protected: np.ndarray | None = None
    """(m,): 1 for faces of the own part that nothing may touch, 2 for those that are touched only where it must be."""


def generate_bars(request: BarRequest, watch: Watch = UNWATCHED) -> Bars:
    """The bars of one support. The same request gives the same bars.

    Raises `ParameterError` when tips at the lean limit would not hold themselves, `Cancelled` when asked.
    """
    parameters = request.parameters
    require_self_holding(parameters, request.overhangs.critical_angle)
    watch.at(0.05, "placing hold points")
    holds = find_hold_points(request.topology, request.overhangs, request.chosen, parameters, request.protected)
    watch.at(0.25, f"finding ways for {len(holds):,} bars")
    limit = np.inf if parameters.height_limit is None else parameters.height_limit
    bare = holds.places[:, 2] > limit
    bare_holds = holds.places[bare]
    holds = type(holds)(holds.places[~bare], holds.normals[~bare], holds.regions[~bare])
    ways = find_ways(holds, parameters, request.layer_height, list(request.obstacles), request.ground, watch)
    there = ways.faults == 0
    centres, radii = _rings(ways, parameters, request.layer_height)
    return Bars(
        sides=parameters.sides,
        centres=frozen(centres[there]),
        radii=frozen(radii[there]),
        holds=frozen(holds.places[there]),
        landings=frozen(ways.landings[there]),
        regions=frozen(holds.regions[there]),
        missed_holds=frozen(holds.places[~there]),
        missed_reasons=frozen(ways.faults[~there]),
        missed_regions=frozen(holds.regions[~there]),
        bare_holds=frozen(bare_holds),
    )


def _rings(ways: Ways, parameters: BarParameters, layer_height: float) -> tuple[Floats, Floats]:
    """(n, 6, 3) centres and (n, 6) radii from the lower end to the tip's end."""
    count = len(ways.faults)
    shaft, tip = parameters.shaft_diameter / 2, parameters.tip_diameter / 2
    on_part = ways.landings == ON_PART
    height = np.where(on_part, ways.tip_bases[:, 2], 2 * ways.bends[:, 2]) - ways.bottoms[:, 2]
    height = np.minimum(height, (ways.tip_bases - ways.bottoms)[:, 2])
    lower_end, lower_top = ways.bottoms.copy(), ways.bottoms.copy()
    sunk = parameters.bite_depth if parameters.contact == "bite" else -parameters.gap_layers * layer_height
    lower_end[:, 2] -= np.where(on_part, sunk, 0)
    foot = np.minimum(parameters.foot_height, 0.45 * height)
    lower_tip = np.minimum(parameters.tip_length, 0.45 * height)
    lower_top[:, 2] += np.where(on_part, lower_tip, foot)
    bends = ways.bends.copy()
    straight = (np.abs(ways.bends[:, :2] - ways.bottoms[:, :2]) < 1e-9).all(axis=1) & (
        np.abs(ways.tip_bases[:, :2] - ways.bottoms[:, :2]) < 1e-9
    ).all(axis=1)
    bends[straight, 2] = (lower_top[straight, 2] + ways.tip_bases[straight, 2]) / 2
    centres = np.stack([lower_end, lower_top, bends, ways.tip_bases, ways.necks, ways.tip_ends], axis=1)
    radii = np.empty((count, RINGS))
    radii[:, 0] = np.where(on_part, tip, ways.foot_radii)
    radii[:, 1:4] = shaft
    radii[:, 4] = radii[:, 5] = tip
    return centres, radii

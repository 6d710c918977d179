"""The families of panels: lattices, and walls along a line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from lean_trellis.core.progress import Watch
from lean_trellis.core.supports.common.parameters import require_shallow
from lean_trellis.core.supports.common.plain import figures_by_contact, follows_nothing
from lean_trellis.core.supports.common.spec import FamilySpec, Surroundings, register, spec_of
from lean_trellis.core.supports.common.support import Support
from lean_trellis.core.supports.panels.faults import panel_faults
from lean_trellis.core.supports.panels.grips import grips_of_panels
from lean_trellis.core.supports.panels.lattice import LatticeRequest, generate_lattice
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.parameters import LatticeParameters, PanelParameters, WallParameters
from lean_trellis.core.supports.panels.report import (
    drawn_walls,
    exported_walls,
    footprint_of_walls,
    left_out_in_words,
    shadow_of_walls,
    wall_figures,
    walls_in_words,
)
from lean_trellis.core.supports.panels.wall import WallRequest, generate_wall


def _lattice(request: LatticeRequest, known: Any, watch: Watch) -> Panels:
    return generate_lattice(request, watch)


def _wall(request: WallRequest, known: Any, watch: Watch) -> Panels:
    return generate_wall(request, watch)


def _required(parameters: PanelParameters, critical_angle: float, part_height: float) -> None:
    require_shallow(parameters, ("bite_depth", "lower_bite_depth"), part_height)


def _reach(support: Support, around: Surroundings) -> float:
    """Walls stay under their part, but for those that were drawn or extended by hand, and half their thickness."""
    parameters = support.parameters
    assert isinstance(parameters, PanelParameters)
    size = float(np.linalg.norm(around.bounds[1] - around.bounds[0])) / 2
    drawn = [np.linalg.norm(place) for line in support.hand.paths for place in line.places]
    further = max([0.0, *(float(far) for far in drawn if far > size)])
    led_on = sum(entry.by for entry in support.hand.extended)
    return further + led_on + parameters.thickness + parameters.cut_width


def _follows(support: Support, others: Sequence[Support]) -> tuple[Support, ...]:
    """The bars of the same part, where it keeps clear of them."""
    parameters = support.parameters
    if not isinstance(parameters, PanelParameters) or parameters.trim == "none":
        return ()
    return tuple(other for other in others if other.part_id == support.part_id and spec_of(other).gets_room)


LATTICE: FamilySpec[LatticeParameters, Panels] = FamilySpec(
    title="Lattice",
    model=LatticeParameters,
    structure=Panels,
    region_kinds=("face",),
    is_ground=False,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_lattice,
    require=_required,
    reach_mm=_reach,
    follows=_follows,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_walls,
    footprint=footprint_of_walls,
    solid=lambda walls: walls.solid_mesh,
    drawn=drawn_walls,
    export=exported_walls,
    figures=wall_figures,
    words=walls_in_words,
    trouble=left_out_in_words,
    grips=grips_of_panels,
    faults=panel_faults,
    loads=figures_by_contact,
)
WALL: FamilySpec[WallParameters, Panels] = FamilySpec(
    title="Wall along a line",
    model=WallParameters,
    structure=Panels,
    region_kinds=("edge", "face"),
    is_ground=False,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_wall,
    require=_required,
    reach_mm=_reach,
    follows=_follows,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_walls,
    footprint=footprint_of_walls,
    solid=lambda walls: walls.solid_mesh,
    drawn=drawn_walls,
    export=exported_walls,
    figures=wall_figures,
    words=walls_in_words,
    trouble=left_out_in_words,
    grips=grips_of_panels,
    faults=panel_faults,
    loads=figures_by_contact,
)
register(LATTICE)
register(WALL)

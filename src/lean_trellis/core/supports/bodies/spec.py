"""The families of solid bodies: rafts, blocks, cradles, flank walls."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from lean_trellis.core.progress import Watch
from lean_trellis.core.strength.push import side_push
from lean_trellis.core.supports.bodies import faults, report
from lean_trellis.core.supports.bodies.block import Block, BlockRequest, generate_block
from lean_trellis.core.supports.bodies.cradle import Cradle, CradleRequest, generate_cradle
from lean_trellis.core.supports.bodies.flank import FlankRequest, FlankWall, generate_flank, widest
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters
from lean_trellis.core.supports.bodies.grips import grips_of_bodies, grips_of_cradle, grips_of_flank
from lean_trellis.core.supports.bodies.parameters import BlockParameters, CradleParameters, RaftParameters
from lean_trellis.core.supports.bodies.raft import Raft, generate_raft
from lean_trellis.core.supports.bodies.tag import Tag, TagParameters, generate_tag
from lean_trellis.core.supports.common.outlines import shadow
from lean_trellis.core.supports.common.parameters import FamilyParameters, require_shallow
from lean_trellis.core.supports.common.plain import (
    figures_by_contact,
    follows_nothing,
    footprint_of_mesh,
    mesh_itself,
    shadow_of_mesh,
)  # fmt: skip
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.spec import FamilySpec, Surroundings, register, spec_of
from lean_trellis.core.supports.common.support import Support


def _raft(request: Request[RaftParameters], known: Any, watch: Watch) -> Raft:
    watch.at(0.8, "drawing the raft")
    shadows = [*(part.shadow for part in request.carried), *request.followed]
    overhangs = [part.overhangs for part in request.carried]
    return generate_raft(request.parameters, shadows, overhangs, request.layer_height)


def _block(request: BlockRequest, known: Any, watch: Watch) -> Block:
    return generate_block(request, request.body, watch)


def _cradle(request: CradleRequest, known: Any, watch: Watch) -> Cradle:
    return generate_cradle(request, watch)


def _flank(request: FlankRequest, known: Any, watch: Watch) -> FlankWall:
    return generate_flank(request, side_push(request.constants), watch)


def _tag(request: Request[TagParameters], known: Any, watch: Watch) -> Tag:
    watch.at(0.5, "writing the tag")
    return generate_tag(request.parameters, request.number, request.others, shadow(request.obstacles[0].placed))


def _anything(parameters: FamilyParameters, critical_angle: float, part_height: float) -> None:
    """Nothing that it has contradicts the material or the part."""


def _what_stands_on_it(raft: Support, others: Sequence[Support]) -> tuple[Support, ...]:
    above = [other for other in others if other.part_id in raft.parts]
    return tuple(other for other in above if not (spec_of(other).is_ground or spec_of(other).joins))


def _what_a_tag_joins(tag: Support, others: Sequence[Support]) -> tuple[Support, ...]:
    """Rafts first, then what else the part stands on."""
    mine = [other for other in others if tag.part_id in other.parts and not spec_of(other).joins]
    return tuple(sorted(mine, key=lambda other: not spec_of(other).is_ground))


def _raft_reach(support: Support, around: Surroundings) -> float:
    """Rafts go under whatever stands there and keep clear of nothing."""
    return 0.0


def _block_reach(support: Support, around: Surroundings) -> float:
    """From the part's middle to its far corner, and what it keeps clear of beyond."""
    p = support.parameters
    assert isinstance(p, BlockParameters)
    return float(np.hypot(p.place_x, p.place_y) + np.hypot(p.size_x, p.size_y) / 2 + p.trim_clearance)


def _cradle_reach(support: Support, around: Surroundings) -> float:
    p = support.parameters
    assert isinstance(p, CradleParameters)
    grid = [((count or 0) - 1) * p.post_pitch / 2 for count in (p.rows, p.columns)]
    return max(0.0, *grid) + 2 * max(p.post_diameter, p.post_tip)


def _flank_reach(support: Support, around: Surroundings) -> float:
    p = support.parameters
    assert isinstance(p, FlankParameters)
    return p.standoff + p.wall_thickness + widest(p, around.bounds, side_push(around.constants))


def _tag_reach(support: Support, around: Surroundings) -> float:
    """As wide as its letters may be, on either side."""
    p = support.parameters
    assert isinstance(p, TagParameters)
    return (len(p.text) + 4) * p.letter_height + 2 * p.rim


RAFT: FamilySpec[RaftParameters, Raft] = FamilySpec(
    title="Raft",
    model=RaftParameters,
    structure=Raft,
    region_kinds=(),
    is_ground=True,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_raft,
    require=_anything,
    reach_mm=_raft_reach,
    follows=_what_stands_on_it,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=report.drawn_bodies,
    export=report.exported_bodies,
    figures=report.raft_figures,
    words=report.raft_in_words,
    trouble=report.raft_trouble,
    grips=grips_of_bodies,
    faults=faults.raft_faults,
    loads=figures_by_contact,
)
BLOCK: FamilySpec[BlockParameters, Block] = FamilySpec(
    title="Block",
    model=BlockParameters,
    structure=Block,
    region_kinds=(),
    is_ground=False,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_block,
    require=_anything,
    reach_mm=_block_reach,
    follows=follows_nothing,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=report.drawn_bodies,
    export=report.exported_bodies,
    figures=report.block_figures,
    words=report.block_in_words,
    trouble=lambda _: "",
    grips=grips_of_bodies,
    faults=faults.block_faults,
    loads=figures_by_contact,
)
CRADLE: FamilySpec[CradleParameters, Cradle] = FamilySpec(
    title="Cradle",
    model=CradleParameters,
    structure=Cradle,
    region_kinds=(),
    is_ground=False,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_cradle,
    require=lambda p, critical, height: require_shallow(p, ("seat_depth",), height),
    reach_mm=_cradle_reach,
    follows=follows_nothing,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=report.drawn_bodies,
    export=report.exported_bodies,
    figures=report.cradle_figures,
    words=report.cradle_in_words,
    trouble=lambda _: "",
    grips=grips_of_cradle,
    faults=faults.cradle_faults,
    loads=figures_by_contact,
)
FLANK: FamilySpec[FlankParameters, FlankWall] = FamilySpec(
    title="Flank wall",
    model=FlankParameters,
    structure=FlankWall,
    region_kinds=(),
    is_ground=False,
    joins=False,
    gets_room=False,
    first_step=None,
    generate=_flank,
    require=lambda p, critical, height: require_shallow(p, ("tie_bite",), height),
    reach_mm=_flank_reach,
    follows=follows_nothing,
    keeps_clear_of=follows_nothing,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=report.drawn_bodies,
    export=report.exported_bodies,
    figures=report.flank_figures,
    words=report.flank_in_words,
    trouble=lambda _: "",
    grips=grips_of_flank,
    faults=faults.flank_faults,
    loads=figures_by_contact,
)
TAG: FamilySpec[TagParameters, Tag] = FamilySpec(
    title="Tag",
    model=TagParameters,
    structure=Tag,
    region_kinds=(),
    is_ground=False,
    joins=True,
    gets_room=False,
    first_step=None,
    generate=_tag,
    require=_anything,
    reach_mm=_tag_reach,
    follows=follows_nothing,
    keeps_clear_of=_what_a_tag_joins,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=report.drawn_bodies,
    export=report.exported_bodies,
    figures=report.tag_figures,
    words=report.tag_in_words,
    trouble=report.tag_trouble,
    grips=grips_of_bodies,
    faults=faults.tag_faults,
    loads=figures_by_contact,
)
for _spec in (RAFT, BLOCK, CRADLE, FLANK, TAG):
    register(_spec)

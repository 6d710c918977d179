"""Rafts, blocks, cradles, flank walls and tags in the window."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF

from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports import BLOCK, CRADLE, FLANK, RAFT, TAG
from lean_trellis.core.supports.bodies.flank import FlankWall
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters
from lean_trellis.core.supports.bodies.parameters import BlockParameters
from lean_trellis.core.supports.bodies.raft import Raft
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support
from lean_trellis.studio.families.block_tools import BlockTools
from lean_trellis.studio.families.body_sketches import BlockSketch, CradleSketch, RaftSketch
from lean_trellis.studio.families.cradle_tools import CradleTools
from lean_trellis.studio.families.flank_tools import FlankTools
from lean_trellis.studio.families.panel_sketches import FlankSide
from lean_trellis.studio.families.raft_tools import RaftTools
from lean_trellis.studio.families.tag_sketch import TagSketch
from lean_trellis.studio.families.tag_tools import TagTools
from lean_trellis.studio.family_tools import no_grips
from lean_trellis.studio.forms.drawing import Drawing
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.looks import FamilyLook, Sketching, register_look
from lean_trellis.studio.shown import ShownStructure
from lean_trellis.studio.underside.map_sheet import SolidSheet, add_shape, cover


def _drawn_by(drawing: type[Drawing]) -> Callable[[Sketching], None]:
    def sketch(on: Sketching) -> None:
        drawing(on.painter, on.area, on.tokens, on.values, on.key).draw()

    return sketch


def _raft_on_map(sheet: SolidSheet, shown: ShownStructure) -> None:
    raft = shown.made
    assert isinstance(raft, Raft)
    add_shape(sheet.covers, raft.shape)
    for hole in raft.holes:
        words = "closed" if hole.is_closed else f"closes at {hole.closes_at:.2f} mm"
        sheet.holes.append((QPointF(*hole.place), words, hole.is_closed))


def _block_grips(support: Support, made: Structure, part: Part) -> list[Pull]:
    """The middle and a corner."""
    p = support.parameters
    assert isinstance(p, BlockParameters)
    x, y = (part.bounds().mean(axis=0)[:2] + [p.place_x, p.place_y]).tolist()
    turn = np.radians(p.turn)
    spun = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    aside, along = (spun @ [p.size_x / 2, p.size_y / 2]).tolist()
    return [
        Pull(support.id, 0, "block", (x, y, 0.0)),
        Pull(support.id, 1, "block", (x + aside, y + along, 0.0)),
    ]


def _flank_grips(support: Support, made: Structure, part: Part) -> list[Pull]:
    """Both ends, where it does not go once round."""
    p = support.parameters
    assert isinstance(p, FlankParameters)
    if not isinstance(made, FlankWall) or len(made.path) < 2 or p.along_length is None:
        return []
    ends = [made.path[0].tolist(), made.path[-1].tolist()]
    return [Pull(support.id, number, "flank", (x, y, 0.0)) for number, (x, y) in enumerate(ends)]


RAFT_LOOK = FamilyLook(
    spec=RAFT,
    colour=lambda tokens: tokens.slate,
    sketch=_drawn_by(RaftSketch),
    on_map=_raft_on_map,
    grips=no_grips,
    tools=RaftTools,
)
BLOCK_LOOK = FamilyLook(
    spec=BLOCK,
    colour=lambda tokens: tokens.slate,
    sketch=_drawn_by(BlockSketch),
    on_map=cover,
    grips=_block_grips,
    tools=BlockTools,
)
CRADLE_LOOK = FamilyLook(
    spec=CRADLE,
    colour=lambda tokens: tokens.slate,
    sketch=_drawn_by(CradleSketch),
    on_map=cover,
    grips=no_grips,
    tools=CradleTools,
)
FLANK_LOOK = FamilyLook(
    spec=FLANK,
    colour=lambda tokens: tokens.heather,
    sketch=_drawn_by(FlankSide),
    on_map=cover,
    grips=_flank_grips,
    tools=FlankTools,
)
TAG_LOOK = FamilyLook(
    spec=TAG,
    colour=lambda tokens: tokens.slate,
    sketch=_drawn_by(TagSketch),
    on_map=cover,
    grips=no_grips,
    tools=TagTools,
)
for _look in (RAFT_LOOK, BLOCK_LOOK, CRADLE_LOOK, FLANK_LOOK, TAG_LOOK):
    register_look(_look)

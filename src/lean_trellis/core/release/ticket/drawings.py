"""The drawings of a ticket: plan from above and from below with numbered parts, elevations, layers of most danger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.body_layers import BodyLayers
from lean_trellis.core.release.ticket.contents import Dot, Place2, Ring, TicketDrawing, Words
from lean_trellis.core.shop.machine import Machine

PLATE, PLATE_LINE, ZONE = "#F5F2EA", "#6C756E", "#D8D2C2"
SUPPORT, CONTACT, INK, DANGER = "#D9B08C", "#B5652B", "#22302B", "#9B2C3F"
TINTS = ("#A9BFB2", "#C9BBA0", "#B3B6C6", "#CDB4AC", "#BDBFA6", "#ABBAC4")
_COARSE = 0.0015
"""Outlines are drawn with corners no nearer to each other than this share of the drawing."""
_NUMBER_SHARE = 0.028
_ROUND_CORNERS = 96


@dataclass(frozen=True, eq=False)
class DrawnPart:
    """A part as it is drawn: its number, its tint, its shape in plan, its silhouettes, its contacts (n, 3)."""

    number: int
    tint: str
    shape: Any
    support_shapes: tuple[Any, ...]
    contacts: Floats
    front: tuple[tuple[Place2, ...], ...]
    side: tuple[tuple[Place2, ...], ...]


def plan(machine: Machine, parts: Sequence[DrawnPart], length: float, *, from_below: bool) -> TicketDrawing:
    """The plate with all parts; from below it is mirrored, and shows where supports touch. `length` mm of a belt."""
    width, depth = machine.plate.width, length
    flip = np.array([-1.0, 1.0]) if from_below else np.ones(2)
    shift = np.array([width, 0.0]) if from_below else np.zeros(2)
    areas = [Ring(rings=_moved(_plate(machine, length), flip, shift), fill=PLATE, line=PLATE_LINE)]
    for zone in machine.zones:
        box = shapely.box(zone.x, zone.y, zone.x + zone.width, zone.y + zone.depth)
        areas.append(Ring(rings=_moved(box, flip, shift), fill=ZONE, line=PLATE_LINE, width=0.15))
    dots: list[Dot] = []
    for part in parts:
        shapes = [(shape, SUPPORT) for shape in part.support_shapes]
        shapes = [(part.shape, part.tint), *shapes] if from_below else [*shapes, (part.shape, part.tint)]
        for shape, fill in shapes:
            rings = _moved(shape, flip, shift, coarse=_COARSE * max(width, depth))
            if rings:
                areas.append(Ring(rings=rings, fill=fill, line=INK, width=0.15))
        if from_below:
            dots += [Dot(at=_place(place * flip + shift), radius=0.5, fill=CONTACT)
                     for place in part.contacts[:, :2]]  # fmt: skip
    size = _NUMBER_SHARE * max(width, depth)
    words = [Words(at=_place(_middle(part.shape) * flip + shift), text=str(part.number), size=size) for part in parts]
    words.append(Words(at=_place(np.array([width / 2, -0.7 * size])), text="front", size=0.7 * size, color=PLATE_LINE))
    title = "Plan from below, with contacts" if from_below else "Plan from above"
    return TicketDrawing(title=title, low=(0.0, round(-1.4 * size, 3)), high=(width, depth), areas=tuple(areas),
                   dots=tuple(dots), words=tuple(words))  # fmt: skip


def elevation(
    machine: Machine, parts: Sequence[DrawnPart], length: float, top: float, *, from_side: bool
) -> TicketDrawing:
    """The build as seen from the front, or from the right."""
    width = length if from_side else machine.plate.width
    size = _NUMBER_SHARE * max(width, top)
    ground = shapely.box(0.0, -0.4 * size, width, 0.0)
    areas = [Ring(rings=_moved(ground, np.ones(2), np.zeros(2)), fill=ZONE, line=PLATE_LINE, width=0.15)]
    words = []
    for part in parts:
        outlines = part.side if from_side else part.front
        for outline in outlines:
            areas.append(Ring(rings=(outline,), fill=part.tint, line=INK, width=0.15))
        if outlines:
            highest = max((place for outline in outlines for place in outline), key=lambda place: place[1])
            words.append(Words(at=(highest[0], round(highest[1] + 0.6 * size, 3)), text=str(part.number), size=size))
    title = "From the right" if from_side else "From the front"
    return TicketDrawing(title=title, low=(0.0, round(-0.5 * size, 3)), high=(width, round(top + 1.8 * size, 3)),
                   areas=tuple(areas), words=tuple(words))  # fmt: skip


def danger_layer(
    machine: Machine,
    length: float,
    title: str,
    rings: Sequence[tuple[tuple[Floats, ...], str]],
    number: tuple[int, Place2],
) -> TicketDrawing:
    """One layer as it is built: outlines by their fill, and the number of the part that is nearest to failing."""
    areas = [Ring(rings=_moved(_plate(machine, length), np.ones(2), np.zeros(2)), fill=PLATE, line=PLATE_LINE)]
    coarse = _COARSE * max(machine.plate.width, length)
    for outlines, fill in rings:
        drawn = tuple(ring for ring in (_ring(outline, coarse) for outline in outlines) if len(ring) > 2)
        if drawn:
            areas.append(Ring(rings=drawn, fill=fill, line=INK, width=0.15))
    size = _NUMBER_SHARE * max(machine.plate.width, length)
    words = (Words(at=_place(np.array(number[1])), text=str(number[0]), size=1.4 * size, color=DANGER),)
    return TicketDrawing(
        title=title, low=(0.0, 0.0), high=(machine.plate.width, length), areas=tuple(areas), words=words
    )


def silhouette(layers: BodyLayers, axis: int, most: int = 120) -> tuple[tuple[Place2, ...], ...]:
    """What layers cover as seen along a way square to `axis` (0: x, 1: y): one outline a run of layers without gap."""
    filled = layers.filled
    if not len(filled):
        return ()
    lows, highs, heights = [], [], []
    wanted = np.unique(np.linspace(0, len(layers.heights) - 1, most).astype(np.int64))
    for level in wanted.tolist():
        rings = filled.of_level(level)
        if rings:
            along = np.concatenate([ring[:, axis] for ring in rings])
            lows.append(float(along.min()))
            highs.append(float(along.max()))
            heights.append(float(layers.heights[level]))
    if not heights:
        return ()
    left = list(zip(lows, heights, strict=True))
    right = list(zip(highs, heights, strict=True))
    outline = [*left, *reversed(right)]
    return (tuple((round(x, 2), round(z, 2)) for x, z in outline),)


def _plate(machine: Machine, length: float) -> Any:
    if machine.plate.shape == "round":
        return shapely.Point(*machine.plate.middle).buffer(machine.plate.width / 2, quad_segs=_ROUND_CORNERS // 4)
    return shapely.box(0.0, 0.0, machine.plate.width, length)


def _moved(shape: Any, flip: Floats, shift: Floats, coarse: float = 0.0) -> tuple[tuple[Place2, ...], ...]:
    """The rings of a shapely shape, mirrored and shifted."""
    drawn = shapely.simplify(shape, coarse) if coarse else shape
    rings = []
    for piece in shapely.get_parts(drawn):
        if piece.geom_type == "Polygon" and not piece.is_empty:
            rings += [np.asarray(ring.coords)[:-1, :2] for ring in (piece.exterior, *piece.interiors)]
    return tuple(tuple(_place(place) for place in ring * flip + shift) for ring in rings)


def _ring(outline: Floats, coarse: float) -> tuple[Place2, ...]:
    if len(outline) < 3:
        return ()
    simple = shapely.get_coordinates(shapely.simplify(shapely.linearrings(outline), coarse))[:-1]
    return tuple(_place(place) for place in simple)


def _middle(shape: Any) -> Floats:
    if shape.is_empty:
        return np.zeros(2)
    point = shapely.point_on_surface(shape)
    return np.array([point.x, point.y])


def _place(place: Floats) -> Place2:
    x, y = np.round(place, 2).tolist()
    return x + 0.0, y + 0.0

"""Requests to the worker while bars are edited by hand: places on the surface, the way a bar would take."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.patch import smooth_patch
from lean_trellis.core.mesh.sampling import spaced_along
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import Watch
from lean_trellis.core.supports import Bars, Support, generate_bars
from lean_trellis.core.supports.bars.offer import TreeOffer, tree_offer
from lean_trellis.core.supports.bars.parameters import bar_parameters
from lean_trellis.core.supports.bars.struts import NO_WAY_WORDS
from lean_trellis.core.supports.bodies.flank import outline_of
from lean_trellis.core.supports.common.support import HandBar, HandWork
from lean_trellis.studio.face_requests import Place, met_from_below

_REACH_MM = 0.4
_LOOKS_DOWN = -0.02
_LEAST_STRETCH_MM = 1.0


@dataclass(frozen=True, eq=False)
class Placed:
    """Places (k, 3) on the plate's frame that a bar may touch, and how many were none.

    `on_any_slope`: nothing needs holding at one of them or more.
    """

    places: Floats
    refused: int
    on_any_slope: bool


@dataclass(frozen=True)
class HandPlaces:
    """The places meant by a click or a stroke: on the plate's frame with the face there.

    A face of -1 means what is first met from straight below. With a `spacing` the stroke is followed and places lie so
    far apart along it.
    """

    part: Part
    job: Job
    stroke: tuple[tuple[int, Place], ...]
    spacing: float | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> Placed:
        """Those on undersides."""
        watch.at(0.2, "looking for the surface")
        part = self.part
        asked = np.array([place for _, place in self.stroke])
        from_map = self.stroke[0][0] < 0
        if self.spacing is not None:
            asked = spaced_along(asked, self.spacing)
        starts = asked * [1, 1, 0] - [0, 0, 1] if from_map else asked - [0, 0, _REACH_MM]
        own, faces = met_from_below(pipeline, part, starts)
        places = part.pose.to_plate(part.mesh, own)
        if not from_map:
            near = (faces >= 0) & (places[:, 2] - starts[:, 2] <= 2 * _REACH_MM)
            known = np.array([face for face, _ in self.stroke])
            if len(known) == len(asked):  # too steep for a tip from below: as it was clicked
                faces = np.where(near, faces, known)
            places = np.where(near[:, None], places, asked)
        overhangs = pipeline.overhangs(part, self.job)
        looks_down = (faces >= 0) & (overhangs.mesh.normals[np.maximum(faces, 0), 2] < _LOOKS_DOWN)
        kept = np.maximum(faces, 0)[looks_down]
        needs = overhangs.critical[kept] | (overhangs.region_of_face[kept] >= 0)
        return Placed(places[looks_down], int((~looks_down).sum()), not bool(needs.all()))


@dataclass(frozen=True, eq=False)
class Way:
    """The one bar that would be, or none and why."""

    bars: Bars
    words: str


@dataclass(frozen=True)
class PreviewWay:
    """The way of a bar by hand before it is one. `places` is where it touches the part, with the face there."""

    job: Job
    support: Support
    stroke: tuple[tuple[int, Place], ...]
    foot: tuple[float, float] | None = None
    bend: Place | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> Way:
        """The bar, alone: with no others to join or to share a foot with."""
        part = self.job.part(self.support.part_id)
        placed = HandPlaces(part, self.job, self.stroke).answer(pipeline, watch)
        plain = bar_parameters(self.support).model_copy(update={"join": "off", "group_span": 0.0, "brace": "none"})
        hand = HandWork()
        if len(placed.places):
            hold = placed.places[0]
            x, y, z = part.pose.to_part(part.mesh, hold[None])[0].tolist()
            foot = None if self.foot is None else (float(self.foot[0] - hold[0]), float(self.foot[1] - hold[1]))
            bend = None if self.bend is None else tuple((np.array(self.bend) - hold).tolist())
            hand = HandWork((HandBar((x, y, z), foot=foot, bend=bend, on_any_slope=True),))
        alone = replace(self.support, target=(), parameters=plain, hand=hand)
        # Not kept: the pointer goes on, and what is kept of it would push out what is wanted longer.
        bars = generate_bars(pipeline.request(alone, self.job), watch)
        if not len(placed.places):
            return Way(bars, "no underside there")
        if bars.unkept.reasons:
            return Way(bars, bars.unkept.reasons[0])
        if not len(bars):
            return Way(
                bars, NO_WAY_WORDS.get(int(bars.missed.reasons[0]), "no way") if len(bars.missed.reasons) else ""
            )
        return Way(bars, f"{bars.lengths_mm[0]:.1f} mm long, leans {bars.leans_deg[0]:.0f}°")


@dataclass(frozen=True)
class OfferTrees:
    """What would become of the bars of a support if they joined."""

    job: Job
    support: Support

    def answer(self, pipeline: Pipeline, watch: Watch) -> TreeOffer:
        """Both volumes."""
        alone = pipeline.bars(self.support, self.job, watch)
        return tree_offer(pipeline.request(self.support, self.job), alone, watch)


@dataclass(frozen=True)
class BarsOnPatch:
    """The bars that touch the smooth patch round a clicked face, or of some faces."""

    part: Part
    job: Job
    support: Support
    stroke: tuple[int, Place]
    step_deg: float = 12.0

    def answer(self, pipeline: Pipeline, watch: Watch) -> Longs:
        """Their numbers."""
        watch.at(0.2, "looking for bars on the surface")
        part, (face, place) = self.part, self.stroke
        if face < 0:
            _, struck = met_from_below(pipeline, part, np.array([[place[0], place[1], -1.0]]))
            face = int(struck[0])
        bars = pipeline.bars(self.support, self.job, watch)
        if face < 0 or not len(bars):
            return np.zeros(0, np.int64)
        patch = np.zeros(len(part.mesh.faces), bool)
        patch[smooth_patch(pipeline.topology(part.mesh), face, step_deg=self.step_deg)] = True
        _, faces = met_from_below(pipeline, part, bars.holds - [0, 0, _REACH_MM])
        return np.flatnonzero((faces >= 0) & patch[faces])


@dataclass(frozen=True)
class StretchOfOutline:
    """The stretch of a part's outline between the places nearest to two, on the side that a third one lies on."""

    part: Part
    begin: tuple[float, float]
    end: tuple[float, float]
    towards: tuple[float, float] | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> dict[str, float]:
        """Where it begins and how long it is, as values of a flank wall."""
        watch.at(0.2, "following the outline")
        outline = outline_of(pipeline.placed(self.part)).exterior
        first, last = (float(outline.project(shapely.Point(place))) for place in (self.begin, self.end))
        length = (last - first) % outline.length
        if self.towards is not None:
            between = (float(outline.project(shapely.Point(self.towards))) - first) % outline.length
            if between > length:
                first, length = last, outline.length - length
        return {"along_start": round(first, 3), "along_length": max(round(length, 3), _LEAST_STRETCH_MM)}

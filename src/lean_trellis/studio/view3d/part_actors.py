"""Parts in the scene: their faces coloured by angle and selection, sharp edges, and hatch on protected surfaces."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.hatched import Hatch
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownPart, ShownRegions
from lean_trellis.studio.theme import Tokens, mixed, rgb
from lean_trellis.studio.view3d.actors import (
    as_bytes,
    colour_faces,
    drawn_over,
    line_actor,
    line_data,
    matrix_of,
    mesh_actor,
    mixed_bytes,
    poly_data,
)
from lean_trellis.studio.view3d.paint import dot, paint_angles, paint_regions

_EDGE_INK, _POINT_SHARE = 0.62, 0.008


@dataclass
class _PartEntry:
    """What shows one part; `look` and `hatched` are what the colours and the hatch were made from."""

    shown: ShownPart
    body: vtkActor
    data: vtkPolyData
    edges: vtkActor | None
    look: Any = None
    pose: Any = None
    hatched: Any = None
    hatch: list[vtkActor] = field(default_factory=list)
    low_of: Any = None
    low: list[vtkActor] = field(default_factory=list)

    def actors(self) -> list[vtkActor]:
        return [self.body, *([self.edges] if self.edges is not None else []), *self.hatch, *self.low]


class PartActors:
    """Keeps the actors of all parts in step with the session."""

    def __init__(self, renderer: vtkRenderer, session: Session, clip: Callable[[vtkActor], None]) -> None:
        self._renderer, self._session, self._clip = renderer, session, clip
        self._entries: dict[str, _PartEntry] = {}

    def update(self, tokens: Tokens, preview: tuple[float, float] | None, *, shows_angles: bool) -> None:
        """Show every part of the job as it is; `preview` are critical and watch angle while they are dragged."""
        job = self._session.job
        for part_id in set(self._entries) - {part.id for part in job.parts}:
            self._remove(part_id)
        for part in job.parts:
            shown = self._session.shown_part(part)
            if shown is None:
                continue
            entry = self._entry(part, shown, tokens)
            self._colour(part, entry, tokens, preview, shows_angles=shows_angles)
            self._hatch(part, entry, tokens)
            self._mark_low(part, entry, tokens, shows_angles=shows_angles)
            if entry.pose != part.pose:
                self._stand(entry, part, part.pose.shift(part.mesh))
                entry.pose = part.pose

    def show(self, is_shown: Callable[[str], bool]) -> None:
        """Show some parts and hide the others."""
        for part_id, entry in self._entries.items():
            for actor in entry.actors():
                actor.SetVisibility(is_shown(part_id))

    def shift(self, part: Part, dx: float, dy: float) -> None:
        """Show a part moved while it is dragged; the job is not changed."""
        entry = self._entries.get(part.id)
        if entry is not None:
            self._stand(entry, part, part.pose.shift(part.mesh) + [dx, dy, 0])
            entry.pose = None

    def actors(self) -> Iterator[vtkActor]:
        """All there are."""
        for entry in self._entries.values():
            yield from entry.actors()

    def body(self, part_id: str) -> vtkActor:
        """The actor of a part's faces."""
        return self._entries[part_id].body

    def hatch(self, part_id: str) -> tuple[vtkActor, ...]:
        """The hatch lines on a part's protected surfaces, an actor a level."""
        return tuple(self._entries[part_id].hatch)

    def low(self, part_id: str) -> tuple[vtkActor, ...]:
        """The actors of a part's low edges and points."""
        return tuple(self._entries[part_id].low)

    def part_of(self, actor: Any) -> str:
        """The part that an actor shows, or nothing."""
        return next((part_id for part_id, entry in self._entries.items() if entry.body is actor), "")

    def source_face(self, part_id: str, cell: int) -> int:
        """The face of the part's own mesh that a shown face stands for."""
        return int(self._entries[part_id].shown.shown.source[cell])

    def tint(self, part: Part, tokens: Tokens) -> str:
        """The earth tone of a part's owner."""
        owners = sorted({other.owner for other in self._session.job.parts})
        return tokens.part_tints[owners.index(part.owner) % len(tokens.part_tints)]

    # --- one part ---

    def _entry(self, part: Part, shown: ShownPart, tokens: Tokens) -> _PartEntry:
        entry = self._entries.get(part.id)
        if entry is not None and entry.shown is shown:
            return entry
        if entry is not None:
            self._remove(part.id)
        mesh = shown.shown
        data = poly_data(mesh.vertices, mesh.faces)
        body = mesh_actor(data, tokens.part_tints[0])
        body.GetMapper().SetScalarVisibility(True)
        edges = None
        if len(mesh.edges):
            edges = line_actor(line_data(mesh.edges[:, 0], mesh.edges[:, 1]), tokens.ink, 1)
            drawn_over(edges)
        entry = self._entries[part.id] = _PartEntry(shown, body, data, edges)
        self._add(entry.actors())
        return entry

    def _add(self, actors: list[vtkActor]) -> None:
        for actor in actors:
            self._clip(actor)
            self._renderer.AddActor(actor)

    def _remove(self, part_id: str) -> None:
        for actor in self._entries.pop(part_id).actors():
            self._renderer.RemoveActor(actor)

    def _stand(self, entry: _PartEntry, part: Part, shift: Floats) -> None:
        matrix = matrix_of(part.pose.matrix, shift)
        for actor in entry.actors():
            actor.SetUserMatrix(matrix)

    def _colour(
        self, part: Part, entry: _PartEntry, tokens: Tokens, preview: tuple[float, float] | None, *, shows_angles: bool
    ) -> None:
        """Faces by angle and region, or in the owner's tone; what is selected in ivy."""
        session = self._session
        regions = session.regions(part) if shows_angles else None
        selection = session.selection
        selected = selection.regions if part.id == selection.part else frozenset()
        is_current = part.id in selection.parts
        angles = (session.job.critical_angle(part), session.job.watch_angle(part))
        preview = preview if is_current else None
        faces = selection.faces if part.id == selection.part else None
        tint = self.tint(part, tokens)
        look = (tint, id(regions), selected, is_current, angles, tokens, id(faces), preview)
        if entry.look == look:
            return
        entry.look = look
        base = as_bytes(tint)
        if is_current and not shows_angles:
            base = mixed_bytes(base, as_bytes(tokens.ivy), 0.38)
        colours = np.tile(base, (len(entry.shown.shown.faces), 1)).astype(np.uint8)
        if regions is not None and preview is not None:
            paint_angles(colours, regions, preview, tokens)
        elif regions is not None:
            paint_regions(colours, regions, selected, angles, tokens)
        if faces is not None:
            chosen = np.isin(entry.shown.shown.source, faces.faces)
            colours[chosen] = mixed_bytes(as_bytes(tokens.ivy), as_bytes(tokens.card), 0.25)
        colour_faces(entry.data, colours)
        if entry.edges is not None:
            entry.edges.GetProperty().SetColor(*rgb(mixed(tint, tokens.ink, _EDGE_INK)))

    def _hatch(self, part: Part, entry: _PartEntry, tokens: Tokens) -> None:
        """Protected surfaces as hatch lines: one way for keep off, the other for avoid."""
        hatch = self._session.hatch(part)
        if entry.hatched == (hatch, tokens):
            return
        for actor in entry.hatch:
            self._renderer.RemoveActor(actor)
        entry.hatched, entry.pose = (hatch, tokens), None
        entry.hatch = [] if hatch is None else _hatch_actors(hatch, tokens)
        self._add(entry.hatch)

    def _mark_low(self, part: Part, entry: _PartEntry, tokens: Tokens, *, shows_angles: bool) -> None:
        """Low edges as thick lines and low points as dots, while regions are shown."""
        regions = self._session.regions(part) if shows_angles else None
        selected = self._session.selection.regions if part.id == self._session.selection.part else frozenset()
        if entry.low_of == (regions, selected, tokens):
            return
        for actor in entry.low:
            self._renderer.RemoveActor(actor)
        entry.low_of, entry.pose = (regions, selected, tokens), None
        entry.low = [] if regions is None else _low_actors(part, regions, selected, tokens)
        self._add(entry.low)


def _low_actors(part: Part, regions: ShownRegions, selected: frozenset[int], tokens: Tokens) -> list[vtkActor]:
    """Those that are selected in ivy, the others in plum."""
    size = float(np.linalg.norm(part.mesh.bounds[1] - part.mesh.bounds[0]))
    actors = []
    for is_selected, colour in ((False, tokens.plum), (True, tokens.ivy)):
        starts, stops = [np.zeros((0, 3))], [np.zeros((0, 3))]
        for region in regions.regions:
            if region.kind == "face" or (region.id in selected) != is_selected:
                continue
            places = part.mesh.vertices[region.vertices]
            if region.kind == "point":
                x, y, z = places[0].tolist()
                actors.append(dot((x, y, z), _POINT_SHARE * size, colour))
                continue
            along = places[np.argsort(places @ np.ptp(places, axis=0), kind="stable")]
            starts.append(along[:-1])
            stops.append(along[1:])
        lines = np.concatenate(starts), np.concatenate(stops)
        if len(lines[0]):
            actors.append(line_actor(line_data(*lines), colour, 4))
            drawn_over(actors[-1])
    return actors


def _hatch_actors(hatch: Hatch, tokens: Tokens) -> list[vtkActor]:
    colours = {KEEP_OFF: tokens.stop, AVOID: tokens.caution}
    return [
        line_actor(line_data(lines[:, 0], lines[:, 1]), colours[level], 2)
        for level, lines in hatch.around.items()
        if len(lines)
    ]

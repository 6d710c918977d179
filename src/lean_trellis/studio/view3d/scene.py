"""What is shown: plate, parts, bars, marks; rebuilt only where something changed."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from vtkmodules.vtkRenderingCore import vtkActor, vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports import Bars, Support
from lean_trellis.studio.looks import look_of
from lean_trellis.studio.section_cut import SectionPlane
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.view3d.actors import (
    PlateActors,
    line_actor,
    line_data,
    matrix_of,
    mesh_actor,
    plate_actors,
    poly_data,
)
from lean_trellis.studio.view3d.bar_actors import BarsActor, Shades, bars_actor, colour_bars, stand_in
from lean_trellis.studio.view3d.extras import ExtraActors
from lean_trellis.studio.view3d.paint import dot
from lean_trellis.studio.view3d.part_actors import PartActors
from lean_trellis.studio.view3d.section_actors import SectionActors
from lean_trellis.studio.view3d.structure_actors import ElementShades, StructureActors
from lean_trellis.studio.view3d.tilt_arc import TiltArc

_BAR_SHARE = 1.2
_HEAVY = 2.0
"""How many times the faces that are shown of a part a support may have before it gets a stand-in."""
_MOST_FAULT_FACES = 20_000


class Scene:
    """Keeps the renderer's actors in step with the session."""

    def __init__(self, renderer: vtkRenderer, overlay: vtkRenderer, session: Session, tokens: Tokens) -> None:
        self._renderer, self._overlay = renderer, overlay
        self._session, self._tokens = session, tokens
        self._section = SectionActors(renderer)
        self._parts = PartActors(renderer, session, self._section.clip)
        self._bars: dict[str, BarsActor] = {}
        self.extras = ExtraActors(renderer, session, self._section.clip)
        self._solids = StructureActors(renderer, self._section.clip)
        self._plate = PlateActors((), ())
        self._from_below = False
        self._plate_of: Any = None
        self._mark: vtkActor | None = None
        self._hints: list[vtkActor] = []
        self.preview_angles: tuple[float, float] | None = None
        self.figure = ""
        """The figure that bars of the current part are coloured by; nothing for plain copper."""
        self._tilt = TiltArc(renderer)
        self.is_moving = False
        self.shows_angles = False
        self.shows_tilt = False
        self.shows_plate = self.shows_parts = self.shows_supports = True

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours; everything is coloured anew at the next update."""
        self._tokens = tokens
        self._plate_of = None
        for support_id in list(self._bars):
            self._remove_bars(support_id)

    def update(self) -> None:
        """Bring all actors in step."""
        self._update_plate()
        job = self._session.job
        self._parts.update(self._tokens, self.preview_angles, shows_angles=self.shows_angles)
        self._update_supports(job.supports)
        self.extras.update(self._tokens)
        current = self._session.part if self.shows_tilt else None
        tilt = None if current is None else self._session.tilt(current)
        self._tilt.show(current, tilt, job.material.pose_range, self._tokens)
        if not self.is_moving:
            self._update_section()
        self._show_or_hide()

    def _update_section(self) -> None:
        """Close what is cut; while planes are stepped through, the cut stays open."""
        self._section.update(self._session.cuts(), self._part_tint, self._support_colour, self._tokens)

    def _part_tint(self, part_id: str) -> str:
        return self._parts.tint(self._session.job.part(part_id), self._tokens)

    def _support_colour(self, support_id: str) -> str:
        return look_of(self._session.job.support(support_id)).colour(self._tokens)

    def _update_plate(self) -> None:
        machine = self._session.job.machine
        if self._plate_of is machine:
            return
        for actor in (*self._plate.always, *self._plate.grid):
            self._renderer.RemoveActor(actor)
        self._plate = plate_actors(machine.plate, self._tokens)
        for actor in (*self._plate.always, *self._plate.grid):
            self._renderer.AddActor(actor)
        self._plate_of = machine

    def _update_supports(self, supports: tuple[Support, ...]) -> None:
        bars = {support.id for support in supports if look_of(support).is_drawn_as_bars}
        for support_id in set(self._bars) - bars:
            self._remove_bars(support_id)
        self._solids.keep_only({support.id for support in supports} - bars)
        selection = self._session.selection
        for support in supports:
            if support.id in bars:
                self._update_bars(support.id, self._session.bars(support))
            else:
                selected = selection.bars if support.id == selection.support else frozenset()
                colour = look_of(support).colour(self._tokens)
                shown, shades = self._session.shown_structure(support), self._shades_of(support)
                self._solids.update(support.id, shown, selected, self._tokens, colour, shades)

    def _shades_of(self, support: Support) -> ElementShades | None:
        """The figure that the elements of a support of the current part are coloured by, if one is chosen."""
        session = self._session
        figures = session.grip_figures(support) if self.figure and support.part_id == session.selection.part else None
        if figures is None or not hasattr(figures, self.figure):
            return None
        return ElementShades(figures, self.figure, session.figure_range(self.figure))

    def _update_bars(self, support_id: str, bars: Bars | None) -> None:
        entry = self._bars.get(support_id)
        is_current = support_id == self._session.selection.support
        if bars is None:
            if entry is not None:
                entry.actor.GetProperty().SetOpacity(0.35)  # out of date: still there, but faint
            return
        if entry is None or entry.bars is not bars:
            self._remove_bars(support_id)
            if bars.is_empty:
                return
            entry = bars_actor(bars, self._shown_sides(bars), self._tokens)
            self._section.clip(entry.actor)
            self._renderer.AddActor(entry.actor)
            if entry.data.GetNumberOfPolys() > self._session.most_shown * _HEAVY:
                entry.lines = stand_in(bars, self._tokens)
                self._section.clip(entry.lines)
                self._renderer.AddActor(entry.lines)
            self._bars[support_id] = entry
        self._colour_bars(support_id, entry, is_current=is_current)
        look = entry.actor.GetProperty()
        look.SetOpacity(1.0)
        look.SetAmbient(0.5 if is_current else 0.3)

    def _colour_bars(self, support_id: str, entry: BarsActor, *, is_current: bool) -> None:
        """Copper, darker on parts; selected ones ivy; by a figure where one is chosen; ties are heather."""
        session = self._session
        support = session.job.support(support_id)
        selected = session.selection.bars if is_current else frozenset()
        figures = session.figures(support) if self.figure and support.part_id == session.selection.part else None
        look = (selected, self.figure if figures is not None else "", id(figures), self._tokens)
        if entry.look == look:
            return
        entry.look = look
        shades = None if figures is None else Shades(figures, self.figure, session.figure_range(self.figure))
        colour_bars(entry, selected, shades, self._tokens)

    def _shown_sides(self, bars: Bars) -> int:
        """How many sides a bar is shown with: all of them while there are few."""
        known = [self._session.bars(support) for support in self._session.job.supports]
        count = sum(len(entry) for entry in known if entry is not None)
        affordable = int(_BAR_SHARE * self._session.most_shown / (7 * max(count, 1)))
        return int(np.clip(affordable, 3 if count > 3000 else 4, min(bars.sides, 8)))

    def _remove_bars(self, support_id: str) -> None:
        entry = self._bars.pop(support_id, None)
        if entry is not None:
            self._renderer.RemoveActor(entry.actor)
            if entry.lines is not None:
                self._renderer.RemoveActor(entry.lines)

    def _show_or_hide(self) -> None:
        for actor in self._plate.always:
            actor.SetVisibility(self.shows_plate)
        for actor in self._plate.grid:
            actor.SetVisibility(self.shows_plate and not self._from_below)
        self.extras.show(with_plate=self.shows_plate, with_supports=self.shows_supports)
        job = self._session.job
        hidden = {part.id for part in job.parts if part.is_hidden}
        self._parts.show(lambda part_id: self.shows_parts and part_id not in hidden)
        # What is still drawn of a support that is gone stays hidden until the scene is brought in step.
        shown = {support.id for support in job.supports if self.shows_supports and support.part_id not in hidden}
        for support_id, bars in self._bars.items():
            is_shown = support_id in shown
            bars.actor.SetVisibility(is_shown and not (self.is_moving and bars.lines is not None))
            if bars.lines is not None:
                bars.lines.SetVisibility(is_shown and self.is_moving)
        self._solids.show(shown, is_moving=self.is_moving)
        self._section.show(lambda part_id: self.shows_parts and part_id not in hidden, shown.__contains__)

    def move(self, *, is_moving: bool) -> None:
        """While the view moves, heavy supports are their middle lines."""
        if self.is_moving != is_moving:
            self.is_moving = is_moving
            if not is_moving:
                self._update_section()
            self._show_or_hide()

    def look_from(self, height: float) -> None:
        """Tell on which side of the plate, z = 0, the eye is."""
        if self._from_below != (height < 0):
            self._from_below = height < 0
            self._show_or_hide()

    # --- section ---

    def set_section(self, plane: SectionPlane | None) -> None:
        """Cut away what lies before a plane, or show everything."""
        self._section.put(plane)
        bars = (entry.actor for entry in self._bars.values())
        solids = (actor for _, actor in self._solids.actors())
        for actor in (*self._parts.actors(), *bars, *self.extras.bodies(), *solids):
            self._section.clip(actor)

    # --- marks, drag, pick ---

    def mark(self, place: tuple[float, float, float] | None, radius: float = 1.2) -> None:
        """A ball at a finding's place, hidden by what lies before it; None takes it away."""
        if self._mark is not None:
            self._renderer.RemoveActor(self._mark)
            self._mark = None
        if place is None:
            return
        self._mark = dot(place, radius, self._tokens.stop)
        self._renderer.AddActor(self._mark)

    def hint(self, actors: list[vtkActor]) -> None:
        """Lines or dots seen through everything, in place of those before."""
        for actor in self._hints:
            self._overlay.RemoveActor(actor)
        self._hints = actors
        for actor in actors:
            self._overlay.AddActor(actor)

    def fault_actor(self, part_id: str, fault: MeshFault) -> vtkActor:
        """The edges and faces of a fault as lines on the part in its pose."""
        part = self._session.job.part(part_id)
        corners = part.mesh.vertices[part.mesh.faces[fault.faces[:_MOST_FAULT_FACES]]]
        rims = np.stack([corners, np.roll(corners, -1, axis=1)], axis=2).reshape(-1, 2, 3)
        lines = np.concatenate([fault.segments[:_MOST_FAULT_FACES], rims])
        actor = line_actor(line_data(lines[:, 0], lines[:, 1]), self._tokens.stop, 3)
        actor.SetUserMatrix(matrix_of(part.pose.matrix, part.pose.shift(part.mesh)))
        return actor

    def dot_actor(self, place: tuple[float, float, float], radius: float = 0.8) -> vtkActor:
        """A dot at a place that was selected."""
        return dot(place, radius, self._tokens.ivy)

    def ghost_actor(self, bars: Bars, *, is_way: bool) -> vtkActor:
        """A bar that would be, seen through everything: ivy where it has a clear path, red where not."""
        mesh = bars.mesh
        actor = mesh_actor(poly_data(mesh.vertices, mesh.faces), self._tokens.ivy if is_way else self._tokens.stop)
        actor.GetProperty().SetOpacity(0.75)
        actor.PickableOff()
        return actor

    @contextmanager
    def bars_out_of_the_way(self) -> Iterator[None]:
        """While it lasts, picks go through bars."""
        for entry in self._bars.values():
            entry.actor.PickableOff()
        try:
            yield
        finally:
            for entry in self._bars.values():
                entry.actor.PickableOn()

    def shift_part(self, part: Part, dx: float, dy: float) -> None:
        """Show a part moved while it is dragged; the job is not changed."""
        self._parts.shift(part, dx, dy)

    def shift_tower(self, dx: float, dy: float) -> None:
        """Show the purge tower moved while it is dragged."""
        self.extras.shift_tower(dx, dy)

    def part_actor(self, part_id: str) -> vtkActor:
        """The actor of a part's faces."""
        return self._parts.body(part_id)

    def hatch_actors(self, part_id: str) -> tuple[vtkActor, ...]:
        """The hatch lines on a part's protected surfaces, an actor a level."""
        return self._parts.hatch(part_id)

    def low_actors(self, part_id: str) -> tuple[vtkActor, ...]:
        """The actors of a part's low edges and points."""
        return self._parts.low(part_id)

    def part_of(self, actor: Any) -> str:
        """The part that an actor shows, or nothing."""
        return self._parts.part_of(actor)

    def bar_of(self, actor: Any, cell: int) -> tuple[str, int]:
        """The support that a cell of an actor belongs to, and its bar or element there, or nothing."""
        for support_id, entry in self._bars.items():
            if entry.actor is actor:
                return support_id, entry.bar_of(cell)
        return self._solids.element_of(actor, cell)

    def source_face(self, part_id: str, cell: int) -> int:
        """The face of the part's own mesh that a shown face stands for."""
        return self._parts.source_face(part_id, cell)

    def bounds(self) -> tuple[Floats, Floats]:
        """The box round everything on the plate, or round the plate when it is empty."""
        job = self._session.job
        boxes = [part.bounds() for part in job.parts]
        if not boxes:
            plate = job.machine.plate
            return np.zeros(3), np.array([plate.width, plate.depth, plate.width * 0.2])
        low = np.min([box[0] for box in boxes], axis=0)
        high = np.max([box[1] for box in boxes], axis=0)
        low[2] = min(low[2], 0)
        return low, high

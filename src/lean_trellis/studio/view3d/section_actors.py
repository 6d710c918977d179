"""A section plane in the scene: what lies before it is cut off, what it cuts is closed, hatched and rimmed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from vtkmodules.vtkCommonDataModel import vtkPlane
from vtkmodules.vtkRenderingCore import vtkActor, vtkRenderer

from lean_trellis.studio.section_cut import Cut, Cuts, SectionPlane
from lean_trellis.studio.theme import Tokens, mixed
from lean_trellis.studio.view3d.actors import line_actor, line_data, mesh_actor, poly_data

_NEARER_MM = 0.02
"""Hatch and rim lie so far before the face, so that it does not hide them."""


class SectionActors:
    """Keeps the cut's actors in step with the plane and with what is known of it."""

    def __init__(self, renderer: vtkRenderer) -> None:
        self._renderer = renderer
        self._plane: SectionPlane | None = None
        self._clipping: vtkPlane | None = None
        self._look: Any = None
        self._parts: dict[str, list[vtkActor]] = {}
        self._supports: dict[str, list[vtkActor]] = {}

    def put(self, plane: SectionPlane | None) -> None:
        """Cut elsewhere, or nowhere. The faces of the last cut stay until the next are known, cut off themselves."""
        before = self._plane
        is_other = plane is None or before is None or not np.array_equal(plane.normal, before.normal)
        self._plane, self._clipping = plane, None
        if plane is not None:
            self._clipping = vtkPlane()
            self._clipping.SetNormal(*plane.normal.tolist())
            self._clipping.SetOrigin(*plane.origin.tolist())
        if is_other:
            self._clear()
        for actor in self._actors():
            self.clip(actor)

    def clip(self, actor: vtkActor) -> None:
        """Cut an actor off at the plane."""
        mapper = actor.GetMapper()
        mapper.RemoveAllClippingPlanes()
        if self._clipping is not None:
            mapper.AddClippingPlane(self._clipping)

    def update(self, cuts: Cuts | None, part_colour: Callable[[str], str], support_colour: Callable[[str], str],
               tokens: Tokens) -> None:  # fmt: skip
        """Show the cut, once it is known."""
        look = (id(cuts), tokens)
        if self._look == look or cuts is None or self._plane is None:
            return
        self._clear()
        self._look = look
        for part_id, cut in cuts.parts.items():
            tint = part_colour(part_id)
            self._parts[part_id] = self._shown(
                cut, mixed(tint, tokens.card, 0.45), mixed(tint, tokens.ink, 0.55), tokens
            )
        for support_id, cut in cuts.supports.items():
            colour = support_colour(support_id)
            self._supports[support_id] = self._shown(cut, colour, mixed(colour, tokens.ink, 0.4), tokens, is_plain=True)

    def _shown(self, cut: Cut, face: str, hatch: str, tokens: Tokens, *, is_plain: bool = False) -> list[vtkActor]:
        assert self._plane is not None
        nearer = -_NEARER_MM * self._plane.normal
        actors = []
        if len(cut.face.faces):
            actor = mesh_actor(poly_data(cut.face.vertices + nearer / 2, cut.face.faces), face)
            actor.GetProperty().SetLighting(False)
            actor.GetMapper().SetScalarVisibility(False)
            actor.PickableOff()
            actors.append(actor)
        if len(cut.hatch) and not is_plain:
            lines = cut.hatch + nearer
            actors.append(line_actor(line_data(lines[:, 0], lines[:, 1]), hatch, 1))
        if len(cut.rim):
            lines = cut.rim + nearer
            actors.append(line_actor(line_data(lines[:, 0], lines[:, 1]), tokens.ink if not is_plain else hatch, 1.5))
        for actor in actors:
            self._renderer.AddActor(actor)
        return actors

    def show(self, is_shown: Callable[[str], bool], is_support_shown: Callable[[str], bool]) -> None:
        """Show the cuts of parts and supports that are shown themselves."""
        for shown, asked in ((self._parts, is_shown), (self._supports, is_support_shown)):
            for key, actors in shown.items():
                for actor in actors:
                    actor.SetVisibility(asked(key))

    def _clear(self) -> None:
        for actor in self._actors():
            self._renderer.RemoveActor(actor)
        self._parts, self._supports, self._look = {}, {}, None

    def _actors(self) -> Iterator[vtkActor]:
        for actors in (*self._parts.values(), *self._supports.values()):
            yield from actors

"""Structures that are no bars, one actor a support: in the family's colour, each piece in its own tint."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Set
from dataclasses import dataclass
from typing import Any

import numpy as np
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkRenderer

from lean_trellis.core.strength.figures import GripFigures
from lean_trellis.core.supports.common.structure import Drawn
from lean_trellis.studio.shown import ShownStructure
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.view3d.actors import (
    as_bytes,
    colour_faces,
    line_actor,
    line_data,
    mesh_actor,
    mixed_bytes,
    poly_data,
)
from lean_trellis.studio.view3d.bar_actors import figure_colours

_OUT_OF_DATE = 0.35
_TINTS = (0.0, 0.22, 0.42, 0.12, 0.32)
"""How much of the paper's colour is mixed in, from piece to piece."""


@dataclass(frozen=True)
class ElementShades:
    """The figure that elements are coloured by, each by the most over its contacts, and from where to where it goes."""

    figures: GripFigures
    key: str
    limits: tuple[float, float]


@dataclass
class _Entry:
    actor: vtkActor
    data: vtkPolyData
    shown: ShownStructure
    drawn: Drawn
    look: Any = None
    frames: vtkActor | None = None
    """What stands for it while the view moves, where it is heavy."""

    def actors(self) -> list[vtkActor]:
        return [self.actor] if self.frames is None else [self.actor, self.frames]


class StructureActors:
    """Keeps the actors of such supports in step."""

    def __init__(self, renderer: vtkRenderer, clip: Callable[[vtkActor], None]) -> None:
        self._renderer, self._clip = renderer, clip
        self._entries: dict[str, _Entry] = {}

    def actors(self) -> Iterator[tuple[str, vtkActor]]:
        """The support of each actor, and the actor."""
        for support_id, entry in self._entries.items():
            for actor in entry.actors():
                yield support_id, actor

    def show(self, supports: Set[str], *, is_moving: bool) -> None:
        """Show the actors of some supports; while the view moves, heavy ones by their frames."""
        for support_id, entry in self._entries.items():
            is_shown, stands_in = support_id in supports, is_moving and entry.frames is not None
            entry.actor.SetVisibility(is_shown and not stands_in)
            if entry.frames is not None:
                entry.frames.SetVisibility(is_shown and stands_in)

    def keep_only(self, supports: Set[str]) -> None:
        """Remove the actors of supports that are not there any more, or are bars now."""
        for support_id in set(self._entries) - supports:
            for actor in self._entries.pop(support_id).actors():
                self._renderer.RemoveActor(actor)

    def update(
        self,
        support_id: str,
        shown: ShownStructure | None,
        selected: Set[int],
        tokens: Tokens,
        colour: str,
        shades: ElementShades | None = None,
    ) -> None:
        """Show what is known of a support, coloured by a figure if asked; what is out of date stays, but faint."""
        entry = self._entries.get(support_id)
        if shown is None:
            if entry is not None:
                entry.actor.GetProperty().SetOpacity(_OUT_OF_DATE)
            return
        if entry is None or entry.shown is not shown:
            self.keep_only(set(self._entries) - {support_id})
            drawn = shown.drawn
            if drawn is None or shown.made.is_empty:
                return
            data = poly_data(drawn.mesh.vertices, drawn.mesh.faces)
            entry = self._entries[support_id] = _Entry(mesh_actor(data, colour), data, shown, drawn)
            if drawn.frames is not None:
                entry.frames = line_actor(line_data(drawn.frames[:, 0], drawn.frames[:, 1]), colour, 1.5)
            for actor in entry.actors():
                self._clip(actor)
                self._renderer.AddActor(actor)
        entry.actor.GetProperty().SetOpacity(1.0)
        look = (frozenset(selected), tokens, colour, shades)
        if entry.look != look:
            entry.look = look
            colour_faces(entry.data, _colours(entry.drawn, selected, tokens, colour, shades))

    def element_of(self, actor: Any, cell: int) -> tuple[str, int]:
        """The support that an actor shows and the element that a cell belongs to; nothing and -1 for other actors."""
        for support_id, entry in self._entries.items():
            if entry.actor is actor:
                return support_id, int(entry.drawn.elements[cell])
        return "", -1


def _colours(drawn: Drawn, selected: Set[int], tokens: Tokens, colour: str, shades: ElementShades | None) -> np.ndarray:
    base, paper = as_bytes(colour), as_bytes(tokens.card)
    tints = np.array([mixed_bytes(base, paper, share) for share in _TINTS])
    colours = tints[drawn.pieces % len(_TINTS)].astype(np.uint8)
    if shades is not None and len(drawn.elements):
        most = shades.figures.of_elements(shades.key, int(drawn.elements.max()) + 1)
        colours = figure_colours(most, shades.limits, tokens).astype(np.uint8)[drawn.elements]
    if selected:
        colours[np.isin(drawn.elements, sorted(selected))] = as_bytes(tokens.ivy)
    return colours

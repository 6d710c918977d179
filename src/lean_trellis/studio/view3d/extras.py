"""What stands on the plate besides parts and supports: taken zones, the purge tower, separators; each with its name."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkFollower, vtkPolyDataMapper, vtkRenderer
from vtkmodules.vtkRenderingFreeType import vtkVectorText

from lean_trellis.core.arrays import Floats
from lean_trellis.core.shop.machine import Zone
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownFilling, filling_name
from lean_trellis.studio.theme import Tokens, rgb
from lean_trellis.studio.view3d.actors import line_actor, line_data, mesh_actor, poly_data

_HATCH_MM, _ABOVE_MM, _BESIDE_MM = 4.0, 0.05, 3.0
_LETTERS = 1 / 55
"""Height of names as a share of the plate's width."""


class ExtraActors:
    """Keeps these actors in step with the machine and the stacks."""

    def __init__(self, renderer: vtkRenderer, session: Session, clip: Callable[[vtkActor], None]) -> None:
        self._renderer, self._session, self._clip = renderer, session, clip
        self._fillings: dict[str, tuple[ShownFilling, list[vtkActor]]] = {}
        self._colours: Tokens | None = None
        self._zones: list[vtkActor] = []
        self._tower: list[tuple[vtkActor, tuple[float, float, float]]] = []
        """What is drawn of the purge tower, and where it stands."""
        self._zones_of: Any = None

    def update(self, tokens: Tokens) -> None:
        """What is out of date stays until the new is known."""
        if self._colours != tokens:
            self._colours = tokens
            for _, actors in self._fillings.values():
                self._remove(actors)
            self._fillings.clear()
        stacks = {stack.id: stack for stack in self._session.job.stacks if stack.filling is not None}
        for stack_id in set(self._fillings) - set(stacks):
            self._remove(self._fillings.pop(stack_id)[1])
        for stack_id, stack in stacks.items():
            shown, known = self._session.fillings(stack), self._fillings.get(stack_id)
            if shown is None or stack.filling is None or (known is not None and known[0] is shown):
                continue
            if known is not None:
                self._remove(known[1])
            self._fillings[stack_id] = (shown, self._filling(shown, filling_name(stack.filling), tokens))
        self._update_zones(tokens)

    def bodies(self) -> Iterator[vtkActor]:
        """The actors that a section cuts."""
        for _, actors in self._fillings.values():
            yield actors[0]

    def named(self, stack_id: str) -> tuple[vtkActor, ...]:
        """What lies in the gaps of a stack, and its name."""
        return tuple(self._fillings[stack_id][1])

    def zones(self) -> tuple[vtkActor, ...]:
        """The outlines of taken zones and their names."""
        return tuple(self._zones)

    def show(self, *, with_plate: bool, with_supports: bool) -> None:
        """Zones go with the plate, what lies in gaps with the supports."""
        for actor in self._zones:
            actor.SetVisibility(with_plate)
        for _, actors in self._fillings.values():
            for actor in actors:
                actor.SetVisibility(with_supports)

    def shift_tower(self, dx: float, dy: float) -> None:
        """Show the purge tower moved; the machine is not changed."""
        for actor, (x, y, z) in self._tower:
            actor.SetPosition(x + dx, y + dy, z)

    # --- making them ---

    def _filling(self, shown: ShownFilling, name: str, tokens: Tokens) -> list[vtkActor]:
        body = mesh_actor(poly_data(shown.mesh.vertices, shown.mesh.faces), tokens.slate)
        self._clip(body)
        low, high = shown.mesh.bounds
        letters = self._name(name, np.array([high[0] + _BESIDE_MM, low[1], high[2]]), tokens)
        return self._added([body, letters])

    def _update_zones(self, tokens: Tokens) -> None:
        machine = self._session.job.machine
        tops = [float(shown.mesh.bounds[1, 2]) for shown, _ in self._fillings.values() if len(shown.mesh.faces)]
        top = max(tops, default=0.0)
        if self._zones_of == (machine, tokens, top):
            return
        self._remove(self._zones)
        self._zones_of, self._zones, self._tower = (machine, tokens, top), [], []
        for zone in machine.zones:
            height = top if zone is machine.purge_tower else 0.0
            outline = line_actor(_zone_lines(zone, height), tokens.muted, 1.5)
            # The name lies towards the plate's middle, so that it is in sight where the zone is at the edge of it.
            is_right = zone.x + zone.width / 2 > machine.plate.width / 2
            place = np.array([zone.x if is_right else zone.x + zone.width, zone.y, height + _ABOVE_MM])
            drawn = self._added([outline, self._name(zone.name, place, tokens, ends_there=is_right)])
            self._zones += drawn
            if zone is machine.purge_tower:
                self._tower = [(actor, actor.GetPosition()) for actor in drawn]

    def _name(self, words: str, place: Floats, tokens: Tokens, *, ends_there: bool = False) -> vtkActor:
        """Words as faces that turn to the eye: a picture would make each frame a third slower.

        They begin at the place, or end there.
        """
        letters = vtkVectorText()
        letters.SetText(words)
        letters.Update()
        mapper = vtkPolyDataMapper()
        drawn = letters.GetOutput()
        if ends_there:
            points = drawn.GetPoints()
            right = drawn.GetBounds()[1]
            for number in range(points.GetNumberOfPoints()):
                x, y, z = points.GetPoint(number)
                points.SetPoint(number, x - right, y, z)
        mapper.SetInputData(drawn)
        name = vtkFollower()
        name.SetMapper(mapper)
        name.SetCamera(self._renderer.GetActiveCamera())
        size = self._session.job.machine.plate.width * _LETTERS
        name.SetScale(size, size, size)
        name.SetPosition(*(place + [0.0, 0.0, size / 2]).tolist())
        look = name.GetProperty()
        look.SetColor(*rgb(tokens.ink))
        look.SetLighting(False)
        name.PickableOff()
        return name

    def _added(self, actors: list[vtkActor]) -> list[vtkActor]:
        for actor in actors:
            self._renderer.AddActor(actor)
        return actors

    def _remove(self, actors: list[vtkActor]) -> None:
        for actor in actors:
            self._renderer.RemoveActor(actor)


def _zone_lines(zone: Zone, height: float) -> vtkPolyData:
    """A zone as a hatched rectangle on the plate, with a height as the box that is built up there."""
    x0, y0, x1, y1 = zone.x, zone.y, zone.x + zone.width, zone.y + zone.depth
    ring = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
    starts, stops = [], []
    for level in {_ABOVE_MM, height + _ABOVE_MM}:
        raised = np.column_stack([ring, np.full(4, level)])
        starts.append(raised)
        stops.append(np.roll(raised, -1, axis=0))
    if height > 0:
        starts.append(np.column_stack([ring, np.zeros(4)]))
        stops.append(np.column_stack([ring, np.full(4, height)]))
    shifts = np.arange(-zone.depth + _HATCH_MM, zone.width, _HATCH_MM)
    low, high = np.maximum(shifts, 0.0), np.minimum(shifts + zone.depth, zone.width)
    flat = np.full(len(shifts), _ABOVE_MM)
    starts.append(np.column_stack([x0 + low, y0 + low - shifts, flat]))
    stops.append(np.column_stack([x0 + high, y0 + high - shifts, flat]))
    return line_data(np.concatenate(starts), np.concatenate(stops))

"""Contacts of solid bodies that carry, with the body below each as a spring."""

from __future__ import annotations

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.sampling import gathered, places_on
from lean_trellis.core.mesh.shells import shells_of
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.strength.grips import Grips, upright
from lean_trellis.core.supports.bodies.bodies import Bodies
from lean_trellis.core.supports.bodies.cradle import Cradle
from lean_trellis.core.supports.bodies.flank import FlankWall

_APART_MM, _LEAST_APART_MM, _MOST = 1.0, 0.5, 400
_LEAST_MM = 0.05


def grips_of_bodies(bodies: Bodies) -> Grips:
    """One a place at which they bear the part, each with its share of the whole area; of a large one a few hundred."""
    holds, area = bodies.grip.holds, bodies.contact_area_mm2
    if not len(holds):
        return Grips()
    cell = max(_LEAST_APART_MM, float(np.sqrt(area / _MOST)))
    return _standing(bodies, *gathered(holds, np.full(len(holds), area / len(holds)), cell))


def grips_of_cradle(cradle: Cradle) -> Grips:
    """One a post that carries, with its true area."""
    return _standing(cradle, cradle.grip.contacts, cradle.grip.areas)


def grips_of_flank(wall: FlankWall) -> Grips:
    """One a tie, level, from the wall to the part: it holds against what pushes sideways.

    Held at both ends a tie buckles as a column of half its length does that is free at one.
    """
    ends, areas = wall.grip.contacts, wall.grip.areas
    if not len(ends):
        return Grips()
    line = shapely.linestrings(wall.path)
    base = shapely.get_coordinates(line.interpolate(line.project(shapely.points(ends[:, :2]))))
    ways = ends[:, :2] - base
    lengths = np.maximum(np.hypot(*ways.T), _LEAST_MM)
    axes = np.column_stack([ways / lengths[:, None], np.zeros(len(ends))])
    section = np.full(len(areas), areas.max())  # a tie ends flat: on a curved surface not all of its end touches
    moments = section**2 / 12
    none = np.zeros(len(ends), np.int64)
    return Grips(
        ends, areas, np.sqrt(areas) / 2, np.full(len(ends), -1, np.int32), none, np.arange(len(ends)) + len(wall.bodies)
        - wall.ties, axes, lengths / 2, moments, section / lengths, 3 * moments / lengths**3, moments / lengths,
    )  # fmt: skip


def _standing(bodies: Bodies, places: Floats, areas: Floats) -> Grips:
    """Contacts on bodies that stand below them: columns as wide as what touches, down to the body's lowest place."""
    if not len(places):
        return Grips()
    shells, elements, lows = _bodies_at(bodies, places)
    heights = np.maximum(places[:, 2] - lows, _LEAST_MM)
    whole = np.bincount(elements, areas, len(bodies.bodies))[elements]
    moments = whole * areas / 12  # of a square as large as all that touches a body, each its share
    return Grips(
        places, areas, np.sqrt(areas) / 2, np.full(len(places), -1, np.int32), shells, elements,
        upright(len(places)), heights, moments,
        areas / heights, 3 * moments / heights**3, areas**2 / 12 / heights,
    )  # fmt: skip


def _bodies_at(bodies: Bodies, places: Floats) -> tuple[Longs, Longs, Floats]:
    """(n,) each: the shell and the body nearest to each place, and the height at which that body begins."""
    mesh = bodies.mesh
    lows = np.array([body.bounds[0, 2] for body in bodies.bodies])
    spread, on = places_on(mesh, np.arange(len(mesh.faces)), _APART_MM)
    nearest = on[place_tree(spread).query(places)[1]]
    elements: Longs = bodies.element_of_face[nearest]
    return shells_of(mesh)[mesh.faces[nearest, 0]], elements, lows[elements]

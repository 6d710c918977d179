"""What holds a part to the plate, and the most it must bear while the part grows: pull, tipping, warp."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.bond import FINE_MM, MOST_FINE, PLASTIC, Bond, Worst, bonded, place_of, rests_of
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.strength.growth import GrownBody
from lean_trellis.core.strength.sharing import Holdings, RigidPlate, Springs
from lean_trellis.core.strength.tipping import stand_on
from lean_trellis.core.strength.warping import Hold, ends_of, worst_of

_LITTLE_NMM = 1e-6
_LITTLE = 0.02
"""Warp that uses less of what holds is not followed."""
_BRIM_MM = 12.0
"""What lies on the plate no farther than this beside what holds a body holds it, too."""


class PlateHold:
    """What of a part and its supports lies on the plate, in the frame of the layers.

    `pull`, `tipping` and `warp` are the most that was asked so far.
    """

    def __init__(
        self, own: Overhangs, feet: Bond, corners: Floats, frame: Floats, origin: Floats, actions: Actions
    ) -> None:
        self._actions, self._frame = actions, frame
        self.rests = rests_of(own)
        self._bond = Bond.joined([self.rests, feet])
        self._plate = RigidPlate(bonded(self._bond, frame, actions.stiffness), origin)
        ends = own.mesh.vertices[own.mesh.faces[own.on_plate]].reshape(-1, 3)[:, :2]
        self._stand = stand_on(np.concatenate([ends, corners]), self._bond.places[:, :2], self._bond.areas)
        self._lying, self._below = Hold(), Hold()
        if actions.warp > 0:
            self._lying = self._as_hold(self.rests)
            self._below = self._as_hold(Bond.joined([rests_of(own, FINE_MM, MOST_FINE), feet]))
        self.pull, self.tipping, self.warp = Worst(), Worst(), Worst()
        self._pulled: list[Floats] = []

    def take(self, loads: Floats, forces: Floats, places: Floats, levels: Floats) -> None:
        """What the bond carries of loads (l, 6) about the origin, which are forces (l, 3) at places and levels (l,)."""
        for some, lifted, bending in self._plate.lifts(loads):
            self._take(lifted, bending, levels[some])
        self._tip(forces, places, levels)

    def _take(self, lifted: Floats, bending: Floats, levels: Floats) -> None:
        """What loads ask of all that lies on the plate: lift in N and bending in N mm, (l, n) both."""
        areas = np.maximum(self._bond.areas, 1e-9)
        used = np.maximum(lifted, 0) / areas + bending / (PLASTIC * areas * np.sqrt(areas / np.pi) / 4)
        used /= self._actions.bond
        self._pulled.append(np.column_stack([levels, used.max(axis=1)]))
        load, spot = np.unravel_index(used.argmax(), used.shape)
        if used[load, spot] > self.pull.value:
            at = self._bond.places[spot] @ self._frame.T
            self.pull = Worst(float(used[load, spot]), place_of(at), float(levels[load]))

    def by_level(self) -> Floats:
        """(k, 2): each level and how much of the bond to the plate is used there at most."""
        levels, used = np.concatenate([np.zeros((0, 2)), *self._pulled]).T
        distinct, rows = np.unique(levels, return_inverse=True)
        most = np.zeros(len(distinct))
        np.maximum.at(most, rows, used)
        return np.column_stack([distinct, most])

    def _tip(self, forces: Floats, places: Floats, levels: Floats) -> None:
        """What forces do to turn everything over about an edge of what stands on the plate."""
        if self._stand is None:
            return
        moments = self._stand.moments(forces, places)
        used = np.where(moments > 0, moments / np.maximum(self._stand.levers * self._actions.bond, _LITTLE_NMM), 0.0)
        load, edge = np.unravel_index(used.argmax(), used.shape)
        if used[load, edge] > self.tipping.value:
            at = np.append(self._stand.middles[edge], 0.0)
            self.tipping = Worst(float(used[load, edge]), place_of(at), float(levels[load]))

    def _as_hold(self, ground: Bond) -> Hold:
        """What lies on the plate as it holds against warp."""
        a = self._actions
        areas = ground.areas
        stiffness = a.stiffness * areas / a.bond_depth
        return Hold(ground.places @ self._frame.T, np.sqrt(areas), stiffness, areas * a.bond)

    def curl(self, grown: Sequence[GrownBody], holding: Holdings, springs: Springs, grips: Grips) -> None:
        """What the curling of bodies asks of what holds them: what lies on the plate, or the contacts in metal.

        `holding` are the numbers of `springs` that hold each body: the `grips` first, then the rests.
        """
        a = self._actions
        if a.warp <= 0:
            return
        is_laid, ends, before = a.process == "extrusion", [], b""
        hold = Hold()
        for body, begin, count in zip(grown, holding.begins.tolist(), holding.counts.tolist(), strict=True):
            which = holding.which[begin : begin + count]
            which = which[springs.pulls[which]]
            if which.tobytes() != before:
                before = which.tobytes()
                hold = self._below_and_beside(which, springs) if is_laid else self._gripping(which, springs, grips)
            ends.extend(ends_of(body, hold, a.warp, a.stiffness, a.corner_lift))
        worst = worst_of(ends, max(self.warp.value, _LITTLE))
        if worst is not None:
            self.warp = Worst(worst.used, worst.at_mm, worst.body.level)

    def _below_and_beside(self, holding: Longs, springs: Springs) -> Hold:
        """What lies on the plate below and beside contacts."""
        if len(holding) < 2:
            return Hold()
        places = springs.places[holding, :2]
        low, high = places.min(axis=0) - _BRIM_MM, places.max(axis=0) + _BRIM_MM
        at = self._below.places[:, :2]
        return self._below.only(np.flatnonzero(((at >= low) & (at <= high)).all(axis=1)))

    def _gripping(self, holding: Longs, springs: Springs, grips: Grips) -> Hold:
        """Contacts, and where a part lies on the plate itself."""
        own, count = holding[holding < len(grips)], len(grips)
        areas = grips.areas[own]
        gripping = Hold(springs.places[own], np.sqrt(areas), springs.axial[own], areas * self._actions.strength)
        return Hold.joined([gripping, self._lying.only(holding[holding >= count] - count)])

"""What holds a part to the plate, and the most that is asked of it while the part grows: pull, tipping, warp."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.bond import FINE_MM, MOST_FINE, PLASTIC, Bond, Worst, bonded, place_of, rests_of
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.strength.growth import GrownBody
from lean_trellis.core.strength.sharing import RigidPlate, Shares, Springs
from lean_trellis.core.strength.tipping import stand_on
from lean_trellis.core.strength.warping import Hold, curl_of

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
        plate = RigidPlate(bonded(self._bond, frame, actions.stiffness), origin)
        self._group = plate.group(np.arange(len(self._bond))) if len(self._bond) else None
        ends = own.mesh.vertices[own.mesh.faces[own.on_plate]].reshape(-1, 3)[:, :2]
        self._stand = stand_on(np.concatenate([ends, corners]), self._bond.places[:, :2], self._bond.areas)
        self._lying, self._below = Hold(), Hold()
        self._held_down: tuple[bytes, Hold] = b"", Hold()
        if actions.warp > 0:
            self._lying = self._as_hold(self.rests)
            self._below = self._as_hold(Bond.joined([rests_of(own, FINE_MM, MOST_FINE), feet]))
        self.pull, self.tipping, self.warp = Worst(), Worst(), Worst()

    def take(self, loads: Floats, acting: Sequence[tuple[Floats, Floats]], level: float) -> None:
        """What the bond carries of loads (l, 6) about the origin, and by forces (3,) at places (3,), at a level."""
        for shares in self._group.shares(loads) if self._group is not None else ():
            self._take(shares, level)
        for force, at in acting:
            self._tip(force, at, level)

    def _take(self, shares: Shares, level: float) -> None:
        """What a load asks of all that lies on the plate."""
        areas = np.maximum(self._bond.areas, 1e-9)
        radii = np.sqrt(areas / np.pi)
        pulled = np.maximum(shares.forces[:, 2], 0) / areas
        bent = np.linalg.norm(shares.moments[:, :2], axis=1) / (PLASTIC * areas * radii / 4)
        used = (pulled + bent) / self._actions.bond
        worst = int(used.argmax())
        if used[worst] > self.pull.value:
            self.pull = Worst(float(used[worst]), place_of(self._bond.places[worst] @ self._frame.T), level)

    def _tip(self, force: Floats, at: Floats, level: float) -> None:
        """What a force does to turn everything over about an edge of what stands on the plate."""
        if self._stand is None:
            return
        moments = self._stand.moments(force, at)
        used = np.where(moments > 0, moments / np.maximum(self._stand.levers * self._actions.bond, _LITTLE_NMM), 0.0)
        worst = int(used.argmax())
        if used[worst] > self.tipping.value:
            self.tipping = Worst(float(used[worst]), place_of(np.append(self._stand.middles[worst], 0.0)), level)

    def _as_hold(self, ground: Bond) -> Hold:
        """What lies on the plate as it holds against warp."""
        a = self._actions
        areas = ground.areas
        stiffness = a.stiffness * areas / a.bond_depth
        return Hold(ground.places @ self._frame.T, np.sqrt(areas), stiffness, areas * a.bond)

    def curl(self, stage: GrownBody, holding: Longs, springs: Springs, grips: Grips) -> None:
        """What the curling of a body asks of what holds it down: what lies on the plate, or the contacts in metal.

        `holding` are the numbers of `springs` that hold it and can pull: the `grips` first, then the rests.
        """
        if self._actions.warp <= 0 or len(holding) < 2:
            return
        key = holding.tobytes()
        if key != self._held_down[0]:
            is_laid = self._actions.process == "extrusion"
            hold = self._below_and_beside(holding, springs) if is_laid else self._gripping(holding, springs, grips)
            self._held_down = key, hold
        a = self._actions
        least = max(self.warp.value, _LITTLE)
        curl = curl_of(stage, self._held_down[1], a.warp, a.stiffness, a.corner_lift, least)
        if curl is not None:
            self.warp = Worst(curl.used, curl.at_mm, stage.level)

    def _below_and_beside(self, holding: Longs, springs: Springs) -> Hold:
        """What lies on the plate below and beside contacts."""
        held = springs.places[holding, :2]
        low, high = held.min(axis=0) - _BRIM_MM, held.max(axis=0) + _BRIM_MM
        at = self._below.places[:, :2]
        return self._below.only(np.flatnonzero(((at >= low) & (at <= high)).all(axis=1)))

    def _gripping(self, holding: Longs, springs: Springs, grips: Grips) -> Hold:
        """Contacts, and where a part lies on the plate itself."""
        own, count = holding[holding < len(grips)], len(grips)
        areas = grips.areas[own]
        gripping = Hold(springs.places[own], np.sqrt(areas), springs.axial[own], areas * self._actions.strength)
        return Hold.joined([gripping, self._lying.only(holding[holding >= count] - count)])

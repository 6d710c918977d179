"""How the contacts of one piece share a force and its moment: as a rigid plate on springs does.

The method is that of bolt groups (elastic vector method; Shigley, Mechanical Engineering Design, chapter on joints):
displacement u and rotation θ of the plate give each spring a force in proportion to its own displacement u + θ × r.
Contacts that can only push, such as rests and gaps, let go where they would have to pull; which these are is found by
iteration, as for one-sided supports.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows

_MOST_TURNS = 60
_SLACK = 1e-9
_SINGULAR = 1e-12
_SET_RIGHT, _EXACT = 6, 1e-12


@dataclass(frozen=True, eq=False)
class Springs(Rows):
    """Contacts as springs, a row each.

    `places` (n, 3) mm; `axes` (n, 3) unit vectors along which `axial` (n,) N/mm acts, `sideways` (n,) N/mm across
    them; `turning` (n,) N mm / rad about any axis; `pulls` (n,) whether one can hold the plate back.
    """

    places: Floats
    axes: Floats
    axial: Floats
    sideways: Floats
    turning: Floats
    pulls: Bools

    def __len__(self) -> int:
        return len(self.axial)

    @property
    def stiffness(self) -> Floats:
        """(n, 3, 3) N/mm: force by displacement of each."""
        along = np.einsum("ni,nj->nij", self.axes, self.axes)
        rest = (self.axial - self.sideways)[:, None, None]
        result: Floats = self.sideways[:, None, None] * np.eye(3) + rest * along
        return result


@dataclass(frozen=True, eq=False)
class Shares:
    """What each spring takes: `forces` (n, 3) N and `moments` (n, 3) N mm; all sum to the load and its moment.

    `motion` (6,) is the plate's, in mm and radians. `is_held` is False where nothing that can act balances the load:
    everything is 0 then.
    """

    forces: Floats
    moments: Floats
    motion: Floats
    is_held: bool = True


def crosses(places: Floats) -> Floats:
    """(n, 3, 3): matrices by which places (n, 3) turn a vector v into place × v."""
    x, y, z = places.T
    none = np.zeros(len(places))
    return np.stack([none, -z, y, z, none, -x, -y, x, none], axis=1).reshape(-1, 3, 3)


def plate_stiffness(springs: Springs, origin: Floats) -> Floats:
    """(n, 6, 6): what each spring adds to the stiffness of a plate whose displacement and rotation are about an origin.

    With d = u + θ × r = B (u, θ) for r from the origin: Bᵀ K B, and the turning stiffness for the rotation.
    """
    away = crosses(springs.places - origin)
    moves = np.concatenate([np.tile(np.eye(3), (len(springs), 1, 1)), -away], axis=2)
    result: Floats = np.einsum("nki,nkl,nlj->nij", moves, springs.stiffness, moves)
    result[:, [3, 4, 5], [3, 4, 5]] += springs.turning[:, None]
    return result


class RigidPlate:
    """Springs under one rigid plate, some of which act at a time; motions are about one origin (3,)."""

    def __init__(self, springs: Springs, origin: Floats) -> None:
        self.springs, self.origin = springs, origin
        self._stiffness = springs.stiffness
        self._away = crosses(springs.places - origin)
        self._each = plate_stiffness(springs, origin)
        self._whole = self._each.sum(axis=0)

    def wrench(self, force: Floats, at: Floats) -> Floats:
        """(6,): a force (3,) N that acts at a place (3,), with its moment about the origin in N mm."""
        return np.concatenate([force, np.cross(at - self.origin, force)])

    def shares(self, load: Floats, which: Longs) -> Shares:
        """How the springs `which` (k,) share a load (6,): a force in N and a moment about the origin in N mm."""
        count = len(which)
        nothing = Shares(np.zeros((count, 3)), np.zeros((count, 3)), np.zeros(6), is_held=not np.any(load))
        if not count or not np.any(load):
            return nothing
        each, away, axes = self._each[which], self._away[which], self.springs.axes[which]
        pulls, acts, seen, only_less = self.springs.pulls[which], np.ones(count, bool), set(), False
        motion, steps = np.zeros(6), np.zeros((count, 3))
        for _ in range(_MOST_TURNS):
            is_whole = count == len(self.springs) and acts.all()
            stiffness = self._whole if is_whole else each[acts].sum(axis=0)
            found = _solved(stiffness, load)
            if found is None:
                return nothing
            motion = found
            steps = motion[:3] - away @ motion[3:]
            along = np.einsum("ni,ni->n", steps, axes)
            # What only pushes acts where the plate comes towards it: against its axis.
            wanted = pulls | (along < _SLACK * np.abs(along).max(initial=0.0))
            if only_less:
                wanted &= acts
            if np.array_equal(wanted, acts):
                break
            only_less |= wanted.tobytes() in seen  # it goes round in a circle: what let go stays off from now on
            seen.add(acts.tobytes())
            acts = wanted & acts if only_less else wanted
            if not acts.any():
                return nothing
        return self._balanced(load, which, acts, motion)

    def _balanced(self, load: Floats, which: Longs, acts: Bools, motion: Floats) -> Shares:
        """What those that act take in a motion, set right by what their sum lacks of the load.

        About the middle of those that act, where displacements are small and nothing is lost between large numbers.
        """
        middle = self.springs.places[which][acts].mean(axis=0)
        shift = np.eye(6)
        shift[:3, 3:] = crosses((middle - self.origin)[None])[0]
        stiffness, away = self._stiffness[which] * acts[:, None, None], crosses(self.springs.places[which] - middle)
        turning = self.springs.turning[which, None] * acts[:, None]
        whole = shift.T @ self._each[which][acts].sum(axis=0) @ shift
        wanted, local = shift.T @ load, np.linalg.solve(shift, motion)
        for _ in range(_SET_RIGHT):
            forces = np.einsum("nij,nj->ni", stiffness, local[:3] - away @ local[3:])
            moments = turning * local[3:]
            turned = np.einsum("nij,nj->ni", away, forces) + moments
            lacking = wanted - np.concatenate([forces.sum(axis=0), turned.sum(axis=0)])
            more = _solved(whole, lacking)
            if more is None or np.abs(lacking).max() <= _EXACT * np.abs(wanted).max():
                break
            local = local + more
        return Shares(forces, moments, shift @ local)

    def moved(self, motion: Floats, at: Floats) -> Floats:
        """(3,) mm: how far a place (3,) of the plate goes in a motion (6,)."""
        result: Floats = motion[:3] + np.cross(motion[3:], at - self.origin)
        return result


def shared(springs: Springs, force: Floats, at: Floats) -> Shares:
    """How all springs share a `force` (3,) N that acts `at` a place (3,) mm."""
    plate = RigidPlate(springs, springs.places.mean(axis=0) if len(springs) else at)
    return plate.shares(plate.wrench(force, at), np.arange(len(springs)))


def _solved(stiffness: Floats, load: Floats) -> Floats | None:
    """The motion (6,) under a load (6,); None where nothing holds against some motion that the load asks for.

    Scaled by the diagonal first, since millimetres and radians differ by orders; refined once.
    """
    diagonal = np.diag(stiffness)
    if not (diagonal > 0).all():
        return None
    scale = 1 / np.sqrt(diagonal)
    scaled = stiffness * scale[:, None] * scale
    if np.linalg.eigvalsh(scaled)[0] < _SINGULAR:
        return None
    motion = scale * np.linalg.solve(scaled, scale * load)
    result: Floats = motion + scale * np.linalg.solve(scaled, scale * (load - stiffness @ motion))
    return result

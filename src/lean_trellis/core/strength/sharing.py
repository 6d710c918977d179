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
_SET_RIGHT, _EXACT = 8, 1e-12


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


def turned_by(one: Floats, other: Floats) -> Floats:
    """(3,): the cross product of two vectors (3,)."""
    a, b, c = one.tolist()
    x, y, z = other.tolist()
    return np.array([b * z - c * y, c * x - a * z, a * y - b * x])


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
        self._each = plate_stiffness(springs, origin)

    def wrench(self, force: Floats, at: Floats) -> Floats:
        """(6,): a force (3,) N that acts at a place (3,), with its moment about the origin in N mm."""
        return np.concatenate([force, turned_by(at - self.origin, force)])

    def group(self, which: Longs) -> SpringGroup:
        """The springs `which` (k,), all of which act."""
        return SpringGroup(self.springs.only(which), self._stiffness[which], self._each[which], self.origin)

    def shares(self, loads: Floats, which: Longs) -> list[Shares]:
        """How the springs `which` (k,) share each of loads (l, 6): a force in N and a moment about the origin, N mm."""
        if len(which) and self.springs.pulls[which].all():
            return self.group(which).shares(loads)
        return [self._pushed(load, which) for load in loads]

    def _pushed(self, load: Floats, which: Longs) -> Shares:
        """The same for one load (6,) where some can only push."""
        count = len(which)
        if not count or not np.any(load):
            return _no_shares(count, is_held=not np.any(load))
        each, axes = self._each[which], self.springs.axes[which]
        away = crosses(self.springs.places[which] - self.origin)
        pulls, acts, seen, only_less = self.springs.pulls[which], np.ones(count, bool), set(), False
        for _ in range(_MOST_TURNS):
            motion = _solved(each[acts].sum(axis=0), load)
            if motion is None:
                return _no_shares(count)
            along = np.einsum("ni,ni->n", motion[:3] - away @ motion[3:], axes)
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
                return _no_shares(count)
        (own,) = self.group(which[acts]).shares(load[None])
        forces, moments = np.zeros((count, 3)), np.zeros((count, 3))
        forces[acts], moments[acts] = own.forces, own.moments
        return Shares(forces, moments, own.motion, own.is_held)

    def moved(self, motion: Floats, at: Floats) -> Floats:
        """(3,) mm: how far a place (3,) of the plate goes in a motion (6,)."""
        result: Floats = motion[:3] + turned_by(motion[3:], at - self.origin)
        return result


class SpringGroup:
    """Springs that act together: what is needed to share any load among them.

    All is about their own middle, where displacements are small and nothing is lost between large numbers.
    """

    def __init__(self, springs: Springs, stiffness: Floats, each: Floats, origin: Floats) -> None:
        middle = springs.places.mean(axis=0) if len(springs) else origin
        self._shift = np.eye(6)
        self._shift[:3, 3:] = crosses((middle - origin)[None])[0]
        away = crosses(springs.places - middle)
        moves = np.concatenate([stiffness, -(stiffness @ away)], axis=2)
        self._forces_of = moves.reshape(-1, 6).T  # (6, 3n): what each spring takes by the motion
        self._moments_of = away.transpose(0, 2, 1).reshape(-1, 3)  # (3n, 3): moments by what each takes
        self._turning = springs.turning
        self._inverse = _inverted(self._shift.T @ each.sum(axis=0) @ self._shift)

    def shares(self, loads: Floats) -> list[Shares]:
        """How they share each of loads (l, 6), set right by what the sum of all lacks of it."""
        count = len(self._turning)
        if self._inverse is None:
            return [_no_shares(count, is_held=not np.any(load)) for load in loads]
        wanted = loads @ self._shift
        motions = wanted @ self._inverse
        for turn in range(_SET_RIGHT):
            forces = (motions @ self._forces_of).reshape(len(loads), count, 3)
            moments = self._turning[None, :, None] * motions[:, None, 3:]
            turned = forces.reshape(len(loads), -1) @ self._moments_of + self._turning.sum() * motions[:, 3:]
            lacking = wanted - np.concatenate([forces.sum(axis=1), turned], axis=1)
            is_exact = np.abs(lacking).max(initial=0.0) <= _EXACT * np.abs(wanted).max(initial=0.0)
            if is_exact or turn == _SET_RIGHT - 1:
                break
            motions = motions + lacking @ self._inverse
        about_origin = motions @ self._shift.T
        return [Shares(*one) for one in zip(forces, moments, about_origin, strict=True)]


def _no_shares(count: int, *, is_held: bool = False) -> Shares:
    return Shares(np.zeros((count, 3)), np.zeros((count, 3)), np.zeros(6), is_held=is_held)


def shared(springs: Springs, force: Floats, at: Floats) -> Shares:
    """How all springs share a `force` (3,) N that acts `at` a place (3,) mm."""
    plate = RigidPlate(springs, springs.places.mean(axis=0) if len(springs) else at)
    return plate.shares(plate.wrench(force, at)[None], np.arange(len(springs)))[0]


def _inverted(stiffness: Floats) -> Floats | None:
    """(6, 6): the inverse of a stiffness; None where nothing holds against some motion.

    Scaled by the diagonal first, since millimetres and radians differ by orders.
    """
    diagonal = np.diag(stiffness)
    if not (diagonal > 0).all():
        return None
    scale = 1 / np.sqrt(diagonal)
    scaled = stiffness * scale[:, None] * scale
    if np.linalg.eigvalsh(scaled)[0] < _SINGULAR:
        return None
    result: Floats = np.linalg.inv(scaled) * scale[:, None] * scale
    return result


def _solved(stiffness: Floats, load: Floats) -> Floats | None:
    """The motion (6,) under a load (6,); None where nothing holds against some motion."""
    inverse = _inverted(stiffness)
    return None if inverse is None else inverse @ load

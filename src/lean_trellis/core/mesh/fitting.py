"""How a revised mesh lies on the one before: the best fit of two surfaces that share most of their shape.

Iterative closest points with the worst pairs left out (Chetverikov, Stepanov and Krsek 2005, Robust Euclidean alignment
of 3D point sets: the trimmed iterative closest point algorithm), steps by point to plane (Chen and Medioni 1992), begun
from where the mesh is, from its middle on the other's middle, and from the 24 turns of a box with that.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import permutations, product

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on, spread_by_area
from lean_trellis.core.nearest import PlaceTree, place_tree
from lean_trellis.core.progress import UNWATCHED, Watch

_PLACES, _FEW, _DENSE = 2_000, 250, 20_000
_PLACES_ACROSS = 60
_ROUNDS, _BEST = 40, 4
_KEPT = 0.75
"""The share of pairs that a step is taken from: what was changed on a part pulls at nothing."""
_ALIKE_NORMALS = 0.7
_WITHIN = 0.002
"""Surfaces coincide within this share of the part's size."""
_SETTLED, _GOOD = 1e-6, 0.9
_WORTH = 0.03
"""A mesh is moved only where that brings so much more of it together."""


@dataclass(frozen=True, eq=False)
class Fit:
    """The turn (3, 3) and shift (3,) that bring the revised mesh onto the one before, and the share that coincides."""

    turn: Floats
    shift: Floats
    share: float

    @property
    def is_moved(self) -> bool:
        """Whether it was somewhere else."""
        return not (np.allclose(self.turn, np.eye(3)) and np.allclose(self.shift, 0))


@heavy
def best_fit(before: Mesh, after: Mesh, watch: Watch = UNWATCHED) -> Fit:
    """How `after` has to be moved so that most of its surface lies on that of `before`; not at all where it does."""
    target = _Surface.of(before, _DENSE)
    places, normals = spread_over(after, _PLACES)
    size = float(np.linalg.norm(before.bounds[1] - before.bounds[0]))
    here = _score(target, places, normals, np.eye(3), np.zeros(3), size)
    if here > 1 - _WORTH:
        return Fit(np.eye(3), np.zeros(3), here)
    middle_before, middle_after = before.bounds.mean(axis=0), after.bounds.mean(axis=0)
    begins = [(np.eye(3), np.zeros(3))]
    begins += [(turn, middle_before - turn @ middle_after) for turn in _box_turns()]
    begins += [(np.eye(3), places_of(before).mean(axis=0) - places.mean(axis=0))]
    few = slice(None, None, _PLACES // _FEW)
    scored = sorted(
        (-_score(target, places[few], normals[few], *begin, 5 * size), number) for number, begin in enumerate(begins)
    )
    fits = [Fit(np.eye(3), np.zeros(3), here)]
    for place, (_, number) in enumerate(scored[:_BEST]):
        watch.at(place / _BEST, "fitting the revised part")
        turn, shift = _stepped(target, places, normals, *begins[number])
        fits.append(Fit(turn, shift, _score(target, places, normals, turn, shift, size)))
        if fits[-1].share > _GOOD:
            break
    best = max(fits, key=lambda fit: fit.share)
    return best if best.share > here + _WORTH else fits[0]


def places_of(mesh: Mesh) -> Floats:
    """(n, 3) places spread over a mesh by area."""
    return spread_over(mesh, _PLACES)[0]


def spread_over(mesh: Mesh, count: int) -> tuple[Floats, Floats]:
    """(n, 3) places spread over a mesh by area, always the same ones, and the normals (n, 3) there."""
    places, faces = spread_by_area(mesh, count)
    return places, mesh.normals[faces]


def far_faces(mesh: Mesh, other: Mesh, within: float) -> Bools:
    """(m,): which faces of a mesh lie by more than half off another's surface, by more than `within` mm."""
    surface = _Surface.of(other, _DENSE)
    size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    places, faces = places_on(mesh, np.arange(len(mesh.faces)), size / _PLACES_ACROSS)
    away, aside = surface.distances(places, mesh.normals[faces])
    is_far = (np.abs(away) > within) | (aside > 3 * surface.apart + within)
    count = len(mesh.faces)
    result: Bools = 2 * np.bincount(faces, is_far, count) > np.bincount(faces, minlength=count)
    return result


@dataclass(frozen=True, eq=False)
class _Surface:
    """A surface as places with normals, `apart` mm from each other."""

    places: Floats
    normals: Floats
    tree: PlaceTree
    apart: float

    @staticmethod
    def of(mesh: Mesh, count: int) -> _Surface:
        places, normals = spread_over(mesh, count)
        return _Surface(places, normals, place_tree(places), float(np.sqrt(mesh.areas.sum() / count)))

    def nearest(self, places: Floats, normals: Floats) -> np.ndarray:
        """(n,): for each place the nearest one here that looks the same way; of four, else the nearest."""
        _, near = self.tree.query(places, k=4)
        alike = np.einsum("nkj,nj->nk", self.normals[near], normals) > _ALIKE_NORMALS
        return np.take_along_axis(near, np.argmax(alike, axis=1)[:, None], axis=1)[:, 0]

    def distances(self, places: Floats, normals: Floats) -> tuple[Floats, Floats]:
        """(n,) along the surface's normal and (n,) along the surface, to the nearest place."""
        near = self.nearest(places, normals)
        gap = places - self.places[near]
        away = np.einsum("ij,ij->i", gap, self.normals[near])
        alike = np.einsum("ij,ij->i", normals, self.normals[near]) > _ALIKE_NORMALS
        aside = np.linalg.norm(gap - away[:, None] * self.normals[near], axis=1)
        return np.where(alike, away, np.inf), aside


def _score(target: _Surface, places: Floats, normals: Floats, turn: Floats, shift: Floats, size: float) -> float:
    """The share of places that lie on the target once moved."""
    away, aside = target.distances(places @ turn.T + shift, normals @ turn.T)
    within = _WITHIN * size
    return float(np.mean((np.abs(away) <= within) & (aside <= 3 * target.apart + within)))


def _stepped(target: _Surface, places: Floats, normals: Floats, turn: Floats, shift: Floats) -> tuple[Floats, Floats]:
    from scipy.spatial.transform import Rotation

    for _ in range(_ROUNDS):
        here, facing = places @ turn.T + shift, normals @ turn.T
        near = target.nearest(here, facing)
        gap = here - target.places[near]
        away = np.linalg.norm(gap, axis=1)
        kept = away <= np.quantile(away, _KEPT)
        off = np.einsum("ij,ij->i", gap[kept], target.normals[near][kept])
        rows = np.column_stack([np.cross(here[kept], target.normals[near][kept]), target.normals[near][kept]])
        step, *_ = np.linalg.lstsq(rows, -off, rcond=1e-6)
        small = Rotation.from_rotvec(step[:3]).as_matrix()
        turn, shift = small @ turn, small @ shift + step[3:]
        if np.linalg.norm(step) < _SETTLED:
            break
    return turn, shift


def _box_turns() -> list[Floats]:
    """The 24 turns that bring a box onto itself, none of all first."""
    turns = []
    for order in permutations(range(3)):
        for signs in product((1.0, -1.0), repeat=3):
            turn = np.zeros((3, 3))
            turn[np.arange(3), order] = signs
            if np.linalg.det(turn) > 0:
                turns.append(turn)
    return sorted(turns, key=lambda turn: -float(np.trace(turn)))

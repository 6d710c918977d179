"""How the contacts of one piece share a force and its moment: as a rigid plate on springs does.

The method is that of bolt groups (elastic vector method; Shigley, Mechanical Engineering Design, chapter on joints):
displacement u and rotation θ of the plate give each spring a force in proportion to its own displacement u + θ × r.
Contacts that can only push, such as rests and gaps, let go where they would have to pull; which these are is found by
iteration, as for one-sided supports. Many loads are shared at once, each by the contacts that hold by then.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows, counted_out, crossed

_MOST_TURNS = 60
_SLACK = 1e-9
_SINGULAR = 1e-12
_SET_RIGHT, _EXACT = 8, 1e-12
_AT_ONCE, _MOST_LIFTS = 50_000, 2_000_000
_ROWS, _COLUMNS = np.triu_indices(6)


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
class Holdings:
    """Numbers in runs, one run after another: `which` (p,), and how many of them each run has, `counts` (r,)."""

    which: Longs
    counts: Longs

    @property
    def owners(self) -> Longs:
        """(p,): the run that each belongs to."""
        return np.repeat(np.arange(len(self.counts)), self.counts)

    @property
    def begins(self) -> Longs:
        """(r,): where each run begins."""
        result: Longs = np.cumsum(self.counts) - self.counts
        return result

    @staticmethod
    def of(each: list[Longs]) -> Holdings:
        """A run of each array (k,)."""
        counts = np.array([len(one) for one in each], np.int64)
        return Holdings(np.concatenate([np.zeros(0, np.int64), *each]), counts)

    def distinct(self) -> tuple[Holdings, Longs]:
        """Each run but once, and (r,) which of these every run is."""
        first: dict[bytes, int] = {}
        of, kept = np.zeros(len(self.counts), np.int64), []
        for number, (begin, count) in enumerate(zip(self.begins.tolist(), self.counts.tolist(), strict=True)):
            key = self.which[begin : begin + count].tobytes()
            if key not in first:
                first[key] = len(first)
                kept.append(number)
            of[number] = first[key]
        return self.chosen(np.array(kept, np.int64)), of

    def chosen(self, runs: Longs) -> Holdings:
        """Some runs (k,), in this order, one also more than once."""
        counts = self.counts[runs]
        owners, within = counted_out(counts)
        return Holdings(self.which[self.begins[runs][owners] + within], counts)

    def sums(self, values: Floats) -> Floats:
        """(r, ...): of values (p, ...) the sum over each run."""
        result = np.zeros((len(self.counts), *values.shape[1:]))
        some = np.flatnonzero(self.counts)
        if len(some):
            result[some] = np.add.reduceat(values, self.begins[some])
        return result

    def greatest(self, values: Floats, least: float) -> Floats:
        """(r,): the greatest of values (p,) in each run, `least` in one that is empty."""
        result = np.full(len(self.counts), least)
        some = np.flatnonzero(self.counts)
        if len(some):
            result[some] = np.maximum.reduceat(values, self.begins[some])
        return result

    def portions(self, runs: Longs) -> Iterator[slice]:
        """Stretches of `runs` (k,) that have few enough numbers in all to be looked at together."""
        upto = np.cumsum(self.counts[runs])
        begin = 0
        while begin < len(runs):
            before = int(upto[begin - 1]) if begin else 0
            end = max(begin + 1, int(np.searchsorted(upto, before + _AT_ONCE, side="right")))
            yield slice(begin, end)
            begin = end


@dataclass(frozen=True, eq=False)
class Shares:
    """What each spring takes of each of several loads: `forces` (p, 3) N and `moments` (p, 3) N mm.

    Of each load these sum to it and its moment; `springs` has a run of springs a load, those that act. `motions` (l, 6)
    are the plate's, in mm and radians. `is_balanced` (l,) is False where nothing that can act balances a load: no
    spring is named then.
    """

    springs: Holdings
    forces: Floats
    moments: Floats
    motions: Floats
    is_balanced: Bools


def _crosses(places: Floats) -> Floats:
    """(n, 3, 3): matrices by which places (n, 3) turn a vector v into place × v."""
    x, y, z = places.T
    none = np.zeros(len(places))
    return np.stack([none, -z, y, z, none, -x, -y, x, none], axis=1).reshape(-1, 3, 3)


def _plate_stiffness(springs: Springs, origin: Floats) -> Floats:
    """(n, 6, 6): what each spring adds to the stiffness of a plate whose displacement and rotation are about an origin.

    With d = u + θ × r = B (u, θ) for r from the origin: Bᵀ K B, and the turning stiffness for the rotation.
    """
    away = _crosses(springs.places - origin)
    moves = np.concatenate([np.tile(np.eye(3), (len(springs), 1, 1)), -away], axis=2)
    result: Floats = np.einsum("nki,nkl,nlj->nij", moves, springs.stiffness, moves)
    result[:, [3, 4, 5], [3, 4, 5]] += springs.turning[:, None]
    return result


class RigidPlate:
    """Springs under one rigid plate, some of which hold at a time; motions are about one origin (3,)."""

    def __init__(self, springs: Springs, origin: Floats) -> None:
        self.springs, self.origin = springs, origin
        self._each = _plate_stiffness(springs, origin)[:, _ROWS, _COLUMNS]

    def stiffness(self, runs: Holdings, acts: Bools | None = None) -> Floats:
        """(r, 6, 6): of all springs of each run together, or of those that act (p,)."""
        each = self._each[runs.which] if acts is None else self._each[runs.which] * acts[:, None]
        sums = runs.sums(each)
        result = np.empty((len(sums), 6, 6))
        result[:, _ROWS, _COLUMNS] = result[:, _COLUMNS, _ROWS] = sums
        return result

    def wrenches(self, forces: Floats, places: Floats) -> Floats:
        """(l, 6): forces (l, 3) N that act at places (l, 3), with their moments about the origin in N mm."""
        return np.column_stack([forces, crossed(places - self.origin, forces)])

    def moved(self, motions: Floats, places: Floats) -> Floats:
        """(l, 3) mm: how far places (l, 3) of the plate go in motions (l, 6)."""
        result: Floats = motions[:, :3] + crossed(motions[:, 3:], places - self.origin)
        return result

    def shares(self, loads: Floats, holding: Holdings, of: Longs) -> Shares:
        """How springs share each of loads (l, 6): a force in N and a moment about the origin, N mm.

        `of` (l,) names the run of `holding` that holds against each load.
        """
        if not self.springs.pulls[holding.which].all():
            holding, of = self._pushing(loads, holding.chosen(of)), np.arange(len(loads))
        solved = _Systems(self, holding)
        is_balanced = solved.is_stiff[of] | ~loads.any(axis=1)
        return solved.shares(loads, np.where(solved.is_stiff[of], of, -1), is_balanced)

    def lifts(self, loads: Floats) -> Iterator[tuple[slice, Floats, Floats]]:
        """Portions of loads (l, 6): the force upward, N, and the bending moment, N mm, (l, n) on every spring.

        All hold, pushed or pulled, as a bond does; nothing comes where they do not hold against every motion.
        """
        if not len(self.springs):
            return
        system = _Systems(self, Holdings.of([np.arange(len(self.springs))]))
        if not system.is_stiff[0]:
            return
        upward, turns = system.upward(), self.springs.turning
        at_once = max(1, _MOST_LIFTS // len(self.springs))
        for begin in range(0, len(loads), at_once):
            some = slice(begin, begin + at_once)
            motions = system.motions(loads[some])
            yield some, motions @ upward.T, np.hypot(motions[:, 3], motions[:, 4])[:, None] * turns

    def _pushing(self, loads: Floats, holdings: Holdings) -> Holdings:
        """Those that act of a run a load where some can only push: they let go where they would have to pull."""
        owners, pulls = holdings.owners, self.springs.pulls[holdings.which]
        axes = self.springs.axes[holdings.which]
        away = self.springs.places[holdings.which] - self.origin
        acts, going = np.ones(len(owners), bool), np.flatnonzero(holdings.counts)
        only_less = np.zeros(len(loads), bool)
        seen: list[set[bytes]] = [set() for _ in loads]
        for _ in range(_MOST_TURNS):
            rows = np.flatnonzero(np.isin(owners, going))
            now = Holdings(holdings.which[rows], holdings.counts[going])
            inverse, is_stiff = _inverted(self.stiffness(now, acts[rows]))
            motions = np.einsum("lij,lj->li", inverse, loads[going])[now.owners]
            along = ((motions[:, :3] + crossed(motions[:, 3:], away[rows])) * axes[rows]).sum(axis=1)
            # What only pushes acts where the plate comes towards it: against its axis.
            wanted = pulls[rows] | (along < _SLACK * now.greatest(np.abs(along), 0.0)[now.owners])
            wanted &= ~only_less[going][now.owners] | acts[rows]
            wanted &= is_stiff[now.owners]
            left = []
            for load, begin, count in zip(going.tolist(), now.begins.tolist(), now.counts.tolist(), strict=True):
                before, after = acts[rows[begin : begin + count]], wanted[begin : begin + count]
                if np.array_equal(before, after):
                    continue
                only_less[load] |= after.tobytes() in seen[load]  # in a circle: what let go stays off from now on
                seen[load].add(before.tobytes())
                after = before & after if only_less[load] else after
                acts[rows[begin : begin + count]] = after
                if after.any():
                    left.append(load)
            going = np.array(left, np.int64)
            if not len(going):
                break
        return Holdings(holdings.which[acts], np.bincount(owners[acts], minlength=len(loads)).astype(np.int64))


class _Systems:
    """Holdings of springs that act together: what is needed to share any load among those of a run.

    All is about the own middle of each run, where displacements are small and nothing is lost between large numbers.
    """

    def __init__(self, plate: RigidPlate, runs: Holdings) -> None:
        self._springs, self._runs = plate.springs, runs
        self._middles = runs.sums(plate.springs.places[runs.which]) / np.maximum(runs.counts, 1)[:, None]
        self._shifts = np.tile(np.eye(6), (len(runs.counts), 1, 1))
        self._shifts[:, :3, 3:] = _crosses(self._middles - plate.origin)
        self._stiffness = self._shifts.transpose(0, 2, 1) @ plate.stiffness(runs) @ self._shifts
        self._inverse, self.is_stiff = _inverted(self._stiffness)

    def motions(self, loads: Floats) -> Floats:
        """(l, 6): how the plate moves about the middle of the only run under loads (l, 6) about the plate's origin."""
        wanted = loads @ self._shifts[0]
        motions = wanted @ self._inverse[0]
        result: Floats = motions + (wanted - motions @ self._stiffness[0]) @ self._inverse[0]
        return result

    def upward(self) -> Floats:
        """(p, 6): by which a motion about the middle of its run lifts each spring, in N.

        Of f = K (u + θ × r) the last row: K₃ · u + (r × K₃) · θ.
        """
        springs = self._springs.only(self._runs.which)
        last = springs.stiffness[:, 2]
        return np.column_stack([last, crossed(springs.places - self._middles[self._runs.owners], last)])

    def shares(self, loads: Floats, of: Longs, is_balanced: Bools) -> Shares:
        """How the springs of run `of` (l,) share each of loads (l, 6), set right by what the sum of all lacks of it.

        Where `of` is -1 none take anything.
        """
        some = np.flatnonzero(of >= 0)
        runs, shifts, inverse = self._runs.chosen(of[some]), self._shifts[of[some]], self._inverse[of[some]]
        owners, springs = runs.owners, self._springs.only(runs.which)
        away = springs.places - self._middles[of[some]][owners]
        wanted = np.einsum("li,lij->lj", loads[some], shifts)
        motions = np.einsum("li,lij->lj", wanted, inverse)
        forces = moments = np.zeros((len(owners), 3))
        for turn in range(_SET_RIGHT):
            each = motions[owners]
            moved = each[:, :3] + crossed(each[:, 3:], away)
            along = (springs.axial - springs.sideways) * (moved * springs.axes).sum(axis=1)
            forces = springs.sideways[:, None] * moved + along[:, None] * springs.axes
            moments = springs.turning[:, None] * each[:, 3:]
            lacking = wanted - runs.sums(np.column_stack([forces, moments + crossed(away, forces)]))
            is_exact = np.abs(lacking).max(axis=1) <= _EXACT * np.abs(wanted).max(axis=1)
            if is_exact.all() or turn == _SET_RIGHT - 1:
                break
            motions = motions + np.where(is_exact, 0.0, 1.0)[:, None] * np.einsum("li,lij->lj", lacking, inverse)
        about_origin = np.zeros((len(loads), 6))
        about_origin[some] = np.einsum("lij,lj->li", shifts, motions)
        counts = np.zeros(len(loads), np.int64)
        counts[some] = runs.counts
        return Shares(Holdings(runs.which, counts), forces, moments, about_origin, is_balanced)


def _inverted(stiffness: Floats) -> tuple[Floats, Bools]:
    """(s, 6, 6): the inverses of stiffnesses (s, 6, 6), and (s,) whether each holds against every motion.

    Scaled by the diagonal first, since millimetres and radians differ by orders. Those that do not hold are zero.
    """
    result = np.zeros_like(stiffness)
    diagonal = np.einsum("sii->si", stiffness)
    is_stiff = (diagonal > 0).all(axis=1)
    scale = 1 / np.sqrt(np.where(is_stiff[:, None], diagonal, 1.0))
    scaled = stiffness * scale[:, :, None] * scale[:, None, :]
    is_stiff[is_stiff] = np.linalg.eigvalsh(scaled[is_stiff])[:, 0] >= _SINGULAR
    result[is_stiff] = np.linalg.inv(scaled[is_stiff]) * (scale[:, :, None] * scale[:, None, :])[is_stiff]
    return result, is_stiff


def shared(springs: Springs, force: Floats, at: Floats) -> Shares:
    """How all springs share a `force` (3,) N that acts `at` a place (3,) mm; what does not act is named with none."""
    count = len(springs)
    plate = RigidPlate(springs, springs.places.mean(axis=0) if count else at)
    every = Holdings(np.arange(count), np.array([count]))
    shares = plate.shares(plate.wrenches(force[None], at[None]), every, np.zeros(1, np.int64))
    forces, moments = np.zeros((count, 3)), np.zeros((count, 3))
    forces[shares.springs.which], moments[shares.springs.which] = shares.forces, shares.moments
    return Shares(every, forces, moments, shares.motions, shares.is_balanced)

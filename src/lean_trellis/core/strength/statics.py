"""What every contact of a part carries while it is built, layer by layer, with all of its supports together.

At each level the contacts that hold a body by then share what acts on it as a rigid plate on springs does; since thin
parts are not rigid, what acts beside each contact alone counts as well, and the larger of both.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import chain, pairwise

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs
from lean_trellis.core.mesh.hollows import Cups
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.strength.actions import SIDES, Actions
from lean_trellis.core.strength.bond import PLASTIC, Bond, Worst, bonded, place_of
from lean_trellis.core.strength.grip_loads import GripLoads, LevelLoads
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.strength.growth import GrownBody, stages
from lean_trellis.core.strength.lifting import LiftPlaces, lift_places
from lean_trellis.core.strength.plate_hold import PlateHold
from lean_trellis.core.strength.sharing import Holdings, RigidPlate, Shares, Springs

_SHEAR = 3.0
"""Of distortion energy: σ² + 3 τ² (von Mises 1913)."""
_RIGID = 5.0
"""A body carries a moment as a rigid one does out to so many times its thickness over its contacts: assumed. What lies
farther out bends instead."""
_TURN = np.radians([35.0, 125.0, 215.0, 305.0])
_OBLIQUE = np.stack([np.cos(_TURN), np.sin(_TURN)])
"""(2, 4): four ways, none of which is likely to be square to an edge of a part."""
_APART = 1e5
_SAMPLE_MM = 1.0
_SHARING, _NEAR_MM = 4, 0.25
_BESIDE_MM = 2.0
"""Contacts no farther than this beside a layer's box hold what grows above them."""


@dataclass(frozen=True, eq=False)
class Statics:
    """Of one part: the loads of each of its supports' contacts, what the bond to the plate is used, and deflection."""

    loads: tuple[GripLoads, ...]
    by_level: tuple[LevelLoads, ...] = ()
    """The same level by level."""
    plate_by_level: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    """(k, 2): level, and how much of the bond to the plate is used there."""
    plate: Worst = field(default_factory=Worst)
    """How much of the bond to the plate is used, the part's own and that of its supports' feet."""
    deflection: Worst = field(default_factory=Worst)
    """How far the current top gives way, mm."""
    warp: Worst = field(default_factory=Worst)
    """How much of what holds it down the ends of a body that curls use."""
    tipping: Worst = field(default_factory=Worst)
    """How much of what the bond to the plate bears is used by what turns it over, and the edge about which."""


@dataclass(frozen=True, eq=False)
class PartLoads:
    """The statics of a part; the loads of each support by its id, of every contact of the whole support."""

    statics: Statics
    loads: dict[str, GripLoads]
    by_level: dict[str, LevelLoads]
    actions: Actions


@dataclass(frozen=True, eq=False)
class Standing:
    """A part with what holds it: its overhangs, contacts and whether each can pull, what lies on the plate, and rays.

    `grips` and `pulls` have one entry a support; `feet` are the supports' own, `corners` (c, 2) those of the hull of
    all of them. `first_hits` casts rays at the part; `cups` gives its hollows that open only to the level being built.
    """

    overhangs: Overhangs
    grips: Sequence[Grips]
    pulls: Sequence[bool]
    feet: Bond
    first_hits: Callable[[Floats, Floats], tuple[Floats, Floats]]
    cups: Callable[[], Cups] = Cups
    corners: Floats = field(default_factory=lambda: np.zeros((0, 2)))


def part_statics(standing: Standing, actions: Actions, watch: Watch = UNWATCHED) -> Statics:
    """What its contacts carry while a part is built."""
    return _Sums(standing, actions).over_all(watch)


def layer_frame(normal: tuple[float, float, float]) -> Floats:
    """(3, 3): the rotation that turns the layers' normal upright; x stays, as the belt's axis does."""
    up = np.array(normal)
    across = np.cross(up, [1.0, 0.0, 0.0])
    across /= np.linalg.norm(across)
    return np.stack([np.cross(across, up), across, up])


class _Sums:
    """The most of everything so far."""

    def __init__(self, standing: Standing, actions: Actions) -> None:
        self.actions, self.overhangs = actions, standing.overhangs
        self.frame = layer_frame(standing.overhangs.layer_normal)
        mesh = standing.overhangs.mesh
        self.mesh = Mesh(mesh.vertices @ self.frame.T, mesh.faces)
        self.sizes = [len(grips) for grips in standing.grips]
        self.grips = Grips.joined([Grips(), *standing.grips])
        self.places = self.grips.places @ self.frame.T
        can_pull = np.repeat(np.array(standing.pulls, bool), self.sizes)
        self.ground = PlateHold(
            standing.overhangs, standing.feet, standing.corners, self.frame, self.mesh.middle, actions
        )
        self.lifts = LiftPlaces()
        if actions.lift > 0:
            self.lifts = lift_places(standing.overhangs.rim, standing.first_hits)
        whole = _springs(self.grips, self.frame, can_pull, actions.stiffness)
        lying = bonded(self.ground.rests, self.frame, actions.stiffness)
        self.plate = RigidPlate(Springs.joined([whole, lying]), self.mesh.middle)
        count = len(self.grips)
        self.by_level = LevelLoads.none(np.zeros(0), count)
        self.worst_flex = Worst()
        self._find_cups, self.cups = standing.cups, Cups()

    def over_all(self, watch: Watch) -> Statics:
        """All stages, then what acts beside each contact alone."""
        places = np.concatenate([self.plate.springs.places, self.lifts.places])
        if len(self.plate.springs):
            grown = list(stages(self.mesh, places, Stretch(watch, 0.0, 0.6)))
            if self.actions.suction > 0 and any(stage.has_holes for stage in grown):
                self.cups = self._find_cups()
            self.by_level = LevelLoads.none(np.unique([stage.level for stage in grown]), len(self.grips))
            self._share(grown, Stretch(watch, 0.6, 1.0))
        loads = self._beside()
        ends = np.cumsum([0, *self.sizes]).tolist()
        which = [np.arange(begin, end) for begin, end in pairwise(ends)]
        worst = self.ground.pull, self.worst_flex, self.ground.warp, self.ground.tipping
        return Statics(
            tuple(loads.only(some) for some in which), tuple(self.by_level.only(some) for some in which),
            self.ground.by_level(), *map(self._in_plate, worst),
        )  # fmt: skip

    def _in_plate(self, worst: Worst) -> Worst:
        x, y, z = (np.array(worst.at_mm) @ self.frame).tolist()
        return Worst(worst.value, (x, y, z), worst.level)

    def _share(self, grown: Sequence[GrownBody], watch: Watch) -> None:
        """What acts on each body at each level, shared by what holds it."""
        springs = self.plate.springs
        grown = [stage for stage in grown if (stage.holds < len(springs)).any()]
        holding = Holdings.of([stage.holds[stage.holds < len(springs)] for stage in grown])
        self.ground.curl(grown, holding, springs, self.grips)
        acting = [self._acting(stage) for stage in grown]
        of = np.repeat(np.arange(len(grown)), [len(each) for each in acting])
        if not len(of):
            return
        forces, places = (np.array(column) for column in zip(*chain(*acting), strict=True))
        levels = np.array([stage.level for stage in grown])
        loads = self.plate.wrenches(forces, self._within_reach(places, grown, levels, holding, of))
        self.ground.take(loads, forces, places, levels[of])
        bases = self._held_to(grown, holding) if forces[:, :2].any() else np.full(len(grown), -np.inf)
        distinct, same = holding.distinct()
        for some in distinct.portions(same[of]):
            watch.at(some.start / len(of), "sharing loads among contacts")
            shares = self.plate.shares(loads[some], distinct, same[of[some]])
            self._take(shares, levels[of[some]])
            self._flex(shares, grown, of[some], forces[some], bases)

    def _within_reach(
        self, places: Floats, grown: Sequence[GrownBody], levels: Floats, holding: Holdings, of: Longs
    ) -> Floats:
        """(l, 3): where forces act, no farther in plan from the middle of what holds than its thickness allows."""
        held_places = self.plate.springs.places[holding.which]
        middles = (holding.sums(held_places[:, :2]) / holding.counts[:, None])[of]
        steps = np.array([stage.step for stage in grown])
        most = (_RIGID * (levels + steps / 2 + holding.greatest(-held_places[:, 2], -np.inf)))[of]
        away = places[:, :2] - middles
        far = np.hypot(*away.T)
        return np.column_stack([middles + away * np.minimum(1.0, most / np.maximum(far, 1e-12))[:, None], places[:, 2]])

    def _acting(self, stage: GrownBody) -> list[tuple[Floats, Floats]]:
        """Forces (3,) N and their places (3,) that act one at a time, in the frame of the layers."""
        a, up = self.actions, np.array([0.0, 0.0, 1.0])
        if a.process == "vat":
            return self._peel(stage, up)
        if a.process == "powder_bed":
            acting = [(a.blade * _width(stage.hull, way) * way, stage.middle) for way in a.blade_ways]
            lifts = stage.holds[stage.holds >= len(self.plate.springs)] - len(self.plate.springs)
            if len(lifts):
                forces = self._lift_forces(lifts, stage.level)
                total = float(forces.sum())
                if total > 0:
                    acting.append((total * up, (self.lifts.places[lifts] * forces[:, None]).sum(axis=0) / total))
            return acting
        weight = -a.weight * stage.volume * up
        acting = []
        for corner in _extremes(stage.hull):
            force = -a.nozzle * up + weight
            at = (a.nozzle * np.array([*corner, stage.level]) + a.weight * stage.volume * stage.heavy) / -force[2]
            acting.append((force, at))
        for way in SIDES:
            force = a.nozzle * way + weight
            acting.append((force, stage.middle))
        return acting

    def _peel(self, stage: GrownBody, up: Floats) -> list[tuple[Floats, Floats]]:
        """The film's peel on a layer, with the suction of cups that it closes; on its way down the layer presses."""
        force, at = self.actions.peel * stage.area, stage.middle
        down = (-force * up, at)
        if len(self.cups):
            low, high = stage.hull.min(axis=0), stage.hull.max(axis=0)
            off = np.abs(self.cups.levels - stage.level)
            inside = ((self.cups.middles[:, :2] >= low) & (self.cups.middles[:, :2] <= high)).all(axis=1)
            mine = np.flatnonzero(inside & (off <= stage.step) & (off <= off.min() + 1e-6))
            sucked = self.actions.suction * self.cups.areas[mine]
            total = force + float(sucked.sum())
            at = (force * at + (sucked[:, None] * self.cups.middles[mine]).sum(axis=0)) / max(total, 1e-12)
            force = total
        return [(force * up, np.array([*at[:2], stage.level])), down]

    def _lift_forces(self, which: Longs, level: float) -> Floats:
        """(k,) N: the lift of places along rims, with the solid above them as high as it is built."""
        lifts, a = self.lifts.only(which), self.actions
        above = np.minimum(lifts.tops, level) - lifts.places[:, 2]
        result: Floats = a.lift_at(above) * lifts.lengths * np.where(lifts.at_corner, a.corner_lift, 1.0)
        return result

    def _take(self, shares: Shares, levels: Floats) -> None:
        """The most that contacts carry under any of several loads, each at its level (l,)."""
        own = shares.springs.which < len(self.grips)
        grips, forces, moments = shares.springs.which[own], shares.forces[own], shares.moments[own]
        axes = self.plate.springs.axes[grips]
        along = (forces * axes).sum(axis=1)
        aside = np.linalg.norm(forces - along[:, None] * axes, axis=1)
        areas = np.maximum(self.grips.areas[grips], 1e-9)
        bending = np.linalg.norm(moments, axis=1) / (PLASTIC * areas * self.grips.half_widths[grips] / 4)
        stress = np.sqrt((np.abs(along) / areas + bending) ** 2 + _SHEAR * (aside / areas) ** 2)
        rows = self.by_level.places_of(levels)[shares.springs.owners[own]]
        self.by_level.take(rows, grips, along, -along, aside, stress / self.actions.strength)

    def _flex(self, shares: Shares, grown: Sequence[GrownBody], of: Longs, forces: Floats, bases: Floats) -> None:
        """How far the top goes: with the plate on its springs, and as a cantilever above the highest contact at it."""
        middles = np.array([grown[stage].middle for stage in of.tolist()])
        gives = np.linalg.norm(self.plate.moved(shares.motions, middles), axis=1)
        sides = np.hypot(forces[:, 0], forces[:, 1])
        for load in np.flatnonzero(sides * shares.is_balanced > 0).tolist():
            stage, side = grown[of[load]], sides[load]
            x, y = forces[load, :2] / side
            above = stage.stem[np.searchsorted(stage.stem[:, 0], bases[of[load]], side="right") :]
            moments = above[:, 1] * x * x + above[:, 2] * y * y + 2 * above[:, 3] * x * y
            arms = (stage.level - above[:, 0]) ** 2 / np.maximum(moments, 1e-9)
            gives[load] += side * arms.sum() * stage.step / self.actions.stiffness
        worst = int(gives.argmax())
        if gives[worst] > self.worst_flex.value:
            stage = grown[of[worst]]
            self.worst_flex = Worst(float(gives[worst]), place_of(stage.middle), stage.level)

    def _held_to(self, grown: Sequence[GrownBody], holding: Holdings) -> Floats:
        """(s,): the height of the highest contact under or beside the layer of each body."""
        lows = np.array([stage.hull.min(axis=0) for stage in grown]) - _BESIDE_MM
        highs = np.array([stage.hull.max(axis=0) for stage in grown]) + _BESIDE_MM
        places, owners = self.plate.springs.places[holding.which], holding.owners
        beside = ((places[:, :2] >= lows[owners]) & (places[:, :2] <= highs[owners])).all(axis=1)
        return holding.greatest(np.where(beside, places[:, 2], -np.inf), -np.inf)

    def _beside(self) -> GripLoads:
        """The most of what is shared and of what acts on each contact alone: the area, the rim or the nozzle beside."""
        a, count, shared = self.actions, len(self.grips), self.by_level.most()
        if not count or not len(self.by_level):
            return shared
        pulls, pushes, levels = np.zeros(count), np.zeros(count), self.places[:, 2]
        bears = np.maximum(self.grips.areas * a.strength, 1e-9)
        if a.process == "vat":
            areas, heights = _areas_beside(self.grips, self.overhangs, self.frame)
            pulls = pushes = a.peel * areas
            levels = np.maximum(levels, heights)
        elif a.process == "powder_bed":
            grown = self._lift_beside(np.append(self.by_level.levels, np.inf))
            pulls = grown[-1]
            self._take_lifts(grown[:-1], bears)
        else:
            pushes = np.full(count, a.nozzle)
        used = np.maximum(pulls, pushes) / bears
        if a.process != "powder_bed":
            rows = self.by_level.places_of(levels)
            self.by_level.take(rows, np.arange(count), pulls, pushes, np.zeros(count), used)
        return GripLoads(
            np.maximum(shared.pulls, pulls), np.maximum(shared.pushes, pushes), shared.sides,
            np.maximum(shared.used, used), np.where(used > shared.used, levels, shared.levels),
        )  # fmt: skip

    def _take_lifts(self, lifts: Floats, bears: Floats) -> None:
        """What rims beside contacts lift with at each level (k, n), N, from the row on in which each is reached."""
        rows = self.by_level.places_of(self.places[:, 2])
        for row, lifted in enumerate(lifts):
            some = np.flatnonzero((rows <= row) & (lifted > 0))
            none = np.zeros(len(some))
            self.by_level.take(np.full(len(some), row), some, lifted[some], none, none, lifted[some] / bears[some])

    def _lift_beside(self, levels: Floats) -> Floats:
        """(l, n) N: the lift of the stretches of rim nearest to each contact, in its own region, at levels (l,)."""
        if not len(self.lifts):
            return np.zeros((len(levels), len(self.grips)))
        every = np.arange(len(self.lifts))
        forces = np.stack([self._lift_forces(every, level) for level in levels.tolist()])
        return _shared_beside(self.grips, self.lifts.places, self.lifts.regions, forces)


def _springs(grips: Grips, frame: Floats, pulls: Bools, stiffness: float) -> Springs:
    return Springs(
        grips.places @ frame.T, grips.axes @ frame.T, stiffness * grips.axial, stiffness * grips.sideways,
        stiffness * grips.turning, pulls,
    )  # fmt: skip


def _areas_beside(grips: Grips, overhangs: Overhangs, frame: Floats) -> tuple[Floats, Floats]:
    """(n,) mm²: how much of its region's area, seen along the layers' normal, is nearest to each contact; (n,) where.

    The second are heights along the normal, in the mean.
    """
    faces = overhangs.faces_to_hold
    if not len(faces) or not len(grips):
        return np.zeros(len(grips)), np.zeros(len(grips))
    places, on = places_on(overhangs.mesh, faces, _SAMPLE_MM)
    flat = overhangs.mesh.areas * np.abs(overhangs.mesh.normals @ np.array(overhangs.layer_normal))
    shares = flat[on] / np.bincount(on, minlength=len(flat))[on]
    both = np.stack([shares, shares * (places @ frame.T)[:, 2]])
    areas, firsts = _shared_beside(grips, places, overhangs.region_of_face[on], both)
    return areas, firsts / np.maximum(areas, 1e-12)


def _shared_beside(grips: Grips, places: Floats, regions: Ints, loads: Floats) -> Floats:
    """(l, n): loads (l, k) at places (k, 3) shared by the few nearest contacts of the same region, or those without.

    Each takes its share by its area over the square of how far off it is: the nearest most of all.
    """
    from scipy.sparse import csr_array

    named = grips.regions >= 0
    away, which = np.zeros((len(places), 0)), np.zeros((len(places), 0), np.int64)
    for some, apart in ((np.flatnonzero(named), _APART), (np.flatnonzero(~named), 0.0)):
        if len(some):
            known = min(_SHARING, len(some))
            tree = place_tree(np.column_stack([grips.places[some], grips.regions[some] * apart]))
            far, near = tree.query(np.column_stack([places, regions * apart]), k=known, workers=-1)
            away = np.column_stack([away, far.reshape(len(places), known)])
            which = np.column_stack([which, some[near.reshape(len(places), known)]])
    if not away.shape[1]:
        return np.zeros((len(loads), len(grips)))
    weights = grips.areas[which] / np.maximum(away, _NEAR_MM) ** 2 * (away < 0.5 * _APART)
    total = weights.sum(axis=1)
    kept = np.flatnonzero(total > 0)
    shares = (weights[kept] / total[kept, None]).reshape(-1)
    owners = np.repeat(kept, which.shape[1])
    spread = csr_array((shares, (which[kept].reshape(-1), owners)), shape=(len(grips), len(places)))
    result: Floats = (spread @ loads.T).T
    return result


def _width(hull: Floats, way: Floats) -> float:
    """How wide a hull (k, 2) is across a way (3,), mm."""
    along = hull @ np.array([-way[1], way[0]])
    return float(np.ptp(along))


def _extremes(hull: Floats) -> Floats:
    """(4, 2): the corners of a hull (k, 2) that reach farthest to four sides: of a rectangle that lies straight all."""
    result: Floats = hull[(hull @ _OBLIQUE).argmax(axis=0)]
    return result

"""Courses: a straight path below a level surface, and what is under it decides what can be built where."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import pytest
from manifold3d import Manifold

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle
from lean_trellis.core.supports.panels.courses import (
    FREE,
    IN_THE_WAY,
    NO_SURFACE,
    OFF_PLATE,
    STEP_MM,
    TOO_LOW,
    TOO_NEAR,
    TOO_STEEP,
    Footing,
    Surveyor,
    _filled,
    find_runs,
)  # fmt: skip
from lean_trellis.core.supports.panels.paths import Path

TOP = 10.0
LINE = Path(np.array([(0.0, 0), (20, 0)]), 0)


@dataclass
class Ceiling:
    """A level surface from x = `begin` to `end`, rising by `slope` along x."""

    begin: float = -1.0
    end: float = 21.0
    slope: float = 0.0
    region: int = 4
    mesh: Mesh = field(default_factory=lambda: box((1, 1, 1)))
    edges: np.ndarray = field(default_factory=lambda: np.array([[(7.3, -5.0), (7.3, 5)], [(0.0, 9), (1, 9)]]))

    def surface_at(self, places):
        is_there = (places[:, 0] > self.begin) & (places[:, 0] < self.end)
        return np.where(is_there, TOP + self.slope * places[:, 0], np.nan), np.where(is_there, 0, -1)


def there(solid: Manifold) -> Obstacle:
    """A solid of manifold's as an obstacle just where it is."""
    mesh = from_manifold(solid)
    low, high = mesh.bounds
    pose = Pose(x=float((low + high)[0] / 2), y=float((low + high)[1] / 2), build_offset=float(low[2]))
    return Obstacle(RayTree(mesh), pose, pose.applied(mesh))


def block(x0, x1, z0, z1, y0=-5.0, y1=5.0) -> Manifold:
    return Manifold.cube((x1 - x0, y1 - y0, z1 - z0)).translate((x0, y0, z0))


def survey(*solids, ends_on="below", thickness=0.0, least=0.5, ground=None, ceiling=None, **footing):
    roofs = [ceiling or Ceiling()]
    return Surveyor(
        [LINE], roofs, [there(solid) for solid in solids], ground, Footing(ends_on, **footing), thickness
    ).courses(least)


def built(courses) -> list[tuple[float, float]]:
    """Where walls can be built, as places along x."""
    runs = find_runs(courses.stations, courses.walls, courses.free)
    return [tuple(pair) for pair in np.round(np.column_stack([runs.begins, runs.ends]), 2).tolist()]


def states(courses, begin, end) -> set[int]:
    """The states of the stretches between two places along x."""
    after = np.append(courses.stations[1:], np.inf)
    mine = (courses.stations >= begin - 1e-9) & (after <= end + 1e-9)
    return set(courses.state[mine].tolist())


def test_over_the_plate_alone_all_is_built_down_to_it():
    courses = survey()
    assert built(courses) == [(0, 20)]
    assert not courses.lows.any()
    assert not courses.on_part.any()
    assert courses.tops == pytest.approx(np.full(len(courses.tops), TOP))
    assert courses.regions.tolist() == [4]
    assert np.diff(courses.stations).max() <= STEP_MM + 1e-9
    assert np.abs(courses.stations - 7.3).min() < 1e-9  # where the surface's faces change
    assert courses.state[-1] == NO_SURFACE


def test_on_a_step_walls_end_on_it_or_are_left_out_for_the_plate():
    step = block(5, 12, 0, 3)
    courses = survey(step)
    assert built(courses) == [(0, 20)]
    middle = (courses.stations > 5.1) & (courses.stations < 11.5)
    assert courses.lows[middle] == pytest.approx(np.full((int(middle.sum()), 2), 3.0))
    assert courses.on_part[middle].all()
    beside = (courses.stations < 4.5) | (courses.stations > 12.1)
    assert not courses.lows[beside].any()
    plate = survey(step, ends_on="plate")
    (first, second) = built(plate)
    assert first == pytest.approx((0, 5), abs=0.03)
    assert second == pytest.approx((12, 20), abs=0.03)
    assert states(plate, 5.1, 11.9) == {IN_THE_WAY}


@pytest.mark.parametrize(("level_from", "low"), [("plate", 4.0), ("top", 7.0)])
def test_a_level_is_a_height_above_the_plate_or_below_the_surface(level_from, low):
    level = 4.0 if level_from == "plate" else 3.0
    courses = survey(block(5, 12, 0, 2), ends_on="level", level=level, level_from=level_from)
    assert courses.lows[:-1] == pytest.approx(np.full((len(courses.lows) - 1, 2), low))
    assert not courses.on_part[:-1].any()
    high = survey(block(5, 12, 0, 8), ends_on="level", level=level, level_from=level_from)
    middle = (high.stations > 5.1) & (high.stations < 11.5)
    assert high.lows[middle] == pytest.approx(np.full((int(middle.sum()), 2), 8.0))
    assert high.on_part[middle].all()


@pytest.mark.parametrize(("height", "is_built"), [(9.4, True), (9.6, False)])
def test_too_little_room_is_left_out(height, is_built):
    courses = survey(block(-1, 21, 0, height))
    assert (built(courses) == [(0, 20)]) is is_built
    assert states(courses, 0, 20) == ({FREE} if is_built else {TOO_LOW})


@pytest.mark.parametrize(("run", "state"), [(1.0, FREE), (0.1, TOO_STEEP)])
def test_nothing_stands_on_what_is_steeper_than_81_degrees(run, state):
    wedge = Manifold.hull_points([(x, y, z) for y in (-5, 5) for x, z in ((8, 0), (8 + 6 * run, 0), (8, 6))])
    assert states(survey(wedge), 8.05, 8 + 5.5 * run) == {state}


def test_where_no_surface_is_above_nothing_is_built():
    courses = survey(ceiling=Ceiling(end=12.0))
    ((begin, end),) = built(courses)
    assert begin == 0
    assert 12 - STEP_MM <= end <= 12 + 2 * STEP_MM
    assert states(courses, 13, 20) == {NO_SURFACE}


def test_a_thick_wall_keeps_off_what_stands_beside_it_and_a_sheet_does_not_mind():
    beside = block(5, 12, 0, 6, y0=0.3)
    assert states(survey(beside, thickness=1.0), 5.1, 11.9) == {TOO_NEAR}
    assert states(survey(beside, thickness=0.5), 5.1, 11.9) == {FREE}
    assert built(survey(beside)) == [(0, 20)]
    other_side = block(5, 12, 0, 6, y0=-5, y1=-0.3)
    assert states(survey(other_side, thickness=1.0), 5.1, 11.9) == {TOO_NEAR}


def test_off_the_plate_and_over_its_zones_nothing_stands_but_on_a_part_it_may(library):
    machine = library.machine("metal-260")
    ground = Ground(machine)
    edge = Path(np.array([(250.0, 130), (270, 130)]), 0)
    roofs = [Ceiling(begin=0, end=999)]
    courses = Surveyor([edge], roofs, [], ground, Footing("below"), 0.0).courses(0.5)
    ((begin, end),) = built(courses)
    assert begin == 0
    assert end == pytest.approx(10, abs=0.05)
    assert states(courses, 10.2, 20) == {OFF_PLATE}
    on_part = Surveyor([edge], roofs, [there(block(245, 275, 0, 3, 120, 140))], ground, Footing("below"), 0.0).courses(
        0.5
    )
    assert built(on_part) == [(0, 20)]


def test_the_lower_edge_follows_what_bends_below():
    turn = np.linspace(0, np.pi, 60)
    hill = Manifold.hull_points([(10 + 6 * np.cos(t), y, 3 * np.sin(t)) for t in turn for y in (-5, 5)])
    courses = survey(hill)
    on = (courses.stations > 4.6) & (courses.stations < 15)
    x = courses.stations[on]
    expected = 3 * np.sqrt(1 - ((x - 10) / 6) ** 2)
    assert courses.lows[on][:, 0] == pytest.approx(expected, abs=0.03)


def test_runs_are_unbroken_stretches():
    free = np.array([True, True, False, True, False])
    runs = find_runs(np.arange(5.0), np.array([0, 0, 0, 1, 1]), free)
    assert (runs.begins.tolist(), runs.ends.tolist(), runs.walls.tolist()) == ([0, 3], [2, 4], [0, 1])
    assert len(find_runs(np.arange(3.0), np.zeros(3, int), np.zeros(3, bool))) == 0


def test_heights_that_are_missed_at_a_rim_come_from_the_next_column_of_the_same_wall():
    nan = np.nan
    tops = np.array([nan, 5.0, 6.0, nan, nan, 9.0])
    walls = np.array([0, 0, 0, 1, 1, 1])
    near = np.array([0.0, 0.5, 1.0, 1.5, 2.0, 2.5]) * STEP_MM
    np.testing.assert_array_equal(_filled(tops, walls, near), [5, 5, 6, 9, 9, 9])
    far = near.copy()
    far[0] = -3 * STEP_MM
    np.testing.assert_array_equal(_filled(tops, walls, far)[:2], [nan, 5])
    assert np.isnan(_filled(np.full(2, nan), walls[:2], near[:2])).all()


def test_tabs_are_lifted_along_the_normal_and_tilted_on_either_side_as_the_part_is_there():
    """Below an edge along y = 0.1, from which the part rises by 45 degrees to both sides; the wall runs along y = 0."""
    gable = Manifold.hull_points([(x, y, z) for x in (-5.0, 25) for y, z in ((0.1, 9.9), (8.1, 17.9), (-7.9, 17.9))])
    contacts = Contact(is_bite=True, distance=0.2), Contact(is_bite=True, distance=0.0)
    for thickness in (0.0, 1.0):
        surveyor = Surveyor([LINE], [Ceiling()], [there(gable)], None, Footing("below"), thickness, contacts)
        courses = surveyor.courses(0.5)
        inner = (courses.places[:, 0] > 2) & (courses.places[:, 0] < 18)
        assert courses.upper.middles[inner] == pytest.approx(0.2 * 2**0.5)
        right, left = courses.upper.tilts[inner].T
        # From side to side a thick wall ends straight: sides that rise by 0.4 and 0.6 go down to meet in the middle.
        assert right - left == pytest.approx(0.2 if thickness else 0.0)
        assert right + left == pytest.approx(0, abs=1e-9)

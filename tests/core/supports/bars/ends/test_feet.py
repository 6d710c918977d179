"""Feet: profiles by height and slope, groups no wider than asked, shared feet round their bars and clear of parts."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.ends.feet import foot_groups, foot_profile, shared_feet
from lean_trellis.core.supports.common.obstacle import Obstacle

ONE = np.ones(1)


def profile(feet: float, shaft: float, room: float = 100.0, **values: object) -> tuple[list[float], list[float]]:
    """Heights and radii of the three rings of one foot."""
    made = foot_profile(feet * ONE, shaft * ONE, room * ONE, BarParameters(**values))
    return [float(level[0]) for level in made.heights], [float(radius[0]) for radius in made.radii]


def test_without_a_slope_a_foot_narrows_evenly():
    assert profile(3, 1, foot_height=2.0) == (pytest.approx([0, 1, 2]), pytest.approx([3, 2, 1]))


def test_a_foot_is_no_higher_than_there_is_room():
    assert profile(3, 1, 0.5, foot_height=2.0) == (pytest.approx([0, 0.25, 0.5]), pytest.approx([3, 2, 1]))


def test_with_a_slope_what_is_left_is_a_flat_step():
    heights, radii = profile(3, 1, foot_height=1.0, foot_slope=45.0)
    assert heights == pytest.approx([0, 1, 1])
    assert radii == pytest.approx([3, 2, 1])


def test_a_slope_that_reaches_the_shaft_ends_there():
    heights, radii = profile(2, 1, foot_height=5.0, foot_slope=45.0)
    assert heights == pytest.approx([0, 0.5, 1.0])
    assert radii == pytest.approx([2, 1.5, 1])


def test_a_foot_without_height_is_the_shaft():
    assert profile(3, 1, 4.0, foot_height=0.0) == (pytest.approx([0, 0.4, 0.8]), pytest.approx([1, 1, 1]))


def test_no_two_of_a_group_are_farther_apart_than_the_span():
    places = np.array([(0.0, 0), (1, 0), (2, 0), (3, 0), (10, 0), (10, 1.5), (30, 0)])
    groups = foot_groups(places, 2.0)
    assert groups[4] == groups[5]
    assert len({int(groups[4]), int(groups[6]), int(groups[0])}) == 3
    for group in np.unique(groups):
        mine = places[groups == group]
        assert np.linalg.norm(mine[:, None] - mine[None], axis=2).max() <= 2.0
    assert len(np.unique(groups)) == 4


def test_one_place_or_no_span_makes_groups_of_one():
    assert foot_groups(np.zeros((1, 2)), 5.0).tolist() == [0]
    assert foot_groups(np.zeros((3, 2)), 0.0).tolist() == [0, 1, 2]


def test_a_heap_too_large_to_link_is_cut_into_cells_of_the_span():
    side = np.arange(45) * 0.5
    places = np.stack(np.meshgrid(side, side), axis=-1).reshape(-1, 2)
    groups = foot_groups(places, 2.0)
    for group in np.unique(groups):
        mine = places[groups == group]
        assert np.linalg.norm(mine.max(axis=0) - mine.min(axis=0)) <= 2.0
    assert len(np.unique(groups)) < len(places) / 4


def shared(places: list[tuple[float, float]], obstacles=(), **values):
    values = {"group_span": 4.0, "foot_height": 1.0, **values}
    radii = np.full(len(places), 1.5)
    return shared_feet(np.array(places, float), radii, BarParameters(**values), 45.0, obstacles, None)


def test_a_shared_foot_covers_those_of_its_bars_and_a_bar_alone_keeps_its_own():
    feet, owner = shared([(0, 0), (3, 0), (20, 0)])
    assert owner.tolist() == [0, 0, -1]
    (rings,) = feet.rings
    expected = shapely.MultiPoint([(0, 0), (3, 0)]).convex_hull.buffer(1.5, 64).area
    assert shapely.Polygon(rings[0, :, :2]).area == pytest.approx(expected, rel=0.01)
    assert rings[:, 0, 2].tolist() == pytest.approx([0, 1 / 3, 2 / 3, 1])


def test_a_gap_for_a_lever_is_undercut_by_what_holds_itself():
    feet, _ = shared([(0, 0), (3, 0)], lever_gap=0.4, foot_slope=20.0)
    rings = feet.rings[0]
    assert rings[:, 0, 2].tolist() == pytest.approx([0, 0.4, 0.7, 1])
    across = [float(np.ptp(ring[:, 1])) / 2 / np.cos(np.pi / 48) for ring in rings]
    narrowed = 0.6 * np.tan(np.radians(20))
    assert across == pytest.approx([1.5 - 0.4, 1.5, 1.5 - narrowed / 2, 1.5 - narrowed], abs=1e-6)


def test_where_a_part_is_in_the_way_bars_are_parted_and_in_the_end_alone():
    mesh = box((0.5, 20, 3))
    pose = Pose(x=3.5, y=0, build_offset=0)
    wall = Obstacle(RayTree(mesh), pose, pose.applied(mesh))
    places = [(0.0, 0.0), (1.0, 0.0), (6.0, 0.0), (7.0, 0.0)]
    values = {"group_span": 8.0, "part_clearance": 0.3}
    assert shared(places, **values)[1].tolist() == [0, 0, 0, 0]
    owner = shared(places, [wall], **values)[1]
    assert owner[0] == owner[1] >= 0
    assert owner[2] == owner[3] >= 0
    assert owner[0] != owner[2]
    assert shared([(2.5, 0), (4.5, 0)], [wall], **values)[1].tolist() == [-1, -1]


def test_heaps_are_numbered_one_after_another_without_a_gap():
    places = np.array([(0.0, 0), (1, 0), (2, 0), (20, 0), (21, 0), (40, 0)])
    groups = foot_groups(places, 2.5)
    assert sorted(set(groups.tolist())) == [0, 1, 2]


def test_a_foot_of_another_height_has_its_first_step_at_a_third_of_it():
    feet, _ = shared([(0, 0), (3, 0)], foot_height=3.0)
    assert feet.rings[0][:, 0, 2].tolist() == pytest.approx([0, 1.0, 2.0, 3.0])

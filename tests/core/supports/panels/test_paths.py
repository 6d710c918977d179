"""Paths in plan: what shapes leave of them, their stations, and the way to their sides."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from lean_trellis.core.supports.panels.paths import LEAST_WALL_MM, Path, Segments, stretches, without

SQUARE = Path(np.array([(0.0, 0), (10, 0), (10, 10), (0, 10)]), 1, is_closed=True)
ELBOW = Path(np.array([(20.0, 0), (26, 0), (26, 8)]), 0)


def test_a_closed_path_ends_where_it_begins():
    assert (SQUARE.line.length, ELBOW.line.length) == (40.0, 14.0)
    assert SQUARE.ring[-1].tolist() == SQUARE.ring[0].tolist()
    assert len(ELBOW.ring) == 3


def test_what_a_shape_leaves_is_open_and_goes_on_over_the_old_beginning():
    left = without([SQUARE, ELBOW], shapely.box(4, 9, 6, 11))
    assert left[1] is ELBOW
    (ring,) = [path for path in left if path.floor == 1]
    assert not ring.is_closed
    assert ring.line.length == pytest.approx(38)
    assert {tuple(ring.places[0]), tuple(ring.places[-1])} == {(4.0, 10.0), (6.0, 10.0)}


def test_stretches_shorter_than_a_wall_may_be_are_left_out():
    short, enough = LEAST_WALL_MM - 0.01, LEAST_WALL_MM
    lines = shapely.MultiLineString([[(0, 0), (short, 0)], [(0, 1), (enough, 1)], [(5, 0), (7, 0)], [(7, 0), (9, 0)]])
    assert sorted(path.line.length for path in stretches(lines, 3)) == pytest.approx([enough, 4.0])
    assert {path.floor for path in stretches(lines, 3)} == {3}


def test_stations_run_along_all_walls_with_a_gap_between():
    segments = Segments((SQUARE, ELBOW))
    assert segments.walls.tolist() == [0, 0, 0, 0, 1, 1]
    assert segments.floors.tolist() == [1, 1, 1, 1, 0, 0]
    assert segments.lengths.tolist() == [10, 10, 10, 10, 6, 8]
    assert segments.wholes.tolist() == [40, 14]
    assert segments.offsets.tolist() == [0, 41]
    assert segments.begins.tolist() == [0, 10, 20, 30, 41, 47]
    assert segments.bends.tolist() == [0, 10, 20, 30, 40, 41, 47, 55]


def test_places_of_stations_and_the_way_to_the_right_mitred_at_bends():
    places, across, walls = Segments((SQUARE, ELBOW)).at(np.array([5.0, 10, 0, 40, 41, 47, 51, 55]))
    assert walls.tolist() == [0, 0, 0, 0, 1, 1, 1, 1]
    assert places == pytest.approx(
        np.array([(5.0, 0), (10, 0), (0, 0), (0, 0), (20, 0), (26, 0), (26, 4), (26, 8)]), abs=1e-9
    )
    expected = [(0, -1), (1, -1), (-1, -1), (-1, -1), (0, -1), (1, -1), (1, 0), (1, 0)]
    assert across == pytest.approx(np.array(expected, float), abs=1e-9)


def test_a_sharp_bends_mitre_goes_no_farther_than_twice_the_way_to_the_side():
    sharp = Path(np.array([(0.0, 0), (10, 0), (0, 0.5)]), 0)
    _, across, _ = Segments((sharp,)).at(np.array([10.0]))
    assert np.linalg.norm(across[0]) <= 2.0
    assert np.linalg.norm(across[0]) < 1.0  # the sides of both legs lie on opposite sides


def test_no_paths_have_no_stations():
    segments = Segments(())
    assert (len(segments.a), len(segments.bends)) == (0, 0)

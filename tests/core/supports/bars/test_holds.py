"""Places and lines on surfaces, the ground bars stand on, bent bars, the table of regions: against closed forms."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline, RegionFacts
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh, build_topology, examine
from lean_trellis.core.mesh.hatching import hatch_lines
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.overhang import detect
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.region_list import region_rows, rows_as_csv
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.holds import find_hold_points
from lean_trellis.core.supports.common.obstacle import Ground

# --- places and lines ---


@given(st.floats(0.3, 4.0))
def test_hatch_lines_lie_on_the_surface_and_cover_it_evenly(apart):
    mesh = box((20, 14, 6))
    top = np.flatnonzero(mesh.normals[:, 2] > 0.9)
    lines = hatch_lines(mesh, top, apart, np.array([1.0, 0.4, 0.0]))
    np.testing.assert_allclose(lines[:, :, 2], 6)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum()
    # Lines so far apart have together the area over their distance, but for what is cut at the rim.
    assert length * apart == pytest.approx(20 * 14, rel=0.25 if apart > 2 else 0.1)


def test_hatch_lines_of_nothing_and_of_very_much():
    mesh = ball(30, subdivisions=5)
    assert hatch_lines(mesh, np.zeros(0, np.int64), 1.0, np.array([0, 0, 1.0])).shape == (0, 2, 3)
    many = hatch_lines(mesh, np.arange(len(mesh.faces)), 1e-4, np.array([0, 0, 1.0]))
    assert 20_000 < len(many) < 120_000, "a limit keeps them drawable"


@pytest.mark.parametrize("apart", [0.5, 2.0, 50.0])
def test_places_lie_on_their_faces_as_close_as_asked(apart):
    mesh = box((12, 9, 4))
    places, faces = places_on(mesh, np.arange(len(mesh.faces)), apart, most_across=60)
    for place, face in zip(places[::7], faces[::7], strict=True):
        corner, normal = mesh.vertices[mesh.faces[face, 0]], mesh.normals[face]
        assert abs((place - corner) @ normal) < 1e-9
    assert set(faces.tolist()) == set(range(len(mesh.faces)))
    assert (len(places) == len(mesh.faces)) == (apart == 50.0)


def test_vertex_normals_of_a_ball_look_away_from_its_middle():
    mesh = ball(5, subdivisions=3)
    away = mesh.vertices / np.linalg.norm(mesh.vertices, axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", mesh.vertex_normals, away).min() > 0.999
    assert (Mesh(np.zeros((1, 3)), np.zeros((0, 3), np.int32)).vertex_normals == 0).all()


# --- where bars stand ---


def test_the_ground_ends_at_the_plate_round_or_not_but_not_along_a_belt(library):
    places = np.array([[60.0, 60], [0.4, 60], [118, 60], [60, 900]])
    flat, belt = Ground(library.machine("metal-120")), Ground(library.machine("belt-260"))
    assert flat.holds(places, 1.0).tolist() == [True, False, True, False]
    assert flat.is_beyond(places).tolist() == [False, False, False, True]
    corner = np.array([[2.0, 2.0]])
    assert not flat.holds(corner, 0.5)[0], "the corner of the square round a round plate"
    far = np.array([[130.0, 5000.0], [259.5, 10.0]])
    assert belt.holds(far, 1.0).tolist() == [True, False]


def test_nothing_stands_in_a_zone_nor_nearer_to_it_than_its_foot(library):
    ground = Ground(library.machine("metal-260"))
    feet = np.array([[5.0, 5], [10.8, 5], [11.2, 5]])
    assert ground.holds(feet, 1.0).tolist() == [False, False, True]


# --- bent bars ---


def bent_bars(metal):
    """Bars under a shelf with a block below its middle."""
    shelf = to_manifold(box((50, 12, 3), corner=(0, 0, 30))) + to_manifold(box((4, 12, 30)))
    mesh = from_manifold(shelf + to_manifold(box((26, 12, 8), corner=(14, 0, 0))))
    job = edits.add_bodies(new_job(*metal), [Body("shelf", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    job = edits.change_support(job, "support-1", "landing", "plate_only").job
    return Pipeline().bars(job.supports[0], job)


def test_the_volume_of_bent_bars_is_that_of_their_solids(metal):
    bars = bent_bars(metal)
    bent = np.flatnonzero(bars.leans_deg > 1)
    assert len(bent) > 5
    assert examine(build_topology(bars.mesh)).is_sound
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)
    steps = np.linalg.norm(np.diff(bars.centres[bent], axis=1), axis=2)
    np.testing.assert_allclose(bars.lengths_mm[bent], steps.sum(axis=1))


def test_a_bent_bar_is_joined_and_its_foot_is_below_its_bend(metal):
    bars = bent_bars(metal)
    bent = bars.leans_deg > 1
    np.testing.assert_allclose(bars.centres[bent, 3, :2], bars.centres[bent, 0, :2], atol=1e-9)
    assert (np.diff(bars.centres[:, :5, 2], axis=1) >= -1e-9).all(), "from the foot up to the tip"
    lower, upper, of_bar = bars.shafts()
    assert len(lower) == 2 * len(bars)
    assert (np.bincount(of_bar) == 2).all()
    limit = shipped_sets()["bars-metal"].parameters.lean_limit
    assert bars.leans_deg.max() <= limit + 1e-6
    assert np.linalg.norm(upper - lower, axis=1).min() >= 0


# --- the table of regions ---


def test_regions_are_told_in_a_table_that_a_spreadsheet_reads():
    nothing = np.zeros(0, np.int64)
    face = Region(0, "face", nothing, nothing, 12.5, 12.0, 3.0, 4.0, 5.0, (0, 0, 4), (0, 0, 4), 7.0, (1.0, 2.0, 3.0))
    point = Region(1, "point", nothing, nothing, 0, 0, 0, 9.0, 9.0, (1, 1, 9), (1, 1, 9), left_out="so, it is")
    facts = RegionFacts(np.array([2.5, 0.0]), ("plate", "same part"), np.array([0.8, 1.0]))
    rows = region_rows((face, point), facts, {0: "bars-metal"})
    assert rows[0].held_mm2 == pytest.approx(10.0)
    assert rows[0].not_held_mm2 == pytest.approx(2.5)
    read = list(csv.DictReader(rows_as_csv(rows).splitlines()))
    assert [row["region"] for row in read] == ["1", "2"]
    assert read[0]["mean_angle_deg"] == "7.000"
    assert (read[0]["held_by"], read[1]["held_by"]) == ("bars-metal", "")
    assert read[1]["left_out"] == "so, it is", "a comma is no new column"
    assert (read[0]["rim_free_mm"], read[0]["rim_wall_mm"], read[0]["rim_fading_mm"]) == ("1.000", "2.000", "3.000")


def test_a_table_without_regions_has_its_line_of_names():
    assert rows_as_csv(()).splitlines() == [",".join(region_names())]


def region_names():
    from lean_trellis.core.region_list import RegionRow

    return list(RegionRow.__dataclass_fields__)


def test_a_cylinder_standing_on_its_side_has_the_bars_of_its_low_line(metal):
    mesh = from_manifold(to_manifold(cylinder(6, 40, sides=64)).rotate((0, 90, 0)))
    job = edits.add_bodies(new_job(*metal), [Body("roll", mesh, len(mesh.faces))]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    bars = Pipeline().bars(job.supports[0], job)
    lowest = bars.holds[:, 2] < bars.holds[:, 2].min() + 0.5
    assert np.ptp(bars.holds[lowest, 0]) > 36, "from end to end"


# --- low edges and points ---


@pytest.mark.parametrize("spacing", [2.0, 30.0])
def test_a_low_edge_is_held_at_the_spacing_from_straight_below(spacing):
    mesh = box((20, 6, 6))
    placed = Pose(build_offset=5.0).turned(rotation_about("x", 45)).applied(mesh)
    topology = build_topology(mesh)
    found = detect(topology, placed, critical_angle=30.0)
    (edge,) = [number for number, region in enumerate(found.regions) if region.kind == "edge"]
    holds = find_hold_points(topology, found, (edge,), BarParameters(spacing=spacing))
    np.testing.assert_allclose(holds.places[:, 2], 5.0)
    along = np.sort(holds.places[:, 0])
    assert along[-1] - along[0] == pytest.approx(20.0)
    assert np.diff(along).max() <= spacing + 1e-9
    np.testing.assert_array_equal(holds.normals, np.tile([0.0, 0.0, -1.0], (len(holds), 1)))
    assert set(holds.regions.tolist()) == {edge}

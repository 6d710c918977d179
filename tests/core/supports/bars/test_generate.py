"""Bars: hold points, ways, struts and solids; checked by independent measures."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from bar_requests import LAYER, MIDDLE, bars_for, distances_from, open_shafts, random_part, request_for
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import CrossSection
from scipy.spatial import cKDTree

from lean_trellis.core.errors import Cancelled, ParameterError
from lean_trellis.core.mesh import Mesh, build_topology, examine
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.pose import rotation_between
from lean_trellis.core.progress import CountingWatch
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.route import lean_directions
from lean_trellis.core.supports.bars.struts import BLOCKED, OFF_PLATE, ON_PART, ON_PLATE, TOO_NEAR, TOO_STEEP
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle
from lean_trellis.core.supports.common.surface_points import grid_basis, grid_points


def test_every_place_of_the_inset_region_is_within_the_bound_of_a_hold():
    for pattern, share in (("hexagonal", 3**0.5), ("square", 2**0.5)):
        bars = bars_for(box((23, 17, 4)), pattern=pattern, spacing=2.5, edge_inset=1.0)
        x, y = np.meshgrid(np.linspace(39.5, 60.5, 150), np.linspace(42.5, 57.5, 120))
        places = np.column_stack([x.ravel(), y.ravel()])
        away = cKDTree(bars.holds[:, :2]).query(places)[0]
        assert away.max() <= 2.5 / share + 2.5 / 8  # the sample that finds bare places is an eighth apart


def test_holds_keep_their_insets_from_free_edges_and_walls(table):
    bars = bars_for(table, lift=0.0, spacing=3.0, edge_inset=1.5, wall_inset=2.0)
    x, y = (bars.holds[:, :2] - 50).T
    assert np.abs(bars.holds[:, :2] - 50).max() <= 20 - 1.5 + 1e-6
    legs = np.maximum(16 - np.abs(x), 0) ** 2 + np.maximum(16 - np.abs(y), 0) ** 2
    assert np.sqrt(legs.min()) >= 2.0 - 1e-6
    assert len(bars) > 100


def test_where_curvature_fades_there_is_no_inset():
    bars = bars_for(ball(10), spacing=2.0, edge_inset=3.0, wall_inset=3.0)
    out = np.hypot(*(bars.holds[:, :2] - 50).T).max()
    assert out > 10 * np.sin(np.pi / 4) - 1.2


def test_a_narrow_bar_is_held_along_its_middle():
    bars = bars_for(box((30, 1.0, 4)), spacing=3.0, edge_inset=0.8)
    assert len(bars) >= 10
    assert np.abs(bars.holds[:, 1] - 50).max() <= 0.2
    assert np.diff(np.sort(bars.holds[:, 0])).max() <= 2 * 3.0 / 3**0.5 + 0.4


def test_a_rim_row_holds_near_the_rim():
    without = bars_for(box((20, 20, 4)), spacing=5.0, edge_inset=0.5)
    with_row = bars_for(box((20, 20, 4)), spacing=5.0, edge_inset=0.5, rim_row=True)

    def on_rim(bars):
        return int((np.abs(bars.holds[:, :2] - 50).max(axis=1) > 10 - 0.5 - 0.7).sum())

    assert on_rim(with_row) > on_rim(without)
    assert on_rim(with_row) >= 12


def test_the_bottom_of_a_ball_low_points_and_low_edges_are_held():
    assert any(np.allclose(hold, [50, 50, 10], atol=1e-6) for hold in bars_for(ball(10)).holds)
    corner = bars_for(box((9, 9, 9)), turn=rotation_between(np.ones(3) / 3**0.5, np.array([0, 0, -1.0])))
    assert corner.holds.tolist() == [pytest.approx([50, 50, 10])]
    edge = bars_for(box((20, 9, 9)), turn=rotation_about("x", 45), spacing=3.0)
    assert np.ptp(edge.holds[:, 0]) == pytest.approx(20)
    assert np.diff(np.sort(edge.holds[:, 0])).max() <= 3.0 + 1e-6


def test_an_overlapping_region_is_held_on_both_floors():
    floors = to_manifold(box((12, 12, 1), corner=(0, 0, 0))) + to_manifold(box((12, 12, 1), corner=(0, 0, 12)))
    bars = bars_for(from_manifold(floors + to_manifold(box((1, 12, 13)))), lift=6.0, spacing=3.0)
    low, high = (bars.holds[:, 2] < 10).sum(), (bars.holds[:, 2] > 10).sum()
    assert low >= 12
    assert high >= 10


def test_figures_agree_with_the_solids():
    bars = bars_for(box((15, 15, 4)), sides=7)
    mesh = bars.mesh
    health = examine(build_topology(mesh))
    assert health.is_sound
    assert health.shells == len(bars)
    assert mesh.volume == pytest.approx(bars.volume_mm3)
    share = 7 / 2 * np.sin(2 * np.pi / 7)
    assert bars.contact_area_mm2 == pytest.approx(len(bars) * share * 0.25**2)
    np.testing.assert_allclose(bars.bounds()[:, 2], [0, 10.15])
    assert bars.longest_mm == pytest.approx(10.15)


def test_bite_goes_in_and_a_gap_stays_away_by_whole_layers():
    bite = bars_for(box((9, 9, 4)), bite_depth=0.3)
    np.testing.assert_allclose(bite.centres[:, -1, 2], 10.3)
    gap = bars_for(box((9, 9, 4)), contact="gap", gap_layers=2, dense_layers=4, tip_length=1.0)
    np.testing.assert_allclose(gap.centres[:, -1, 2], 10 - 2 * LAYER)
    np.testing.assert_allclose(gap.centres[:, -2, 2], 10 - 6 * LAYER)


def test_tips_follow_the_surface_as_far_as_the_lean_limit():
    leaning = lean_directions(np.array([[0, 0, -1.0], [0.6, 0, -0.8], [1.0, 0, -1e-9]]), 30)
    angles = np.degrees(np.arccos(-leaning[:, 2]))
    np.testing.assert_allclose(angles, [0, 30, 30], atol=1e-6)
    np.testing.assert_allclose(np.linalg.norm(leaning, axis=1), 1)
    bars = bars_for(box((30, 20, 3)), turn=rotation_about("y", 20), lean_limit=40)
    axis = bars.centres[:, 5] - bars.centres[:, 4]
    assert np.degrees(np.arccos(axis[:, 2] / np.linalg.norm(axis, axis=1))) == pytest.approx(20, abs=1e-6)


@pytest.mark.parametrize(("landing", "expected"), [("plate_only", 0), ("plate_first", 1), ("anywhere", 1)])
def test_landing_is_kept(shelf, landing, expected):
    bars = bars_for(shelf, lift=0.0, landing=landing, lean_limit=0)
    assert (len(bars) > 0) == bool(expected)
    if expected:
        assert (bars.landings == ON_PART).all()
        np.testing.assert_allclose(bars.centres[:, 0, 2], 2 - 0.15)
    else:
        assert set(bars.missed.reasons.tolist()) == {BLOCKED}
        assert len(bars.missed.holds) > 50


def test_bars_lean_round_what_stands_below_and_come_down_on_the_plate(shelf):
    bars = bars_for(shelf, lift=0.0, landing="plate_only", lean_limit=40)
    assert len(bars) > 20, "near the shelf's edge there is a way"
    assert (bars.landings == ON_PLATE).all()
    assert (bars.centres[:, 0, 2] == 0).all()
    leaning = bars.leans_deg > 1
    assert leaning.all(), "the floor of the shelf is below all of it"
    assert bars.leans_deg.max() <= 40 + 1e-6
    below = bars.centres[:, 3] - bars.centres[:, 0]
    np.testing.assert_allclose(below[:, :2], 0, atol=1e-9), "below the bend straight down"
    np.testing.assert_array_less(bars.centres[:, 2, 2], bars.centres[:, 3, 2] + 1e-9)
    assert len(bars.missed.holds) > 0, "from its middle there is none"
    bounds = request_for(shelf, lift=0.0).overhangs.mesh.bounds
    assert ((bars.centres[:, 0, :2] < bounds[0, :2]) | (bars.centres[:, 0, :2] > bounds[1, :2])).any(axis=1).all()


def test_plate_first_leans_to_the_plate_where_it_can_and_lands_elsewhere(shelf):
    bars = bars_for(shelf, lift=0.0, landing="plate_first", lean_limit=40)
    straight = bars_for(shelf, lift=0.0, landing="plate_first", lean_limit=0)
    assert len(bars) == len(straight)
    assert set(bars.landings.tolist()) == {ON_PLATE, ON_PART}
    assert (straight.landings == ON_PART).all()
    assert (bars.leans_deg[bars.landings == ON_PART] < 1e-6).all()
    assert (bars_for(shelf, lift=0.0, landing="anywhere", lean_limit=40).landings == ON_PART).all()


def test_bars_stay_on_the_plate_and_off_its_zones(library):
    machine = library.machine("metal-260")
    request = request_for(box((60, 60, 4)), lift=12.0, spacing=3.0, lean_limit=40)
    shifted = Pose(x=31, y=31, build_offset=12.0)
    mesh = box((60, 60, 4))
    topology, placed = build_topology(mesh), shifted.applied(mesh)
    found = detect(topology, placed, critical_angle=45.0)
    at_corner = replace(
        request, overhangs=found, obstacles=(Obstacle(RayTree(mesh), shifted, placed),), ground=Ground(machine)
    )
    bars = generate_bars(at_corner)
    feet, radius = bars.centres[:, 0, :2], bars.radii[:, 3]
    assert (machine.plate.excess(feet) <= -radius + 1e-6).all()
    for zone in machine.zones:
        inside = (feet > [zone.x, zone.y]) & (feet < [zone.x + zone.width, zone.y + zone.depth])
        assert not inside.all(axis=1).any(), zone.name
    assert set(bars.missed.reasons.tolist()) <= {OFF_PLATE, TOO_NEAR}
    assert (bars.leans_deg > 1).any(), "some lean out of the clamp"


def test_scattered_holds_cover_within_the_spacing():
    bars = bars_for(box((23, 17, 4)), pattern="scattered", spacing=2.5, edge_inset=1.0)
    x, y = np.meshgrid(np.linspace(39.5, 60.5, 150), np.linspace(42.5, 57.5, 120))
    away = cKDTree(bars.holds[:, :2]).query(np.column_stack([x.ravel(), y.ravel()]))[0]
    assert away.max() <= 2.5 + 2.5 / 8
    assert len(bars) < len(bars_for(box((23, 17, 4)), pattern="square", spacing=2.5, edge_inset=1.0))


# --- protected surfaces ---


def protecting(mesh, level, half, **values):
    request = request_for(from_manifold(to_manifold(mesh).refine(24)), **values)
    placed = request.overhangs.mesh
    marks = np.zeros(len(placed.faces), np.int16)
    marks[(placed.centroids[:, 0] < half) & (placed.normals[:, 2] < -0.5)] = level
    return generate_bars(replace(request, protected=marks))


def test_no_tip_touches_what_is_to_be_kept_off():
    bars = protecting(box((30, 20, 4)), KEEP_OFF, 50.0, spacing=2.5, tip_diameter=0.8)
    assert len(bars) > 20
    assert bars.holds[:, 0].min() >= 50.0 + 0.4 - 1e-6
    whole = bars_for(box((30, 20, 4)), spacing=2.5, tip_diameter=0.8)
    assert len(bars) < 0.7 * len(whole)


def test_what_is_to_be_avoided_is_touched_only_where_nothing_beside_it_holds():
    bars = protecting(box((30, 20, 4)), AVOID, 50.0, spacing=2.5)
    on_avoided = bars.holds[:, 0] < 50.0
    assert on_avoided.any(), "half of the region cannot be held from the other half"
    narrow = protecting(box((30, 20, 4)), AVOID, 35.7, spacing=2.5)
    assert not (narrow.holds[:, 0] < 36.25).any(), "a narrow strip is held from beside it"


def test_bars_do_not_stand_on_a_protected_surface(shelf):
    request = request_for(shelf, lift=0.0, landing="anywhere", lean_limit=0)
    (obstacle,) = request.obstacles
    marks = np.where(obstacle.placed.normals[:, 2] > 0.5, KEEP_OFF, 0).astype(np.int16)
    bars = generate_bars(replace(request, obstacles=(replace(obstacle, protected=marks),)))
    assert not (bars.landings == ON_PART).any()
    assert set(bars.missed.reasons.tolist()) == {TOO_STEEP}


def test_plate_only_never_lands_on_a_part(table):
    bars = bars_for(table, lift=0.0, landing="plate_only")
    assert (bars.landings == ON_PLATE).all()
    np.testing.assert_array_equal(bars.centres[:, 0, 2], 0)


def test_the_height_limit_leaves_higher_holds_bare_and_counts_them():
    turn = rotation_about("y", 30)
    whole = bars_for(box((40, 10, 3)), turn=turn, lift=4.0)
    limited = bars_for(box((40, 10, 3)), turn=turn, lift=4.0, height_limit=15.0)
    assert limited.holds[:, 2].max() <= 15.0
    assert (limited.missed.above_limit[:, 2] > 15.0).all()
    assert len(limited) + len(limited.missed.above_limit) == len(whole)


def test_the_foot_shrinks_beside_a_part_and_is_full_elsewhere():
    bars = bars_for(box((20, 20, 4)), lift=6.0, others=[(box((4, 4, 5)), Pose(x=50, y=50))], landing="plate_only")
    assert bars.radii[:, 0].max() == pytest.approx(1.2)
    assert bars.radii[:, 0].min() < 1.2
    near = np.abs(bars.centres[:, 0, :2] - 50).max(axis=1)
    assert (near >= 2 + 0.4 + bars.radii[:, 0] - 1e-6).all()


@given(st.integers(0, 2**31))
def test_no_shaft_is_nearer_to_a_part_than_the_clearance(seed):
    mesh = random_part(np.random.default_rng(seed))
    request = request_for(mesh, lift=3.0, spacing=4.0)
    bars = generate_bars(request)
    if not len(bars):
        return
    low, top, reach = open_shafts(bars, 0.4)
    away = distances_from(request.overhangs.mesh, low, top)
    assert (away >= reach - 2e-3).all()


def test_the_same_request_gives_the_same_bars():
    mesh = ball(9, subdivisions=4)
    one, other = bars_for(mesh), bars_for(mesh)
    np.testing.assert_array_equal(one.centres, other.centres)


def test_a_set_that_cannot_hold_itself_is_refused_and_work_can_be_cancelled():
    with pytest.raises(ParameterError, match="below the critical angle"):
        bars_for(box((9, 9, 9)), lean_limit=50)
    with pytest.raises(Cancelled):
        generate_bars(request_for(box((9, 9, 9))), CountingWatch(cancel_after=1))


def test_grid_points_lie_on_their_faces_and_are_given_once():
    mesh = box((10, 10, 2))
    bottom = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    found = grid_points(mesh, bottom, grid_basis(1.0, "square"), np.zeros(2))
    assert len(found) == 11 * 11
    np.testing.assert_allclose(found.places[:, 2], 0)
    wall = np.flatnonzero(np.abs(mesh.normals[:, 2]) < 0.5)
    assert len(grid_points(mesh, wall, grid_basis(1.0, "square"), np.array([0.5, 0.5]))) == 0


def test_no_regions_give_no_bars():
    bars = bars_for(box((9, 9, 9)), lift=0.0)
    assert len(bars) == 0
    assert len(bars.mesh.faces) == 0
    assert bars.longest_mm == 0
    assert isinstance(bars.mesh, Mesh)


# --- coverage, by code that shares nothing with the program's ---


@given(
    st.lists(st.floats(6, 16), min_size=7, max_size=14),
    st.sampled_from(["hexagonal", "square", "scattered"]),
    st.floats(2.0, 4.0),
    st.floats(0.3, 1.5),
)
@settings(max_examples=30)
def test_on_any_outline_every_place_of_the_inset_region_is_within_the_bound(reaches, pattern, spacing, inset):
    turn = np.linspace(0, 2 * np.pi, len(reaches), endpoint=False)
    outline = np.column_stack([np.cos(turn), np.sin(turn)]) * np.array(reaches)[:, None]
    mesh = from_manifold(CrossSection([outline]).extrude(3.0))
    bars = bars_for(mesh, spacing=spacing, pattern=pattern, edge_inset=inset)
    low = mesh.bounds.mean(axis=0)[:2]
    region = shapely.Polygon(outline - low + MIDDLE).buffer(-inset)
    x0, y0, x1, y1 = region.bounds
    x, y = np.meshgrid(np.arange(x0, x1, 0.15), np.arange(y0, y1, 0.15))
    places = np.column_stack([x.ravel(), y.ravel()])
    places = places[shapely.contains_xy(region, places[:, 0], places[:, 1])]
    away = cKDTree(bars.holds[:, :2]).query(places)[0]
    bound = spacing / {"hexagonal": 3**0.5, "square": 2**0.5, "scattered": 1.0}[pattern]
    sample = spacing / 8 * 2**0.5  # the grid on which bare places are looked for
    assert away.max() <= bound + sample

"""Places and lines on surfaces, the ground bars stand on, bent bars, the table of regions: against closed forms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from bar_holds import bent_bars
from bar_requests import MIDDLE, bars_for, request_for
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import CrossSection
from scipy.spatial import cKDTree

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.pose import rotation_between
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import BarParameters, generate_bars
from lean_trellis.core.supports.bars.holds import find_support_points


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


def test_a_cylinder_standing_on_its_side_has_the_bars_of_its_low_line(metal):
    mesh = from_manifold(to_manifold(cylinder(6, 40, sides=64)).rotate((0, 90, 0)))
    job = edits.add_bodies(new_job(*metal), [Body("roll", mesh, len(mesh.faces))]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    bars = Pipeline().bars(job.supports[0], job)
    lowest = bars.holds[:, 2] < bars.holds[:, 2].min() + 0.5
    assert np.ptp(bars.holds[lowest, 0]) > 36, "from end to end"


@pytest.mark.parametrize("spacing", [2.0, 30.0])
def test_a_low_edge_is_held_at_the_spacing_from_straight_below(spacing):
    mesh = box((20, 6, 6))
    placed = Pose(build_offset=5.0).turned(rotation_about("x", 45)).applied(mesh)
    topology = build_topology(mesh)
    found = detect(topology, placed, critical_angle=30.0)
    (edge,) = [number for number, region in enumerate(found.regions) if region.kind == "edge"]
    holds = find_support_points(topology, found, (edge,), BarParameters(spacing=spacing))
    np.testing.assert_allclose(holds.places[:, 2], 5.0)
    along = np.sort(holds.places[:, 0])
    assert along[-1] - along[0] == pytest.approx(20.0)
    assert np.diff(along).max() <= spacing + 1e-9
    np.testing.assert_array_equal(holds.normals, np.tile([0.0, 0.0, -1.0], (len(holds), 1)))
    assert set(holds.regions.tolist()) == {edge}


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


def test_scattered_holds_cover_within_the_spacing():
    bars = bars_for(box((23, 17, 4)), pattern="scattered", spacing=2.5, edge_inset=1.0)
    x, y = np.meshgrid(np.linspace(39.5, 60.5, 150), np.linspace(42.5, 57.5, 120))
    away = cKDTree(bars.holds[:, :2]).query(np.column_stack([x.ravel(), y.ravel()]))[0]
    assert away.max() <= 2.5 + 2.5 / 8
    assert len(bars) < len(bars_for(box((23, 17, 4)), pattern="square", spacing=2.5, edge_inset=1.0))


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


@given(
    st.lists(st.floats(6, 16), min_size=7, max_size=14),
    st.sampled_from(["hexagonal", "square", "scattered"]),
    st.floats(2.0, 4.0),
    st.floats(0.3, 1.5),
)
@settings(max_examples=15)
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

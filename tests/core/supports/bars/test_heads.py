"""Heads: the gap and the bite that are asked for, over the whole head, measured by trimesh."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for, request_for
from sloping_parts import on_surface, signed_distances, slab, sloping_parts

from lean_trellis.core.mesh import build_topology, examine
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.parts.pose import rotation_about
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.heads import HeadGrid, level_heads
from lean_trellis.core.supports.bars.struts import LOWER_END, ON_PART, TIP_END, Bars

SAME_MM = 0.02


def values_of(name: str, **other):
    return {**shipped_sets()[name].parameters.model_dump(), **other}


def head_places(bars: Bars):
    """(n, p, 3): places on the tips' heads."""
    rings, middles = bars.ends.upper.rings(bars.centres[:, TIP_END, :2], bars.radii[:, TIP_END], bars.ends.grid)
    return np.concatenate([rings.reshape(len(bars), -1, 3), middles[:, None]], axis=1)


def lower_places(bars: Bars):
    """(k, p, 3): places on the lower ends of bars that stand on the part."""
    rings, middles = bars.ends.lower.rings(bars.centres[:, LOWER_END, :2], bars.radii[:, LOWER_END], bars.ends.grid)
    every = np.concatenate([rings.reshape(len(bars), -1, 3), middles[:, None]], axis=1)
    return every[bars.landings == ON_PART]


@pytest.mark.parametrize(
    ("name", "distance"), [("bars-extrusion", 0.05), ("bars-metal", -0.12), ("bars-resin-fine", -0.08)]
)
@pytest.mark.parametrize("slope", [5.0, 30.0, 44.0])
def test_on_a_slope_heads_keep_their_gap_or_bite_all_over(name, distance, slope):
    mesh, turn = slab(slope)
    request = request_for(mesh, turn=turn, **values_of(name))
    bars = generate_bars(request)
    away = signed_distances(request.obstacles[0].placed, head_places(bars).reshape(-1, 3)).reshape(len(bars), -1)
    inner = np.abs(bars.holds[:, 0] - 50) < 9  # heads that do not hang over the slab's rim
    assert inner.sum() >= 4
    np.testing.assert_allclose(away[inner], distance, atol=1e-6)
    assert away.min() >= distance - 1e-6


def test_under_a_ball_no_column_of_extrusion_stands_in_it():
    request = request_for(ball(10, subdivisions=5), lift=3.0, **values_of("bars-extrusion", gap_layers=4))
    bars = generate_bars(request)
    placed = request.obstacles[0].placed
    assert len(bars) >= 8
    away = signed_distances(placed, head_places(bars).reshape(-1, 3))
    assert away.min() >= 0.2 - SAME_MM
    assert np.percentile(away, 90) <= 0.2 + SAME_MM
    assert signed_distances(placed, on_surface(bars.mesh, 3000)).min() >= 0.2 - SAME_MM


@pytest.mark.parametrize("name", ["bars-extrusion", "bars-metal", "bars-resin-regular", "bars-resin-fine"])
def test_on_crooked_parts_no_head_goes_deeper_or_comes_nearer_than_it_may(name):
    number = ["bars-extrusion", "bars-metal", "bars-resin-regular", "bars-resin-fine"].index(name)
    count = 0
    for _, mesh, turn in sloping_parts(4, seed=40 + number):
        request = request_for(mesh, turn=turn, **values_of(name))
        bars, placed = generate_bars(request), request.obstacles[0].placed
        assert examine(build_topology(bars.mesh)).is_sound
        assert bars.mesh.volume == pytest.approx(bars.volume_mm3)
        contact = request.parameters.contact_at(request.layer_height)
        heads = np.concatenate([head_places(bars), lower_places(bars)])
        away = signed_distances(placed, heads.reshape(-1, 3))
        if contact.is_bite:
            assert away.min() >= -contact.distance - SAME_MM
            assert np.median(away) == pytest.approx(-contact.distance, abs=1e-6)
        else:
            assert away.min() >= contact.distance - SAME_MM
            assert signed_distances(placed, on_surface(bars.mesh, 2000)).min() >= contact.distance - SAME_MM
        count += len(bars)
    assert count > 20


@pytest.mark.parametrize("name", ["bars-extrusion", "bars-metal"])
@pytest.mark.parametrize("floor_deg", [0.0, 25.0])
def test_lower_ends_follow_the_floor_that_they_stand_on(name, floor_deg):
    floor = to_manifold(box((40, 40, 3), corner=(-20, -20, -3))).rotate((0, floor_deg, 0))
    roof = to_manifold(box((24, 24, 3), corner=(-12, -12, 22)))
    post = to_manifold(box((3, 3, 30), corner=(-14, -1.5, -5)))
    request = request_for(from_manifold(floor + roof + post), **values_of(name, landing="anywhere"))
    bars = generate_bars(request)
    assert bars.on_part > 5
    contact = request.parameters.contact_at(request.layer_height)
    away = signed_distances(request.obstacles[0].placed, lower_places(bars).reshape(-1, 3))
    np.testing.assert_allclose(away, -contact.distance if contact.is_bite else contact.distance, atol=1e-4)
    assert examine(build_topology(bars.mesh)).is_sound


def test_where_a_wall_is_beside_a_head_is_narrower_or_there_is_none():
    roof, wall = box((20, 20, 3), corner=(0, 0, 12)), box((2, 20, 4.5), corner=(9, 0, 8))
    bench = from_manifold(to_manifold(roof) + to_manifold(wall))
    beside = {"wall_inset": 1.4, "rim_row": True, "part_clearance": 0.2, "shaft_diameter": 1.6, "tip_length": 1.5}
    wide = request_for(bench, lift=12.0, **values_of("bars-extrusion", **beside))
    bars = generate_bars(wide)
    narrow = bars.ends.upper.radii < 2.0 - 1e-9
    assert narrow.any()
    assert set(bars.ends.upper.radii[narrow].tolist()) <= {1.5, 1.0}
    assert bars.radii[narrow, TIP_END] == pytest.approx(bars.ends.upper.radii[narrow])
    assert signed_distances(wide.obstacles[0].placed, on_surface(bars.mesh, 3000)).min() >= 0.05 - SAME_MM


def test_a_bite_stays_in_a_plate_that_is_thinner_than_two_of_it():
    request = request_for(box((12, 12, 0.2)), spacing=4.0, bite_depth=0.15)
    heights = head_places(generate_bars(request))[..., 2]
    np.testing.assert_allclose(heights, 10.15)
    assert heights.max() < request.obstacles[0].placed.bounds[1, 2]


def test_along_a_low_edge_a_bite_is_no_deeper_than_asked():
    request = request_for(box((20, 9, 9)), turn=rotation_about("x", 45), spacing=3.0, bite_depth=0.15)
    bars = generate_bars(request)
    away = signed_distances(request.obstacles[0].placed, head_places(bars).reshape(-1, 3))
    assert away.min() >= -0.15 - 1e-6
    assert len(bars) >= 7


@pytest.mark.parametrize(
    ("sides", "diameter", "corners", "rings"), [(8, 0.3, 8, 1), (8, 0.55, 8, 2), (12, 4.0, 24, 5), (7, 0.7, 7, 2)]
)
def test_a_grid_is_as_fine_as_its_head_is_wide(sides, diameter, corners, rings):
    grid = HeadGrid.of(sides, diameter)
    assert (grid.corners, grid.rings, len(grid.steps)) == (corners, rings, corners * rings + 1)
    assert np.hypot(*grid.circle[:: corners // sides].T) == pytest.approx(np.ones(sides))
    between = np.hypot(*grid.circle.T).min()  # places on the sides of the polygon, not beyond it
    assert np.cos(np.pi / sides) - 1e-9 <= between <= 1
    np.testing.assert_allclose(grid.steps[-1], 0)


def test_level_heads_are_level_and_tilted_ones_tell_their_tilt():
    grid = HeadGrid.of(8, 0.5)
    heads = level_heads(np.array([3.0, 4.0]), np.array([0.25, 0.25]), grid)
    assert heads.slopes() == pytest.approx([0, 0])
    assert heads.middles.tolist() == [3, 4]
    tilted = level_heads(np.zeros(1), np.array([0.5]), grid)
    tilted.tops[0] = 0.5 * grid.steps @ [0.3, -0.2]
    np.testing.assert_allclose(tilted.tilts(grid), [[0.3, -0.2]], atol=1e-9)
    assert tilted.slopes()[0] == pytest.approx(np.hypot(0.3, 0.2), rel=0.1)


def test_beams_end_a_radius_short_of_their_heads():
    bars = bars_for(box((12, 12, 3)), spacing=6.0)
    ends, radii = bars.beams()
    tops = ends[:, 1, 2].max()
    assert tops == pytest.approx(10.15 - 0.25)
    assert radii[ends[:, 1, 2].argmax(), 1] == pytest.approx(0.25)
    mesh, turn = slab(40.0)
    request = request_for(mesh, turn=turn, spacing=6.0)
    sloping = generate_bars(request)
    ends, radii = sloping.beams()
    last = np.isclose(radii[:, 1], 0.25) & np.isclose(radii[:, 0], 0.6)
    away = signed_distances(request.obstacles[0].placed, ends[last, 1])
    assert last.sum() == len(sloping)
    np.testing.assert_allclose(away, 0.25 - 0.15, atol=0.01)  # a ball there goes in as deep as the bite

"""Heads keep the gap and the bite that are asked for all over, measured by trimesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bar_requests import request_for
from sloping_parts import on_surface, signed_distances, slab, sloping_parts

from lean_trellis.core.mesh import build_topology, examine
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.parts.pose import rotation_about
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.ends.fitting import heads_at
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Seats
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


def valley(one_deg: float, other_deg: float):
    """A roof and a wall below it that meet in a valley, both at an angle from level."""
    roof = to_manifold(box((30, 20, 3), corner=(-15, -10, 0))).rotate((0, one_deg, 0))
    wall = to_manifold(box((3, 20, 20), corner=(0, -10, -6))).rotate((0, other_deg - 90, 0)).translate((4.0, 0, -2))
    return from_manifold(roof + wall)


@pytest.mark.parametrize("angles", [(20, 72), (15, 60), (-20, 80), (-35, 60)])
@pytest.mark.parametrize(
    ("name", "layer_height", "radius", "aside"),
    [("bars-resin-regular", 0.05, 0.225, 0), ("bars-metal", 0.05, 0.4, 0), ("bars-extrusion", 0.2, 2.0, 0),
     ("bars-extrusion-cap", 0.2, 3.6, 8)],
)  # fmt: skip
def test_across_a_valley_and_beyond_its_rims_no_head_that_fits_is_nearer_or_deeper(
    angles, name, layer_height, radius, aside
):
    request = request_for(valley(*angles), **values_of(name))
    (part,), contact = request.obstacles, request.parameters.contact_at(layer_height)
    low, high = part.placed.bounds
    along = np.linspace(low[0] + 0.3, high[0] - 0.3, 60)
    places = np.column_stack([along, np.full(60, part.placed.middle[1] + aside), np.zeros(60)])
    height, normals = part.first_hits(places, np.array([[0.0, 0.0, 1.0]]))
    faces_us = np.isfinite(height) & (normals[:, 2] < -0.4)
    places[:, 2] = height
    grid, seats = HeadGrid.of(8, 2 * radius), Seats(places, normals, np.full(60, radius), is_below=True)
    heads = heads_at(seats.only(faces_us), [part], contact, grid)
    assert heads.fits.mean() > 0.85
    rings, middles = heads.rings(places[faces_us, :2], heads.radii, grid)
    spots = np.concatenate([rings.reshape(len(heads), -1, 3), middles[:, None]], axis=1)[heads.fits]
    away = signed_distances(part.placed, spots.reshape(-1, 3))
    assert away.min() >= (-contact.distance if contact.is_bite else contact.distance) - SAME_MM


def test_studs_between_the_places_of_a_wide_head_keep_their_gap():
    whole = to_manifold(box((24, 24, 4)))
    for number in range(40):
        corner = ((number * 7.31) % 22 + 0.8, (number * 4.77) % 22 + 0.8, -0.3)
        whole += to_manifold(box((0.3, 0.3, 0.5), corner=corner))
    request = replace(request_for(from_manifold(whole), **values_of("bars-extrusion-cap")), layer_height=0.05)
    bars = generate_bars(request)
    assert len(bars) > 15
    assert bars.ends.upper.radii.max() == pytest.approx(3.6)
    assert signed_distances(request.obstacles[0].placed, on_surface(bars.mesh, 3000)).min() >= 0.05 - SAME_MM

"""Shapes of walls: outline, tabs, gaps, tops, cuts."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
import trimesh
from checked_parts import job_of, supported
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold
from panel_cases import bridge, outlines_of, tab_places
from panel_requests import LAYER, request_for
from sloping_parts import on_surface, signed_distances, slab

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_plate
from lean_trellis.core.supports.common.floors import floors_of
from lean_trellis.core.supports.panels.lattice import cuts_of, generate_lattice, lattice_paths, rim_rings
from lean_trellis.core.supports.panels.parameters import LatticeParameters

some_lattice = st.builds(
    LatticeParameters,
    thickness=st.sampled_from([0.0, 0.2, 0.5]),
    cell_along=st.sampled_from([0.0, 1.5, 3.0]),
    cell_across=st.sampled_from([1.0, 2.2]),
    turn=st.floats(-90, 90),
    skew=st.sampled_from([0.0, 20.0]),
    rim_walls=st.integers(0, 3),
    tab_free=st.floats(0, 0.8),
    tab_width=st.floats(0.2, 2),
    tab_height=st.floats(0.1, 1.5),
    open_share=st.sampled_from([0.0, 0.2, 0.5]),
    largest_piece=st.sampled_from([None, 9.0, 20.0]),
    ends_on=st.sampled_from(["plate", "below"]),
)


@settings(max_examples=10, deadline=None)
@given(some_lattice, st.sampled_from(["box", "ball", "wavy", "bridge"]))
def test_area_is_the_outline_less_openings_cuts_and_gaps_and_solids_are_closed(parameters, shape):
    mesh = {"box": lambda: box((18, 12, 4)), "ball": lambda: ball(8, subdivisions=3),
            "wavy": lambda: wavy_plate(20, 24), "bridge": bridge}[shape]()  # fmt: skip
    panels = generate_lattice(request_for(mesh, parameters))
    if panels.is_empty:
        return
    pictures = outlines_of(panels)
    # No two slabs lie over each other, so what they cover together is their sum.
    covered = sum(
        shapely.union_all(shapely.set_precision(shapes, 1e-6), grid_size=1e-6).area for shapes in pictures.values()
    )
    assert panels.area_mm2 == pytest.approx(covered, rel=1e-4)
    witness = trimesh.Trimesh(panels.mesh.vertices, panels.mesh.faces, process=False)
    if parameters.thickness == 0:
        assert witness.area == pytest.approx(panels.area_mm2, rel=1e-6)
        return
    assert witness.is_watertight and witness.is_winding_consistent
    if parameters.rim_walls == 0 or shape == "box":  # straight, but for the mitred corners of a box's rim
        assert witness.volume == pytest.approx(panels.area_mm2 * parameters.thickness, rel=1e-4)


@settings(max_examples=15, deadline=None)
@given(some_lattice)
def test_under_a_flat_ceiling_the_area_follows_from_the_paths_the_tabs_and_the_openings(parameters):
    parameters = parameters.with_value("ends_on", "plate").with_value("bite_depth", 0.1)
    request = request_for(box((18, 12, 4)), parameters, offset=8.0)
    panels = generate_lattice(request)
    (floor,) = floors_of(request.overhangs, request.chosen[0])
    middle = request.overhangs.mesh.bounds.mean(axis=0)[:2]
    inside = floor.inside(parameters.inset)
    rings = rim_rings(inside, parameters)
    bands = cuts_of(inside, rings, parameters, middle)
    paths = lattice_paths(inside, rings, parameters, 0, middle, bands)
    length = sum((shapely.LinearRing if path.is_closed else shapely.LineString)(path.places).length for path in paths)
    tabs = float(panels.tabs.widths.sum())
    openings = 0.0
    for shapes in outlines_of(panels).values():
        walls = shapely.union_all(shapes, grid_size=1e-9)
        openings += sum(shapely.Polygon(ring).area for part in shapely.get_parts(walls) for ring in part.interiors)
    assert panels.open_mm2 == pytest.approx(openings, rel=1e-4, abs=1e-3)
    gaps = parameters.tab_height * (length - tabs) if parameters.tab_free > 0 else 0.0
    assert panels.area_mm2 == pytest.approx(8.0 * length + 0.1 * tabs - gaps - openings, rel=1e-4)


def test_a_cut_does_not_run_along_the_rim_and_swallow_it():
    parameters = LatticeParameters(cell_along=2, cell_across=2, largest_piece=9.2, inset=0.4, thickness=0.2)
    # The rim lies six millimetres from the middle, where every third gap between walls is.
    panels = generate_lattice(request_for(box((12.8, 12.8, 3)), parameters))
    middles = (panels.columns.places[panels.slabs.left] + panels.columns.places[panels.slabs.right]) / 2
    on_rim = np.abs(np.abs(middles - 6.4).max(axis=1) - 6.0) < 1e-6
    pairs = np.unique(np.column_stack([panels.slabs.left, panels.slabs.right])[on_rim], axis=0)
    steps = panels.columns.places[pairs[:, 1]] - panels.columns.places[pairs[:, 0]]
    assert np.hypot(*steps.T).sum() > 0.9 * 48
    assert panels.piece_sizes_mm.max() <= 9.2


def test_tops_follow_a_curved_surface_to_its_facets():
    request = request_for(wavy_plate(30, 40), LatticeParameters(bite_depth=0, tab_free=0, cell_along=2, cell_across=2))
    panels = generate_lattice(request)
    ends = np.concatenate([panels.columns.places[panels.slabs.left], panels.columns.places[panels.slabs.right]])
    tops = np.concatenate([panels.slabs.high[:, 0], panels.slabs.high[:, 1]])
    starts = np.column_stack([ends, np.full(len(ends), 1.0)])
    distance, _ = request.obstacles[0].first_hits(starts, np.array([0, 0, 1.0]))
    met = np.isfinite(distance)
    assert met.mean() > 0.99
    assert np.abs(tops - 1.0 - distance)[met].max() < 2e-3


def test_a_gap_keeps_whole_layers_free():
    parameters = LatticeParameters(contact="gap", gap_layers=2, tab_free=0, cell_along=3)
    panels = generate_lattice(request_for(box((20, 10, 4)), parameters, offset=6))
    assert panels.slabs.high.max() == pytest.approx(6 - 2 * LAYER)


@pytest.mark.parametrize("thickness", [0.0, 0.5])
@pytest.mark.parametrize(
    ("values", "distance"),
    [({"contact": "bite", "bite_depth": 0.1}, -0.1), ({"contact": "gap", "gap_layers": 4}, 0.2)],
)
@pytest.mark.parametrize("slope", [10.0, 35.0])
def test_on_a_slope_tabs_go_in_or_stay_off_by_what_is_asked_along_the_normal(slope, values, distance, thickness):
    mesh, turn = slab(slope)
    parameters = LatticeParameters(
        **values, thickness=thickness, cell_along=2.6, cell_across=2.6, inset=1.0, tab_free=0.3
    )
    request = request_for(Mesh(mesh.vertices @ turn.T, mesh.faces), parameters)
    panels = generate_lattice(request)
    away = signed_distances(request.overhangs.mesh, tab_places(panels, thickness, upper=True))
    assert len(away) > 300
    np.testing.assert_allclose(away, distance, atol=1e-6)


@pytest.mark.parametrize("thickness", [0.0, 0.5])
def test_under_a_ball_and_on_a_sloping_floor_a_gap_is_kept_by_the_whole_wall(thickness):
    floor = Manifold.cube((40, 30, 2), True).rotate((0, 20, 0))
    whole = floor + Manifold.sphere(9, 64).translate((0, 0, 15)) + Manifold.cube((3, 3, 12), True).translate((0, 0, 5))
    parameters = LatticeParameters(
        contact="gap", gap_layers=4, thickness=thickness, cell_along=2.5, cell_across=2.5, tab_free=0.2, inset=0.5
    )
    request = request_for(from_manifold(whole), parameters)
    panels = generate_lattice(request)
    placed = request.overhangs.mesh
    assert panels.slabs.low_bites.any()
    for upper in (True, False):
        away = signed_distances(placed, tab_places(panels, thickness, upper=upper))
        assert away.min() >= 0.18
        assert np.median(away) == pytest.approx(0.2, abs=0.02)
    solid = panels.mesh if thickness else panels.sheets[0]
    assert signed_distances(placed, on_surface(solid, 1500)).min() >= 0.18


def test_where_a_gap_leaves_no_room_there_is_no_wall(metal):
    """A gap of 4 mm below a plate that slopes from 2 to 12 mm above the floor of its own part."""
    job = supported(job_of(metal, sloping_shelf(), offset=0.0), "lattice-metal", contact="gap", gap=4.0)
    made = Pipeline().structure(job.supports[0], job)
    assert len(made.slabs) > 0
    assert (made.slabs.high >= made.slabs.low).all()
    assert made.solid_mesh.volume > 0


def sloping_shelf():
    floor, post = box((40, 20, 3)), box((2, 20, 16), corner=(-2, 0, 0))
    roof = to_manifold(box((44, 20, 2))).rotate((0, -14, 0)).translate((-2, 0, 5))
    return from_manifold(to_manifold(floor) + to_manifold(post) + roof)

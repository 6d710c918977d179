"""Cuts by many planes at once: areas by other ways, rings and open lines, gaps closed and reported, shares of work."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh import slices as slicing
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_torus
from lean_trellis.core.mesh.slices import sliced
from lean_trellis.core.mesh.weld import weld


def heights_of(mesh: Mesh, count: int) -> np.ndarray:
    low, high = mesh.bounds[:, 2]
    return low + (np.arange(count) + 0.5) * (high - low) / count


@st.composite
def solids(draw: st.DrawFn) -> Mesh:
    """Blocks, balls and bores turned anyhow, united."""
    places = draw(st.lists(st.tuples(*[st.floats(-6, 6)] * 6), min_size=1, max_size=4))
    whole = Manifold()
    for number, (x, y, z, a, b, c) in enumerate(places):
        shape = Manifold.sphere(5, 24) if number % 2 else Manifold.cube((7, 6, 5), center=True)
        shape = shape.rotate((20 * a, 20 * b, 20 * c)).translate((x, y, z))
        whole = whole - shape.scale((0.5, 0.5, 2)) if number == 2 else whole + shape
    return from_manifold(whole)


def length_of(rings: list[np.ndarray]) -> float:
    return sum(float(np.linalg.norm(ring - np.roll(ring, 1, axis=0), axis=1).sum()) for ring in rings)


@settings(max_examples=25, deadline=None)
@given(solids())
def test_areas_and_rings_are_those_of_independent_cuts(mesh):
    heights = heights_of(mesh, 17)
    cuts = sliced(build_topology(mesh), heights)
    solid = to_manifold(mesh)
    assert not cuts.is_open.any()
    for level, height in enumerate(heights.tolist()):
        cross = solid.slice(height)
        assert cuts.areas[level] == pytest.approx(cross.area(), abs=1e-4)
        assert length_of(cuts.rings(level)) == pytest.approx(length_of(cross.to_polygons()), abs=1e-3)


def test_areas_times_height_are_the_volume_within_one_layer():
    mesh = wavy_torus(120, 60)
    low, high = mesh.bounds[:, 2]
    cuts = sliced(build_topology(mesh), np.arange(low + 0.05, high, 0.1))
    assert abs(cuts.areas.sum() * 0.1 - mesh.volume) < cuts.areas.max() * 0.1


def test_outer_rings_run_anticlockwise_and_holes_clockwise():
    tube = Manifold.cylinder(10, 8.0, circular_segments=64) - Manifold.cylinder(12, 5.0, circular_segments=64)
    cuts = sliced(build_topology(from_manifold(tube)), np.array([3.0, 7.0]))
    areas = np.sort(cuts.ring_areas.reshape(2, 2), axis=1)
    assert (areas[:, 0] < -70).all()
    assert (areas[:, 1] > 190).all()
    assert cuts.levels.tolist() == [0, 0, 1, 1]


def test_planes_through_vertices_cut_as_just_below_them_and_beside_the_mesh_nothing():
    mesh = box((4, 4, 4))
    cuts = sliced(build_topology(mesh), np.array([-1.0, 0.0, 2.0, 4.0, 5.0]) + mesh.bounds[0, 2])
    assert cuts.areas.tolist() == [0.0, 0.0, 16.0, 16.0, 0.0]
    assert cuts.rings(0) == cuts.rings(4) == []


@pytest.mark.parametrize("heights", [[], [1.0]])
@pytest.mark.parametrize("mesh", [Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)), box((4, 4, 4))])
def test_nothing_is_cut_where_there_is_nothing(mesh, heights):
    cuts = sliced(build_topology(mesh), np.array(heights) + 100)
    assert cuts.areas.tolist() == [0.0] * len(heights)
    assert len(cuts.points) == len(cuts.gaps) == 0


def without_a_side(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices, mesh.faces[mesh.normals[:, 0] < 0.9])


def test_an_open_surface_gives_one_line_a_level():
    cuts = sliced(build_topology(without_a_side(box((4, 4, 4)))), np.array([-1.0, 1.0]) + box((4, 4, 4)).middle[2])
    for level in range(2):
        assert cuts.rings(level) == []
        (line,) = cuts.lines(level)
        assert np.linalg.norm(np.diff(line, axis=0), axis=1).sum() == pytest.approx(12.0)
    assert cuts.areas.tolist() == [0.0, 0.0]


def torn(width: float) -> Mesh:
    """A box whose one side stands off by a width."""
    mesh = box((4, 4, 4))
    side = mesh.normals[:, 0] > 0.9
    moved = Mesh(mesh.vertices + [width, 0, 0], mesh.faces[side])
    return weld(join([Mesh(mesh.vertices, mesh.faces[~side]), moved]))


def test_gaps_up_to_the_tolerance_are_closed_and_reported():
    mesh = torn(0.05)
    height = float(mesh.middle[2])
    cuts = sliced(build_topology(mesh), np.array([height]), close_mm=0.06)
    assert len(cuts.rings(0)) == 1
    assert cuts.lines(0) == []
    assert cuts.areas[0] == pytest.approx(4 * 4.05)
    np.testing.assert_allclose(cuts.gaps[:, 2:], [[height, 0.05]] * 2)
    wider = sliced(build_topology(mesh), np.array([height]), close_mm=0.04)
    assert (len(wider.rings(0)), len(wider.lines(0)), len(wider.gaps)) == (0, 2, 0)


def test_two_boxes_that_meet_in_an_edge_are_two_rings():
    one, other = box((4, 4, 4)), box((4, 4, 4), corner=(4, 4, 0))
    mesh = weld(join([box((4, 4, 4), corner=(0, 0, 0)), other]))
    topology = build_topology(mesh)
    assert len(topology.non_manifold_edges)
    cuts = sliced(topology, np.array([1.0, 2.0]))
    assert not cuts.is_open.any()
    assert cuts.areas == pytest.approx([32.0, 32.0])
    assert one.volume == pytest.approx(64)


def test_a_mesh_is_cut_as_it_stands_and_in_shares_as_at_once(monkeypatch):
    mesh = ball(10, subdivisions=4)
    topology = build_topology(mesh)
    raised = mesh.vertices * [1, 1, 0.5] + [0, 0, 30]
    heights = np.linspace(25.2, 34.8, 40)
    whole = sliced(topology, heights, vertices=raised)
    assert whole.areas == pytest.approx(np.pi * (100 - (2 * (heights - 30)) ** 2), rel=0.02)
    monkeypatch.setattr(slicing, "_NODES_AT_ONCE", 900)
    said = []

    class Listening:
        def at(self, _share: float, words: str) -> None:
            said.append(words)

    shares = sliced(topology, heights, vertices=raised, watch=Listening())
    assert len(said) > 5
    assert said[0].startswith("cutting layers 1 to ")
    assert shares.areas == pytest.approx(whole.areas)
    assert shares.levels.tolist() == whole.levels.tolist()
    for level in range(40):
        (ours,), (theirs,) = shares.rings(level), whole.rings(level)
        assert len(ours) == len(theirs)
        np.testing.assert_allclose(np.sort(ours, axis=0), np.sort(theirs, axis=0))


def test_some_levels_alone_are_what_they_are_among_all():
    mesh = wavy_torus(30, 20)
    heights = np.linspace(*mesh.bounds[:, 2], 14)[1:-1]
    every = sliced(build_topology(mesh), heights)
    some = every.between(3, 8)
    assert some.heights.tolist() == heights[3:8].tolist()
    np.testing.assert_array_equal(some.areas, every.areas[3:8])
    for level in range(5):
        for one, other in zip(some.rings(level), every.rings(level + 3), strict=True):
            np.testing.assert_array_equal(one, other)
    assert len(every.between(4, 4).points) == 0

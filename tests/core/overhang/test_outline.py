"""Outlines of regions: loops, holes, turns, areas."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold
from seen_regions import found_on, helix_ramp

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.overhang import detect
from lean_trellis.core.overhang.rim import FREE, WALL
from lean_trellis.core.parts import Pose, rotation_about


def test_a_table_with_a_hole_has_an_outer_loop_and_holes():
    top = to_manifold(box((40, 40, 4), corner=(0, 0, 20)))
    leg = to_manifold(box((6, 6, 20), corner=(17, 0, 0)))
    hole = Manifold.cylinder(10, 5, 5, 64).translate((20, 25, 18))
    found = found_on(from_manifold(top + leg - hole))
    (region,) = found.regions
    loops = found.outlines.of_region(region.id)
    assert len(loops) == 2
    enclosed = sorted(found.outlines.enclosed_mm2.tolist())
    circle = 32 * 25 * np.sin(2 * np.pi / 64)
    assert enclosed == pytest.approx([-circle, 1600 - 36])
    free, wall, fading = region.rim_mm
    assert wall == pytest.approx(3 * 6 + 6, abs=6.1), "three sides of the leg, at the edge of the top"
    assert fading == 0
    assert free == pytest.approx(40 * 4 - 6 + 64 * 10 * np.sin(np.pi / 64))
    assert {kind for _, kinds in loops for kind in kinds.tolist()} == {FREE, WALL}


def test_the_outline_of_a_helix_overlaps_itself_and_encloses_every_turn():
    found = found_on(helix_ramp(), lift=5)
    largest = max(found.regions, key=lambda region: region.area_mm2)
    loops = found.outlines.of_region(largest.id)
    mine = found.outlines.loop_regions == largest.id
    assert found.outlines.enclosed_mm2[mine].sum() == pytest.approx(largest.projected_area_mm2, rel=1e-9)
    ring = np.pi * (100 - 16)
    assert largest.projected_area_mm2 == pytest.approx(2 * ring, rel=0.02), "both turns count"
    assert found.shadow_area_mm2() == pytest.approx(ring, rel=0.02), "seen from below it is one"
    assert sum(len(places) for places, _ in loops) > 200


@settings(max_examples=25)
@given(st.integers(0, 2**31), st.floats(20, 75), st.floats(0, 90))
def test_outlines_enclose_the_projected_area_on_bumpy_meshes(seed, critical, turn):
    rng = np.random.default_rng(seed)
    mesh = ball(8, subdivisions=3)
    mesh = Mesh(mesh.vertices * (1 + 0.06 * rng.standard_normal((len(mesh.vertices), 1))), mesh.faces)
    placed = Pose(build_offset=3).turned(rotation_about("x", turn)).applied(mesh)
    found = detect(build_topology(mesh), placed, critical_angle=critical)
    assert found.critical_area_mm2 == pytest.approx(mesh_sum(found), rel=1e-3)
    enclosed = np.zeros(len(found.regions))
    np.add.at(enclosed, found.outlines.loop_regions, found.outlines.enclosed_mm2)
    projected = np.array([region.projected_area_mm2 for region in found.regions])
    faces = np.array([region.kind == "face" for region in found.regions])
    np.testing.assert_allclose(enclosed[faces], projected[faces], rtol=1e-3, atol=1e-9)


def mesh_sum(found):
    down = found.mesh.normals[:, 2] < -np.cos(np.radians(found.critical_angle))
    return found.mesh.areas[down].sum()


def test_on_a_belt_outlines_enclose_the_area_in_the_layers():
    tilted = (0.0, -np.sin(np.radians(45)), np.cos(np.radians(45)))
    found = found_on(box((10, 10, 10)), lift=20, critical=46, layer_normal=tilted)
    assert all(region.lowest_mm == pytest.approx(20) for region in found.regions)
    reach = (min(r.along_mm[0] for r in found.regions), max(r.along_mm[1] for r in found.regions))
    diagonal = 10 * np.sin(np.radians(45))
    assert reach[1] - reach[0] == pytest.approx(diagonal), "heights along the tilted normal"
    total = sum(region.projected_area_mm2 for region in found.regions)
    assert total == pytest.approx(200 * np.cos(np.radians(45)))
    assert found.outlines.enclosed_mm2.sum() == pytest.approx(total)

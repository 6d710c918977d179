"""Outlines, kinds of rim, spans, what holds itself, what lies beneath, regions by hand: as geometry says."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold
from seen_regions import found_on

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, revolution, to_manifold
from lean_trellis.core.overhang import SelfBridging
from lean_trellis.core.parts.marks import NO_REGION


def test_nested_cups_give_a_region_each():
    """Three caps one inside the other, joined by a rod."""
    cup = to_manifold(revolution(np.array([[0, 0], [10, 0], [10, 12], [9, 12], [9, 1], [0, 1]])))
    cups = [cup.scale((k, k, k)).translate((0, 0, z)) for k, z in ((1.0, 0.0), (0.8, 4.0), (0.6, 8.0))]
    rod = Manifold.cylinder(10, 1, 1, 24)
    found = found_on(from_manifold(cups[0] + cups[1] + cups[2] + rod), lift=3)
    areas = sorted(region.area_mm2 for region in found.regions)
    disc = lambda r: 64 * r * r * np.sin(np.pi / 64) * np.cos(np.pi / 64)  # noqa: E731
    rod_area = 24 * np.sin(np.pi / 24) * np.cos(np.pi / 24)
    assert len(areas) == 3
    assert areas == pytest.approx([disc(6) - rod_area, disc(8) - rod_area, disc(10)], rel=2e-2)


def test_a_slope_has_one_angle_and_a_cap_a_mean_between():
    (slope,) = found_on(from_manifold(to_manifold(box((30, 20, 3))).rotate((0, 30, 0))), lift=2).regions
    assert slope.mean_angle_deg == pytest.approx(30)
    cap = found_on(ball(10, subdivisions=5), lift=2).regions[0]
    expected = np.degrees((np.sin(np.pi / 4) - np.pi / 4 * np.cos(np.pi / 4)) / (1 - np.cos(np.pi / 4)))
    assert cap.mean_angle_deg == pytest.approx(expected, abs=0.5)


def marked(mesh, **numbers):
    hand = np.zeros(len(mesh.faces), np.int16)
    for direction, number in numbers.items():
        axis = "xyz".index(direction[0])
        hand[mesh.normals[:, axis] * (-1 if direction.endswith("m") else 1) > 0.9] = number
    return hand


def test_marked_faces_are_one_region_where_they_look_down_or_sideways_and_none_where_they_look_up():
    mesh = from_manifold(to_manifold(box((20, 10, 5))).rotate((0, 60, 0)))
    down = np.flatnonzero(mesh.normals[:, 2] < -1e-6)
    hand = np.ones(len(mesh.faces), np.int16)
    (region,) = found_on(mesh, lift=5, hand=hand).regions
    assert region.is_by_hand
    assert sorted(region.faces.tolist()) == down.tolist()
    assert region.area_mm2 == pytest.approx(mesh.areas[down].sum())


def test_faces_taken_out_belong_to_no_region_but_stay_critical():
    mesh = box((20, 10, 5))
    found = found_on(mesh, lift=5, hand=marked(mesh, zm=NO_REGION))
    assert found.regions == ()
    assert found.critical_area_mm2 == pytest.approx(200)
    assert len(found.faces_to_hold) == 0


def test_a_region_by_hand_may_lie_in_pieces_and_is_never_left_out():
    two = to_manifold(box((3, 10, 5))) + to_manifold(box((3, 10, 5), corner=(10, 0, 0)))
    mesh = from_manifold(two)
    (region,) = found_on(mesh, lift=5, hand=marked(mesh, zm=4), bridging=SelfBridging(0, 0, 1000)).regions
    assert region.area_mm2 == pytest.approx(60)
    assert region.left_out == ""


def test_open_and_flat_meshes_say_what_was_passed_over():
    mesh = box((10, 10, 10))
    opened = found_on(Mesh(mesh.vertices, mesh.faces[:-1]), lift=4)
    assert opened.notes == ("3 open edges taken as free rim",)
    flat = np.vstack([mesh.faces, [[0, 1, 0]]]).astype(np.int32)
    assert "1 face without area passed over" in found_on(Mesh(mesh.vertices, flat), lift=4).notes
    assert found_on(mesh).notes == ()

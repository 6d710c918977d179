"""Rafts."""

from __future__ import annotations

import numpy as np
import pytest
from body_cases import is_closed, raft_for, ring
from manifold3d import CrossSection, JoinType, Manifold

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.primitives import from_manifold


@pytest.mark.parametrize("margin", [-3.0, 0.0, 1.5, 6.0, 12.0])
@pytest.mark.parametrize("edge_slope", [0.0, 35.0])
def test_a_rafts_area_is_that_of_the_outline_offset_by_other_code(margin, edge_slope):
    raft = raft_for(ring(), margin=margin, smallest_hole=0, edge_slope=edge_slope)
    turn = 2 * np.pi * np.arange(128) / 128
    rings = [radius * np.column_stack([np.cos(turn), np.sin(turn)]) for radius in (20, 8)]
    outline = CrossSection([rings[0], rings[1][::-1]])
    expected = outline.offset(margin, JoinType.Round, 2.0, 256).area()
    assert raft.area_mm2 == pytest.approx(expected, rel=2e-4)
    assert is_closed(raft.mesh)
    if edge_slope == 0:
        assert raft.volume_mm3 == pytest.approx(raft.area_mm2 * raft.thickness, rel=1e-9)
    else:
        assert raft.volume_mm3 < raft.area_mm2 * raft.thickness


@pytest.mark.parametrize("smallest", [0.0, 2.0])
def test_a_hole_is_open_just_under_the_margin_told_and_closed_just_above(smallest):
    closes_at = raft_for(ring(), margin=1, smallest_hole=smallest).holes[0].closes_at
    assert closes_at == pytest.approx(8 - smallest / 2, abs=0.01)
    for factor, holes in ((0.98, 1), (1.02, 0)):
        raft = raft_for(ring(), margin=factor * closes_at, smallest_hole=smallest)
        assert sum(len(part.interiors) for part in np.atleast_1d(raft.shape)) == holes
        assert raft.holes[0].is_closed is (holes == 0)


def test_hull_and_rectangle_and_filled_holes():
    mesh = from_manifold(Manifold.cube((20, 4, 5)) + Manifold.cube((4, 20, 5)))
    assert raft_for(mesh, margin=0, outline="hull").area_mm2 == pytest.approx(400 - 16 * 16 / 2)
    assert raft_for(mesh, margin=2, outline="rectangle").area_mm2 == pytest.approx(24 * 24)
    assert raft_for(ring(), margin=0, holes="fill").area_mm2 == pytest.approx(np.pi * 400, rel=2e-3)


def test_a_margin_that_leaves_nothing_is_refused_with_the_margin_that_does():
    with pytest.raises(ParameterError, match=r"leaves nothing of the raft; give more than -6\.0"):
        raft_for(ring(), margin=-7)


@pytest.mark.parametrize("slope", [20.0, 45.0, 65.0])
@pytest.mark.parametrize("outline", ["follow", "hull", "rectangle"])
def test_sloped_rafts_of_all_outlines_are_closed_and_smaller_above(slope, outline):
    mesh = from_manifold(Manifold.cube((26, 6, 5)) + Manifold.cube((6, 26, 5)) + Manifold.cube((4, 4, 5)).translate(
        (21, 21, 0)))  # fmt: skip
    raft = raft_for(mesh, margin=1.4, outline=outline, edge_slope=slope, thickness=1.5)
    assert all(is_closed(body) for body in raft.bodies)
    assert raft.volume_mm3 < raft.area_mm2 * 1.5
    for body in raft.bodies:
        low = body.vertices[body.vertices[:, 2] == 0]
        high = body.vertices[body.vertices[:, 2] == 1.5]
        assert (np.ptp(high, axis=0)[:2] <= np.ptp(low, axis=0)[:2] + 1e-9).all()


def test_a_brim_goes_round_what_lies_on_the_plate_and_keeps_out_of_holes():
    raft = raft_for(ring(), layer_height=0.2, thickness=0, brim_width=5, brim_layers=2)
    assert raft.area_mm2 == pytest.approx(np.pi * (25**2 - 20**2), rel=2e-3)
    assert raft.volume_mm3 == pytest.approx(raft.area_mm2 * 0.4)
    assert all(is_closed(body) for body in raft.bodies)
    assert raft.thickness == 0
    assert not len(raft.contacts)


def test_corner_pads_are_discs_at_sharp_corners_and_a_disc_has_none():
    mesh = from_manifold(Manifold.cube((40, 20, 5)))
    pads = raft_for(mesh, layer_height=0.2, thickness=0, corner_pads=10)
    assert pads.area_mm2 == pytest.approx(4 * 0.75 * np.pi * 25, rel=2e-3)
    assert len(pads.bodies) == 4
    assert raft_for(ring(), layer_height=0.2, thickness=0, corner_pads=10).is_empty


def test_a_raft_may_have_a_brim_beyond_its_margin_that_is_thinner_than_it():
    plain = raft_for(ring(), layer_height=0.2, margin=1, thickness=0.8)
    brim = raft_for(ring(), layer_height=0.2, margin=1, thickness=0.8, brim_width=4)
    around = np.pi * (25**2 - 21**2)
    assert brim.area_mm2 - plain.area_mm2 == pytest.approx(around, rel=2e-3)
    assert brim.volume_mm3 - plain.volume_mm3 == pytest.approx(0.2 * around, rel=2e-3)
    assert brim.holes == plain.holes


def test_without_thickness_it_needs_a_brim_or_pads_and_a_part_on_the_plate():
    with pytest.raises(ValueError, match="without thickness it needs a brim or corner pads"):
        raft_for(ring(), thickness=0)
    assert raft_for(ring(), offset=3.0, thickness=0, brim_width=5).is_empty

"""Beads: what is extruded is what the layers hold."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.extrusion import beaded
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.parts.path_values import PathValues

PLAN = LayerPlan(0.2)


def body_of(mesh):
    body = layered(build_topology(mesh), mesh.vertices, PLAN)
    return body, PLAN.numbers_of(body.heights)


def tube():
    return from_manifold(to_manifold(cylinder(10, 2)) - to_manifold(cylinder(9.7, 2)))


@pytest.mark.parametrize(
    "mesh", [box((30, 20, 2)), ball(6, subdivisions=4), box((30, 1.1, 2)), box((30, 0.6, 2)), box((30, 0.3, 2)), tube(),
             cylinder(1, 2)],
    ids=["box", "ball", "two beads", "one and a half", "half a bead", "thin tube", "bar"],
)  # fmt: skip
def test_beads_cover_the_area_of_every_layer_at_full_fill(mesh):
    body, numbers = body_of(mesh)
    paths = beaded(body, numbers, Beads(0.45, 2, 1.0, 4))
    covered = np.bincount(paths.levels, paths.lengths * paths.widths, len(body.heights))
    np.testing.assert_allclose(covered, body.areas_mm2, rtol=0.03)


@pytest.mark.parametrize("beads", [1, 2, 3])
@pytest.mark.parametrize("off", [-0.02, -0.002, -0.0002, 0.0, 0.0002, 0.002, 0.004, 0.02])
def test_a_wall_of_just_so_many_beads_is_laid_as_one_a_little_thinner_or_thicker(beads, off):
    body, numbers = body_of(box((30, 0.45 * beads + off, 0.6)))
    paths = beaded(body, numbers, Beads(0.45, 2, 1.0, 4))
    covered = np.bincount(paths.levels, paths.lengths * paths.widths, len(body.heights))
    np.testing.assert_allclose(covered, body.areas_mm2, rtol=0.03)


def test_the_inside_is_filled_by_its_share_and_what_lies_near_air_fully():
    body, numbers = body_of(box((30, 30, 6)))
    paths = beaded(body, numbers, Beads(0.5, 2, 0.25, 3))
    covered = np.bincount(paths.levels, paths.lengths * paths.widths, len(body.heights))
    np.testing.assert_allclose(covered[[0, 2, -3, -1]], 900, rtol=0.01)
    np.testing.assert_allclose(covered[[3, 15, -4]], 900 - 28**2 + 0.25 * 28**2, rtol=0.03)


def test_loops_come_from_the_outside_in_then_fill_which_turns_by_layer():
    body, numbers = body_of(box((10, 10, 1)))
    paths = beaded(body, numbers, Beads(0.5, 3, 1.0, 4))
    for level, angle in ((0, 45.0), (1, 135.0)):
        here = paths.of_level(level)
        assert here.kinds[:3].tolist() == [Kind.OUTLINE, Kind.LOOP, Kind.LOOP]
        assert here.lengths[:3].tolist() == pytest.approx([4 * 9.5, 4 * 8.5, 4 * 7.5])
        ways = here.lasts[3:] - here.firsts[3:]
        np.testing.assert_allclose(np.sin(np.arctan2(ways[:, 1], ways[:, 0]) - np.radians(angle)), 0, atol=1e-6)


def test_without_loops_or_fill_there_is_none():
    body, numbers = body_of(box((10, 10, 1)))
    assert set(beaded(body, numbers, Beads(0.5, 0, 1.0, 4)).kinds.tolist()) == {Kind.FILL}
    assert set(beaded(body, numbers, Beads(0.5, 1, 0.0, 0)).kinds.tolist()) == {Kind.OUTLINE}


def test_a_range_of_layers_has_values_of_its_own():
    body, numbers = body_of(box((20, 20, 4)))
    usual = Beads(0.5, 2, 0.2, 2)
    own = PathValues(low=1.0, high=2.0, path_width=0.8, loops=4, fill_share=1.0)
    paths = beaded(body, numbers, usual, [own])
    plain = beaded(body, numbers, usual)
    for level, height in enumerate(body.heights.tolist()):
        here = paths.of_level(level)
        if 1.0 <= height <= 2.0:
            assert np.isin(here.kinds, [Kind.OUTLINE, Kind.LOOP]).sum() == 4
            np.testing.assert_allclose(here.widths, 0.8, rtol=0.01)
            assert here.lengths @ here.widths == pytest.approx(400, rel=0.02)
        else:
            np.testing.assert_array_equal(here.ways.points, plain.of_level(level).ways.points)


def test_only_the_outline_that_was_picked_has_values_of_its_own():
    twins = from_manifold(to_manifold(box((6, 6, 4))) + to_manifold(box((6, 6, 4), corner=(20, 0, 0))))
    body, numbers = body_of(twins)
    paths = beaded(body, numbers, Beads(0.5, 2, 0.2, 2), [PathValues(at=(23.0, 3.0, 2.1), loops=0, fill_share=1.0)])
    for level in range(len(body.heights)):
        here = paths.of_level(level)
        is_right = here.firsts[:, 0] > 15
        assert set(here.kinds[is_right].tolist()) == {Kind.FILL}
        assert {Kind.OUTLINE, Kind.LOOP} < set(here.kinds[~is_right].tolist())
        assert here.lengths[is_right] @ here.widths[is_right] == pytest.approx(36, rel=0.03)

"""Beads: what is extruded is what the layers hold."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.extrusion import Beads, beaded
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.shop.material import Constant

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


def test_supports_are_full_and_parts_as_the_material_says():
    values = {"path_width": 0.4, "loops": 3, "fill_share": 0.15, "shell_layers": 5}
    constants = {key: Constant(value=value, unit="1", source="assumed") for key, value in values.items()}
    assert Beads.of(constants, is_support=False) == Beads(0.4, 3, 0.15, 5)
    assert Beads.of(constants, is_support=True) == Beads(0.4, 1, 1.0, 0)

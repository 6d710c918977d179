"""The build by height."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.build import LayeredBody
from lean_trellis.core.layers.laying import LaidAs
from lean_trellis.core.layers.profile import profile_of
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology


def body(kind, size, low, plan):
    mesh = box(size, corner=(0, 0, low))
    layers = layered(build_topology(mesh), mesh.vertices, plan)
    return LayeredBody(kind, kind, layers, plan.numbers_of(layers.heights), laid_as=LaidAs(is_support=kind != "part"))


def test_areas_are_summed_by_number_for_parts_and_for_what_holds_them():
    plan = LayerPlan(0.5)
    bodies = (
        body("part", (4, 5, 2), 2, plan),
        body("support", (1, 1, 2), 0, plan),
        body("separator", (2, 1, 1), 4, plan),
    )
    profile = profile_of(bodies, plan)
    assert profile.numbers.tolist() == list(range(10))
    np.testing.assert_allclose(profile.part_mm2, [0] * 4 + [20] * 4 + [0] * 2)
    np.testing.assert_allclose(profile.support_mm2, [1] * 4 + [0] * 4 + [2] * 2)
    np.testing.assert_allclose(profile.tops, 0.5 * np.arange(1, 11))


@pytest.mark.parametrize(("height", "number"), [(-1, 0), (0.2, 0), (0.5, 0), (0.51, 1), (3.0, 5), (99, 9)])
def test_a_height_is_in_the_layer_whose_upper_side_is_next_above(height, number):
    plan = LayerPlan(0.5)
    profile = profile_of((body("part", (4, 5, 5), 0, plan),), plan)
    assert profile.number_at(height) == number
    assert profile.place_of(number) == number
    assert (profile.place_of(-7), profile.place_of(77)) == (0, 9)


def test_a_first_layer_of_its_own_lifts_all_others_and_nothing_has_no_layers():
    plan = LayerPlan(0.5, 0.8)
    np.testing.assert_allclose(profile_of((body("part", (4, 5, 2), 0, plan),), plan).tops, [0.8, 1.3, 1.8, 2.3][:3])
    assert len(profile_of((), plan)) == 0

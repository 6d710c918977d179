"""Outlines and hatch of powder beds."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.layers.powder import Hatching, hatched, striped
from lean_trellis.core.layers.scanning import Lines
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.shop.material import Constant


def of_box(size=(12, 8, 1)):
    mesh = box(size)
    return layered(build_topology(mesh), mesh.vertices, LayerPlan(0.1))


def test_hatch_covers_the_layer_and_turns_from_one_to_the_next():
    body = of_box()
    paths = hatched(body, np.arange(10), Hatching(0.1, 73.0, 0.0))
    fill = paths.only(np.flatnonzero(paths.kinds == Kind.FILL))
    assert fill.lengths.sum() * 0.1 == pytest.approx(10 * 96, rel=0.01)
    assert paths.lengths[paths.kinds == Kind.OUTLINE].sum() == pytest.approx(10 * 40)
    for level in (0, 3):
        ways = fill.of_level(level).lasts - fill.of_level(level).firsts
        turned = np.degrees(np.arctan2(ways[:, 1], ways[:, 0])) - 73.0 * level
        np.testing.assert_allclose(np.sin(np.radians(turned)), 0, atol=1e-9)


def test_some_layers_alone_are_as_among_all():
    body = of_box()
    whole, some = (hatched(body, np.arange(10), Hatching(0.1, 73.0, 2.0), *ends) for ends in ((0, None), (4, 6)))
    np.testing.assert_array_equal(np.unique(some.levels), [4, 5])
    np.testing.assert_allclose(some.of_level(5).ways.points, whole.of_level(5).ways.points)


def test_stripes_cut_lines_at_their_multiples_and_lose_nothing():
    begins, ends = np.array([[-3.0, 0.0], [7.0, 1.0]]), np.array([[8.0, 0.0], [0.5, 1.0]])
    cut = striped(Lines(begins, ends, np.zeros(2, int), np.arange(2)), 5.0)
    assert cut.lengths.sum() == pytest.approx(11 + 6.5)
    assert cut.lengths.max() <= 5.0 + 1e-9
    assert sorted(cut.ends[cut.rows == 0][:, 0].tolist()) == pytest.approx([0.0, 5.0, 8.0])


def test_supports_have_a_distance_of_their_own_where_the_material_says_so():
    constants = {"hatch_distance": Constant(value=0.1, unit="mm", source="assumed")}
    assert Hatching.of(constants, is_support=True).distance == 0.1
    constants["support_hatch_distance"] = Constant(value=0.14, unit="mm", source="assumed")
    assert Hatching.of(constants, is_support=True).distance == 0.14
    assert Hatching.of(constants, is_support=False).distance == 0.1

"""A part as it grows: areas and moments of its layers, bodies that hang apart until they meet."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from gripped import placed

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold
from lean_trellis.core.strength.growth import area_moments, stages

NO_HOLDS = np.zeros((0, 3))


def test_moments_of_a_rectangle_with_a_hole_are_those_of_both():
    outer, hole = shapely.box(1, 2, 7, 6), shapely.box(2, 3, 4, 5)
    area, middle, (xx, yy, xy) = area_moments([outer.difference(hole)])
    assert area == pytest.approx(24 - 4)
    assert middle == pytest.approx([(24 * 4 - 4 * 3) / 20, 4.0])
    x = middle[0]
    assert xx == pytest.approx(6**3 * 4 / 12 + 24 * (4 - x) ** 2 - 2**4 / 12 - 4 * (3 - x) ** 2)
    assert yy == pytest.approx(4**3 * 6 / 12 - 2**4 / 12)
    assert xy == pytest.approx(0, abs=1e-9)


def test_moments_of_a_slanting_shape_have_a_mixed_one():
    area, _, (xx, yy, xy) = area_moments([shapely.Polygon([(0, 0), (3, 0), (0, 3)])])
    assert area == pytest.approx(4.5)
    assert (xx, yy, xy) == pytest.approx((3**4 / 36, 3**4 / 36, -(3**4) / 72))


def test_a_block_grows_evenly_and_its_middle_is_half_way():
    found = list(stages(placed(box((20, 10, 8)), 5), np.array([[0, 0, 5.0], [3, 3, 9.0]])))
    assert len(found) == 32, "a quarter of a millimetre each"
    assert found[-1].volume == pytest.approx(1600)
    assert found[-1].heavy == pytest.approx([0, 0, 9], abs=1e-6)
    assert found[0].area == pytest.approx(200)
    assert found[0].moments[:2] == pytest.approx([20**3 * 10 / 12, 10**3 * 20 / 12])
    assert [len(stage.holds) for stage in found][::31] == [1, 2], "the second contact comes with its layer"
    assert len(found[-1].stem) == 32
    assert np.ptp(found[0].hull, axis=0) == pytest.approx([20, 10])


def test_pieces_are_bodies_of_their_own_until_they_meet():
    solid = to_manifold(box((4, 4, 10))) + to_manifold(box((2, 2, 10), corner=(20, 0, 0)))
    whole = from_manifold(solid + to_manifold(box((24, 4, 2), corner=(0, 0, 9))))
    mesh = Mesh(whole.vertices + [0, 0, 5], whole.faces)
    found = list(stages(mesh, np.array([[2, 2, 5.0], [21, 1, 5.0]])))
    apart = [stage for stage in found if stage.level < 14]
    assert {len(stage.holds) for stage in apart} == {1}
    assert sorted({round(stage.area) for stage in apart}) == [4, 16]
    last = found[-1]
    assert sorted(last.holds.tolist()) == [0, 1]
    assert last.volume == pytest.approx(whole.volume, rel=0.02)
    assert last.stem[0, 1] == pytest.approx(4**4 / 12 + 2**4 / 12), "side by side each leg bends for itself"


def test_without_a_solid_the_shadow_is_held_by_all():
    whole = placed(cylinder(5, 4), 3)
    opened = Mesh(whole.vertices, whole.faces[whole.normals[:, 2] < 0.5])
    (stage,) = stages(opened, np.array([[0, 0, 3.0], [1, 0, 3.0]]))
    assert stage.area == pytest.approx(np.pi * 25, rel=0.01)
    assert stage.holds.tolist() == [0, 1]
    assert len(list(stages(placed(box((2, 2, 0.1)), 0), NO_HOLDS))) == 4


def test_a_sheet_that_only_looks_up_is_no_stage():
    sheet = Mesh(np.array([[0, 0, 5], [9, 0, 5], [0, 9, 5.0]]), np.array([[0, 1, 2]]))
    assert list(stages(sheet, np.zeros((0, 3)))) == []

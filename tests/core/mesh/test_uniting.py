"""Many solids made one."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import Cancelled
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.uniting import set_apart, united
from lean_trellis.core.progress import CountingWatch


def at(x: float) -> Mesh:
    return box((4, 4, 4), corner=(x, 0, 0))


def hollow(outside: Mesh) -> Mesh:
    inside = box((2, 2, 2), corner=(1, 1, 1))
    return join([outside, Mesh(inside.vertices, inside.faces[:, ::-1])])


def test_overlaps_count_once():
    assert united([at(0), at(3), at(20)]).volume == pytest.approx(64 * 3 - 16)
    assert len(united([]).faces) == 0


def test_a_hollow_goes_with_the_shell_round_it():
    assert united([hollow(at(0)), at(10)]).volume == pytest.approx(128 - 8)
    assert united([hollow(at(0)), at(3.5)]).volume == pytest.approx(128 - 8 - 8)


def test_shells_whose_boxes_meet_are_set_apart():
    groups = set_apart(join([at(0), at(3), at(6), at(20)]))
    assert [group.volume for group in groups] == pytest.approx([64 * 3, 64])


def test_what_bounds_no_solid_is_put_side_by_side():
    opened = Mesh(at(0).vertices, at(0).faces[1:])
    assert len(united([opened, at(2)]).faces) == 23


def test_uniting_can_be_cancelled_between_two_solids():
    row = [at(3.0 * number) for number in range(8)]
    with pytest.raises(Cancelled):
        united(row, CountingWatch(cancel_after=0))
    assert united(row, CountingWatch()).volume == pytest.approx(16 * (3 * 7 + 4))

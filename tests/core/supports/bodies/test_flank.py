"""Bases of flank walls: as wide as the reserve asks, by hand reckoning."""

from __future__ import annotations

import numpy as np
import pytest
from body_cases import is_closed
from manifold3d import Manifold
from panel_requests import request_for

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.strength.push import Push
from lean_trellis.core.supports.bodies.flank import base_for, generate_flank
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters


@pytest.mark.parametrize("length", [0.2, 5.0, 60.0])
def test_a_base_holds_its_reserve_about_its_outer_edge(length):
    push = Push(force_n=3.0, per_mm=0.5, bond_mpa=0.8)
    width = base_for(push, 40.0, length, 1.5, 0.1)
    assert push.bond_mpa * length * width**2 / 2 == pytest.approx(1.5 * push.on(length) * 40.0)
    assert width == pytest.approx(np.sqrt(2 * 1.5 * (3.0 + 0.5 * length) * 40 / (0.8 * length)))


def test_it_is_never_narrower_than_twice_the_wall():
    assert base_for(Push(force_n=1e-6, bond_mpa=10.0), 1.0, 100.0, 1.5, 7.0) == 14.0


def test_a_flank_wall_is_tied_to_the_part_at_its_pitch_and_its_base_holds_the_reserve():
    values = FlankParameters(along_start=5, along_length=30, standoff=2, ties_from=10, ties_to=70, tie_pitch=15,
                             free_length=12, tie_width=1, tie_bite=0.2)  # fmt: skip
    wall = generate_flank(request_for(box((40, 3, 80)), values, offset=0.0), Push(2.5, 0.0, 0.6))
    assert (wall.lines, wall.ties, wall.missed) == (4, 20, 0)
    assert sorted(set(np.round(wall.contacts[:, 2], 6))) == [10, 25, 40, 55, 70]
    assert wall.contact_area_mm2 == pytest.approx(20)
    assert wall.contacts[:, 1] == pytest.approx(np.zeros(20), abs=1e-5)
    width = wall.derived_values["base_width"]
    assert 0.6 * 30 * width**2 / 2 == pytest.approx(2.0 * 2.5 * wall.derived_values["top"], rel=1e-6)
    assert wall.reserve == pytest.approx(2.0)
    assert all(is_closed(body) for body in wall.bodies)
    part = to_manifold(box((40, 3, 80)))
    # A tie is as high as it is wide where it meets the part, and a little higher farther out.
    assert sum((to_manifold(body) ^ part).volume() for body in wall.bodies) == pytest.approx(20 * 0.2, rel=0.12)
    assert base_for(Push(0.0, 0.0, 1.0), 80, 30, 2, 1.2) == pytest.approx(2.4)


def test_a_flank_wall_once_round_a_part_with_a_window_tells_of_ties_that_miss():
    mesh = from_manifold(Manifold.cube((40, 3, 80)) - Manifold.cube((20, 9, 20)).translate((10, -3, 30)))
    wall = generate_flank(request_for(mesh, FlankParameters(tie_pitch=10), offset=0.0), Push(2.5, 0.0, 0.6))
    assert wall.derived_values["along_length"] == pytest.approx(86, abs=1e-6)
    assert wall.missed > 0 and wall.ties > 30
    with pytest.raises(ParameterError, match="the part ends at 80 mm"):
        generate_flank(request_for(mesh, FlankParameters(ties_from=90), offset=0.0), Push())


def test_ties_on_a_curved_part_never_go_in_by_more_than_their_bite():
    values = FlankParameters(ties_from=6, ties_to=14, tie_pitch=4, tie_width=2.0, tie_bite=0.1, along_length=20)
    request = request_for(ball(8, subdivisions=4), values, offset=2.0)
    wall = generate_flank(request, Push(2.5, 0.0, 0.6))
    common = (to_manifold(wall.mesh) ^ to_manifold(request.overhangs.mesh)).volume()
    assert wall.ties > 3
    assert 0 < wall.contact_area_mm2 < 0.8 * wall.ties * 4
    assert common < 2.5 * wall.contact_area_mm2 * 0.1

"""The tilt of a part against the plate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from any_parts import ANGLES, part_of
from hypothesis import given

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.parts.pose import rotation_xyz
from lean_trellis.core.parts.tilt import tilt_of


@given(ANGLES)
def test_the_tilt_does_not_change_by_turning_about_z_and_lies_between_0_and_90(angles):
    rod = part_of(cylinder(3, 40))
    posed = replace(rod, pose=rod.pose.turned(rotation_xyz(*angles)))
    spun = replace(posed, pose=posed.pose.turned(rotation_xyz(0, 0, 77)))
    assert 0 <= tilt_of(posed).angle_deg <= 90
    assert tilt_of(spun).angle_deg == pytest.approx(tilt_of(posed).angle_deg, abs=1e-6)
    assert np.linalg.norm(tilt_of(posed).rise) == pytest.approx(1)


@pytest.mark.parametrize("angle", [0, 20, 45, 90])
def test_tilt_is_that_of_the_long_axis_or_of_a_flat_parts_plane(trio, angle):
    rod = edits.turn_part(trio, "part-3", "y", 90 - angle).job.part("part-3")
    assert tilt_of(rod).of == "axis"
    assert tilt_of(rod).angle_deg == pytest.approx(angle, abs=1e-3)
    plate = edits.add_bodies(trio, [Body("plate", box((40, 35, 2)), 12)]).job
    plate = edits.turn_part(plate, "part-4", "x", angle).job.part("part-4")
    assert tilt_of(plate).of == "plane"
    assert tilt_of(plate).angle_deg == pytest.approx(angle, abs=1e-3)


@pytest.mark.parametrize("size", [(20, 30, 10), (31, 22, 3), (50, 8, 3)])
def test_a_box_lies_at_0_however_its_sides_are_cut_into_triangles(metal, size):
    job = edits.add_bodies(new_job(*metal), [Body("box", box(size), 12)]).job
    assert tilt_of(job.part("part-1")).angle_deg == pytest.approx(0, abs=1e-6)

"""The tilt of a part against the plate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from any_parts import ANGLES, part_of
from hypothesis import given

from lean_trellis.core.mesh.primitives import cylinder
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

"""Values of bodies that contradict each other."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.supports.bodies.parameters import CradleParameters

USUAL = CradleParameters()


def test_a_tip_is_no_wider_than_its_post_and_posts_stand_apart():
    assert USUAL.with_value("post_tip", USUAL.post_diameter).post_tip == USUAL.post_diameter
    with pytest.raises(ParameterError, match="wider than the post"):
        USUAL.with_value("post_tip", USUAL.post_diameter + 0.01)
    with pytest.raises(ParameterError, match="as wide as they lie apart"):
        USUAL.with_value("post_pitch", USUAL.post_diameter)

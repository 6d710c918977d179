"""What the family declares about itself: bars grow up to regions, and room is made for them."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.bars.spec import BARS


@pytest.mark.parametrize("spec", [BARS], ids=lambda spec: spec.title)
def test_what_it_declares_is_what_its_structures_do(spec):
    assert spec.serves_regions
    assert spec.gets_room
    assert not spec.is_ground

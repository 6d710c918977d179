"""What the families declare about themselves: only a raft is ground for others."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.bodies.spec import BLOCK, CRADLE, FLANK, RAFT


@pytest.mark.parametrize("spec", [BLOCK, CRADLE, FLANK, RAFT], ids=lambda spec: spec.title)
def test_what_it_declares_is_what_its_structures_do(spec):
    assert not spec.serves_regions
    assert not spec.gets_room
    assert spec.is_ground == (spec is RAFT)

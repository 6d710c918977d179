"""What the families declare about themselves: lattices and walls along lines grow up to regions."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.panels.spec import LATTICE, WALL


@pytest.mark.parametrize("spec", [LATTICE, WALL], ids=lambda spec: spec.title)
def test_what_it_declares_is_what_its_structures_do(spec):
    assert spec.serves_regions
    assert not spec.gets_room
    assert not spec.is_ground

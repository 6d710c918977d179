"""Crowns for the demo's arch: closed, of their size, rooted below the gum."""

from __future__ import annotations

import pytest

from lean_trellis.core.demo.teeth import canine, incisor, molar, premolar, stump


@pytest.mark.parametrize("kind", [incisor, canine, premolar, molar, stump])
def test_a_crown_is_one_solid_of_its_size(kind):
    crown = kind(8.0, 9.0, 7.0)
    assert len(crown.decompose()) == 1
    x0, y0, z0, x1, y1, z1 = crown.bounding_box()
    assert 6.0 < x1 - x0 <= 8.2
    assert 7.0 < y1 - y0 <= 10.0
    assert z0 == pytest.approx(-4.4)
    assert 5.8 < z1 <= 7.4

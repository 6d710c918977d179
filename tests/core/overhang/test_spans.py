"""Greatest spans."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold
from seen_regions import LIMITS, found_on, helix_ramp

from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold
from lean_trellis.core.overhang.spans import greatest_spans


def test_the_greatest_span_is_the_largest_circle():
    for mesh, wanted in (
        (box((30, 12, 5)), 12.0),
        (cylinder(7, 5, sides=96), 14.0),
        (ball(10, subdivisions=6), 2 * 10 * np.sin(np.pi / 4)),
    ):
        (span,) = greatest_spans(found_on(mesh, lift=3))
        assert span == pytest.approx(wanted, rel=0.02)
    ring = from_manifold(Manifold.cylinder(4, 10, 10, 96) - Manifold.cylinder(20, 6, 6, 96, center=True))
    assert greatest_spans(found_on(ring, lift=3))[0] == pytest.approx(4, rel=0.05), "a ring is as wide as its band"
    spans = greatest_spans(found_on(helix_ramp(), lift=5))
    assert spans.max() == pytest.approx(6, rel=0.1), "one turn is no rim of the other"


def test_awkward_meshes_have_outlines_and_spans(awkward):
    found = found_on(awkward, lift=3, bridging=LIMITS)
    assert len(greatest_spans(found)) == len(found.regions)
    assert found.outlines.loop_starts[-1] == len(found.outlines.places)

"""Near along the surface, or only through the air: slits and holes in the underside of a slab."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import job_of, spanning, supported

from lean_trellis.core.checks.along import underside_goes_on
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.parts.pose import rotation_about
from lean_trellis.core.supports.common.support import HandWork, Removed


def slab_with(gap: Mesh | None) -> Mesh:
    slab = to_manifold(box((30, 12, 3)))
    return from_manifold(slab - to_manifold(gap)) if gap is not None else box((30, 12, 3))


SLIT = box((25, 0.4, 5), corner=(10, 2, -1))
"""It leaves a tongue of 2 mm along one side, which hangs together with the rest from x = 0 to 10."""


def part_of(metal, mesh: Mesh, turn=None):
    job = job_of(metal, mesh, offset=5.0)
    if turn is not None:
        part = job.parts[0]
        job = job.with_part(replace(part, pose=part.pose.turned(turn)))
    return Pipeline().state(job).parts[0]


def goes_on(part, begin, end, limit=3.0) -> bool:
    """Places from the corner of the slab's underside."""
    low = part.overhangs.mesh.bounds[0]
    places = np.array([begin, end], float) + low
    return bool(underside_goes_on(part, places[:1], places[1:], np.array([limit]))[0])


def test_a_slit_parts_what_is_near_through_the_air(metal):
    slit, whole = part_of(metal, slab_with(SLIT)), part_of(metal, slab_with(None))
    for part, expected in ((slit, False), (whole, True)):
        assert goes_on(part, (20, 1.0, 0), (20, 3.2, 0)) is expected
    assert goes_on(slit, (20, 1.0, 0), (22, 1.0, 0))
    assert goes_on(slit, (9.9, 1.0, 0), (9.9, 3.2, 0))


@pytest.mark.parametrize(("before_end", "is_near"), [(0.4, True), (2.0, False)])
def test_a_way_round_the_end_of_a_slit_counts_as_far_as_the_limit_goes(metal, before_end, is_near):
    part = part_of(metal, slab_with(SLIT))
    assert goes_on(part, (10 + before_end, 1.4, 0), (10 + before_end, 3.0, 0), 2.6) is is_near


@pytest.mark.parametrize(("radius", "is_near"), [(0.6, True), (1.4, False)])
def test_a_small_hole_is_passed_by_and_a_large_one_is_not(metal, radius, is_near):
    hole = from_manifold(to_manifold(cylinder(radius, 5.0, sides=48)).translate((15, 6, -1)))
    part = part_of(metal, slab_with(hole))
    assert goes_on(part, (15 - radius - 0.1, 6, 0), (15 + radius + 0.1, 6, 0), 3.1) is is_near


def test_a_way_along_the_very_rim_counts(metal):
    part = part_of(metal, slab_with(None))
    assert goes_on(part, (5, 0, 0), (7.5, 0, 0))
    assert goes_on(part, (0, 0, 0), (2.5, 0, 0))


def test_an_underside_may_curve_and_be_turned(metal):
    part = part_of(metal, ball(8, subdivisions=4))
    middle, low = part.overhangs.mesh.middle, part.overhangs.mesh.bounds[0, 2]
    down = np.array([[0, 0, -1.0], [0.3, 0, -np.sqrt(1 - 0.09)]])
    places = middle + 8 * down
    assert places[0, 2] == pytest.approx(low, abs=0.02)
    assert underside_goes_on(part, places[:1], places[1:], np.array([3.0])).all()
    turned = part_of(metal, slab_with(SLIT), rotation_about("z", 90) @ rotation_about("x", 9))
    assert not goes_on(turned, (12 - 3.2, 20, 0), (12 - 1.0, 20, 0)) or not goes_on(turned, (1.0, 20, 0), (3.2, 20, 0))


def unsupported_on_the_tongue(metal, mesh: Mesh) -> list:
    """Supported with bars, those along the edge at y < 2 taken away."""
    shop = spanning(metal, 2.6, 3.0, 4.2, 6.0, 12.0)
    job = supported(job_of(shop, mesh, offset=5.0), "bars-metal", spacing=1.9, edge_inset=0.5)
    part, support = job.parts[0], job.supports[0]
    low = part.mesh.bounds[0]
    removed = tuple(Removed((*(low[:2] + [x, 0.7]).tolist(), float(low[2])), 1.3) for x in np.arange(0, 31, 0.5))
    job = replace(job, supports=(replace(support, hand=HandWork(removed=removed)),))
    return [found for found in Pipeline().findings(job) if found.code == "region_not_held"]


def test_a_tongue_held_by_contacts_beyond_a_slit_is_found(metal):
    """The same places are near enough to the same contacts where the slab is whole."""
    assert unsupported_on_the_tongue(metal, slab_with(None)) == []
    (found,) = unsupported_on_the_tongue(metal, slab_with(SLIT))
    assert found.value > found.limit

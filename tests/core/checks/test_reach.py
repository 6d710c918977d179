"""`out_of_reach`: contacts in a pocket, and those that a tool gets to from one side at least."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import codes, job_of, supported, the_finding

from lean_trellis.core.checks.reach import reached, scraper_angles, tool_ways
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold


def tunnel(*, depth: float, height: float, mouths: int = 1) -> Mesh:
    """A block of 40 x 30 x 20 with a level tunnel of 10 mm width from one side, or right through."""
    length = 41 if mouths == 2 else depth + 1
    block = to_manifold(box((40, 30, 20)))
    return from_manifold(block - to_manifold(box((length, 10, height), corner=(-1, 10, 4))))


def test_ways_are_level_or_from_below_all_round():
    ways = tool_ways()
    assert np.linalg.norm(ways, axis=1) == pytest.approx(1)
    assert (ways[:, 2] <= 1e-12).all()
    assert np.abs(ways.sum(axis=0)[:2]).max() < 1e-9


@pytest.mark.parametrize(
    ("height", "mouths", "is_reached"), [(8.0, 1, True), (2.5, 1, False), (8.0, 2, True)],
    ids=["open to one side", "too low for the tool", "open to both"],
)  # fmt: skip
def test_a_contact_deep_in_a_tunnel_is_reached_along_it_if_the_tool_has_room(metal, height, mouths, is_reached):
    part = Pipeline().state(job_of(metal, tunnel(depth=30, height=height, mouths=mouths), offset=5.0)).parts[0]
    ceiling = part.overhangs.mesh.bounds[0] + [25.0, 15.0, 4 + height]
    assert bool(reached(part, ceiling[None], np.array([[0.0, 0.0, 1.0]]), 3.0)[0]) is is_reached


def test_a_bend_hides_what_lies_behind_it(metal):
    """Down a shaft of 8 x 8 and 12 mm aside from it: no straight rod gets there."""
    block = to_manifold(box((40, 30, 30)))
    bend = to_manifold(box((8, 8, 20), corner=(5, 11, -1))) + to_manifold(box((24, 8, 8), corner=(5, 11, 12)))
    job = supported(job_of(metal, from_manifold(block - bend), offset=5.0), landing="anywhere")
    found = [finding for finding in Pipeline().findings(job) if finding.code == "out_of_reach"]
    assert [finding.severity for finding in found] == ["caution"]
    assert 0 < found[0].value < 0.2 * len(Pipeline().bars(job.supports[0], job))
    assert "straight tool of 3 mm" in found[0].message
    plain = supported(job_of(metal, box((40, 30, 30)), offset=5.0))
    assert "out_of_reach" not in {finding.code for finding in Pipeline().findings(plain)}


def test_ties_beside_a_part_are_reached(metal):
    job = supported(job_of(metal, box((24, 4, 30)), offset=2.0), "wall-flank")
    assert "out_of_reach" not in {finding.code for finding in Pipeline().findings(job)}


@pytest.mark.parametrize(("offset", "is_cut"), [(0.0, True), (1.4, True), (1.5, False)])
def test_metal_lower_than_the_saw_s_cut_loses_height_and_is_lifted_by_the_cure(metal, offset, is_cut):
    job = job_of(metal, box((20, 20, 5)), offset=offset)
    assert ("out_of_reach" in codes(job)) is is_cut
    if is_cut:
        found = the_finding(job, "out_of_reach")
        assert (found.value, found.limit) == (pytest.approx(offset), 1.5)
        assert "out_of_reach" not in codes(found.cures[0].change.edit(job, Pipeline()).job)


def test_a_scraper_lies_flat_beside_a_slab_and_steep_in_a_pit(library):
    """Round a place on the plate 20 mm within: under a slab 10 mm up it is flat, within a ring 40 mm high it is not."""
    shop = library.machine("vat-200"), library.material("resin-model")
    slab = Pipeline().state(job_of(shop, box((60, 60, 5)), offset=10.0)).parts[0]
    middle = slab.overhangs.mesh.bounds.mean(axis=0)[None, :2]
    assert scraper_angles(slab, middle, 3.0).tolist() == [0.0]
    ring = from_manifold(to_manifold(box((60, 60, 40))) - to_manifold(box((40, 40, 42), corner=(10, 10, -1))))
    pit = Pipeline().state(job_of(shop, ring, offset=0.0)).parts[0]
    # Towards a corner the wall is 28 mm away and ends 37 mm above the tool: arctan(37 / 28) = 53°, the next is free.
    assert scraper_angles(pit, middle, 3.0).tolist() == [60.0]

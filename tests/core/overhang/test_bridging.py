"""What supports itself."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold
from seen_regions import LIMITS, found_on

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold
from lean_trellis.core.overhang import SelfBridging


def plate_with_slot(width, *, open_end=False, length=20.0):
    """A block with a slot of a width cut into its underside; with `open_end` it runs out through one side."""
    block = to_manifold(box((40, 40, 12)))
    return from_manifold(block - Manifold.cube((length if not open_end else 60, width, 5)).translate((10, 15, 0)))


@pytest.mark.parametrize(("width", "holds"), [(2.0, True), (5.9, True), (6.2, False), (9.0, False)])
def test_a_slot_holds_itself_up_to_the_bridge_span(width, holds):
    (region,) = found_on(plate_with_slot(width), bridging=LIMITS).regions
    assert bool(region.left_out) == holds
    assert (f"{width:g} mm" in region.left_out) == holds, region.left_out


@pytest.mark.parametrize("width", [3.0, 5.5])
def test_a_slot_that_runs_out_at_the_side_still_bridges_between_its_walls(width):
    (region,) = found_on(plate_with_slot(width, open_end=True), bridging=LIMITS).regions
    assert "bridges" in region.left_out


@pytest.mark.parametrize(("reach", "holds"), [(0.8, True), (1.2, False), (3.0, False)])
def test_a_ledge_is_not_a_bridge(reach, holds):
    wall = to_manifold(box((5, 30, 20)))
    ledge = to_manifold(box((reach, 30, 3), corner=(5, 0, 10)))
    (region,) = found_on(from_manifold(wall + ledge), bridging=LIMITS).regions
    assert bool(region.left_out) == holds
    if holds:
        assert "a ledge of" in region.left_out


def test_a_table_between_far_legs_does_not_hold_itself(table):
    (region,) = found_on(table, bridging=LIMITS).regions
    assert region.left_out == ""


def test_a_bore_lying_down_bridges_when_it_is_small():
    def lying(radius):
        block = to_manifold(box((30, 30, 30)))
        bore = Manifold.cylinder(60, radius, radius, 64, center=True).rotate((90, 0, 0)).translate((15, 15, 15))
        return from_manifold(block - bore)

    (small,) = found_on(lying(2.0), bridging=LIMITS).regions
    (large,) = found_on(lying(8.0), bridging=LIMITS).regions
    assert "bridges" in small.left_out
    assert large.left_out == ""


def test_small_regions_are_left_out_but_never_where_solid_begins():
    bump = to_manifold(box((20, 20, 10))) + to_manifold(box((0.5, 0.5, 1), corner=(20, 10, 5)))
    (small,) = found_on(from_manifold(bump), bridging=SelfBridging(0, 0, 0.5)).regions
    assert small.left_out == "smaller than 0.5 mm²"
    stud = to_manifold(box((20, 20, 2), corner=(0, 0, 10))) + to_manifold(box((20, 2, 10)))
    hanging = from_manifold(stud + to_manifold(box((0.5, 0.5, 5), corner=(10, 15, 5))))
    regions = found_on(hanging, bridging=SelfBridging(0, 0, 0.5)).regions
    lowest = min(regions, key=lambda region: region.lowest_mm)
    assert lowest.area_mm2 == pytest.approx(0.25)
    assert lowest.left_out == "", "a piece of solid begins there"


def test_low_points_and_edges_are_never_left_out():
    cone = cylinder(0, 10, top_radius=4)
    (point,) = found_on(cone, lift=3, bridging=SelfBridging(100, 100, 100)).regions
    assert (point.kind, point.left_out) == ("point", "")


def test_a_region_is_taken_back_by_its_place():
    mesh = plate_with_slot(3.0)
    (region,) = found_on(mesh, bridging=LIMITS).regions
    (again,) = found_on(mesh, bridging=LIMITS, taken_back=np.array([region.anchor_mm])).regions
    assert region.left_out
    assert again.left_out == ""


def test_nothing_holds_itself_in_a_vat_and_lettering_does_in_extrusion(library):
    vat = DEMOS["vat"].build(library)
    pipeline = Pipeline()
    assert vat.bridging is None
    assert not [r for part in vat.parts for r in pipeline.overhangs(part, vat).regions if r.left_out]
    job = DEMOS["extrusion"].build(library)
    cover = next(part for part in job.parts if part.name == "Reed cover")
    reasons = [r.left_out for r in pipeline.overhangs(cover, job).regions]
    assert sum("bridges" in reason for reason in reasons) > 30, "the rows of slots"

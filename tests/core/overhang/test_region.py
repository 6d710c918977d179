"""Outlines, kinds of rim, spans, what holds itself, what lies beneath, regions by hand: as geometry says."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import CrossSection, Manifold

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, revolution, to_manifold
from lean_trellis.core.overhang import SelfBridging, detect, find_islands
from lean_trellis.core.overhang.beneath import in_words, shares_beneath
from lean_trellis.core.overhang.layer_islands import islands_by_layer
from lean_trellis.core.overhang.rim import FREE, WALL
from lean_trellis.core.overhang.spans import greatest_spans
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.parts.marks import NO_REGION

LIMITS = SelfBridging(bridge_span=6.0, ledge_limit=1.0, smallest_region=0.5)


def found_on(mesh, *, lift=0.0, critical=45.0, **more):
    return detect(build_topology(mesh), Pose(build_offset=lift).applied(mesh), critical_angle=critical, **more)


def helix_ramp(turns=2.0, pitch=6.0):
    """A flat ramp round an axis, so that its undersides lie over one another."""
    steps = 60
    pieces = []
    for k in range(int(turns * steps)):
        begin, end = 2 * np.pi * k / steps, 2 * np.pi * (k + 1) / steps
        low, high = pitch * k / steps, pitch * (k + 1) / steps
        corners = [
            (r * np.cos(t), r * np.sin(t), z + up)
            for t, z in ((begin, low), (end, high)) for r in (4.0, 10.0) for up in (0.0, 1.0)
        ]  # fmt: skip
        pieces.append(Manifold.hull_points(np.array(corners)))
    return from_manifold(sum(pieces[1:], pieces[0]))


def plate_with_slot(width, *, open_end=False, length=20.0):
    """A block with a slot of a width cut into its underside; with `open_end` it runs out through one side."""
    block = to_manifold(box((40, 40, 12)))
    return from_manifold(block - Manifold.cube((length if not open_end else 60, width, 5)).translate((10, 15, 0)))


# --- outlines ---


def test_a_table_with_a_hole_has_an_outer_loop_and_holes():
    top = to_manifold(box((40, 40, 4), corner=(0, 0, 20)))
    leg = to_manifold(box((6, 6, 20), corner=(17, 0, 0)))
    hole = Manifold.cylinder(10, 5, 5, 64).translate((20, 25, 18))
    found = found_on(from_manifold(top + leg - hole))
    (region,) = found.regions
    loops = found.outlines.of_region(region.id)
    assert len(loops) == 2
    enclosed = sorted(found.outlines.enclosed_mm2.tolist())
    circle = 32 * 25 * np.sin(2 * np.pi / 64)
    assert enclosed == pytest.approx([-circle, 1600 - 36])
    free, wall, fading = region.rim_mm
    assert wall == pytest.approx(3 * 6 + 6, abs=6.1), "three sides of the leg, at the edge of the top"
    assert fading == 0
    assert free == pytest.approx(40 * 4 - 6 + 64 * 10 * np.sin(np.pi / 64))
    assert {kind for _, kinds in loops for kind in kinds.tolist()} == {FREE, WALL}


def test_the_outline_of_a_helix_overlaps_itself_and_encloses_every_turn():
    found = found_on(helix_ramp(), lift=5)
    largest = max(found.regions, key=lambda region: region.area_mm2)
    loops = found.outlines.of_region(largest.id)
    mine = found.outlines.loop_regions == largest.id
    assert found.outlines.enclosed_mm2[mine].sum() == pytest.approx(largest.projected_area_mm2, rel=1e-9)
    ring = np.pi * (100 - 16)
    assert largest.projected_area_mm2 == pytest.approx(2 * ring, rel=0.02), "both turns count"
    assert found.shadow_area_mm2() == pytest.approx(ring, rel=0.02), "seen from below it is one"
    assert sum(len(places) for places, _ in loops) > 200


def test_nested_cups_give_a_region_each():
    """Three caps one inside the other, joined by a rod."""
    cup = to_manifold(revolution(np.array([[0, 0], [10, 0], [10, 12], [9, 12], [9, 1], [0, 1]])))
    cups = [cup.scale((k, k, k)).translate((0, 0, z)) for k, z in ((1.0, 0.0), (0.8, 4.0), (0.6, 8.0))]
    rod = Manifold.cylinder(10, 1, 1, 24)
    found = found_on(from_manifold(cups[0] + cups[1] + cups[2] + rod), lift=3)
    areas = sorted(region.area_mm2 for region in found.regions)
    disc = lambda r: 64 * r * r * np.sin(np.pi / 64) * np.cos(np.pi / 64)  # noqa: E731
    rod_area = 24 * np.sin(np.pi / 24) * np.cos(np.pi / 24)
    assert len(areas) == 3
    assert areas == pytest.approx([disc(6) - rod_area, disc(8) - rod_area, disc(10)], rel=2e-2)


@settings(max_examples=25)
@given(st.integers(0, 2**31), st.floats(20, 75), st.floats(0, 90))
def test_outlines_enclose_the_projected_area_on_bumpy_meshes(seed, critical, turn):
    rng = np.random.default_rng(seed)
    mesh = ball(8, subdivisions=3)
    mesh = Mesh(mesh.vertices * (1 + 0.06 * rng.standard_normal((len(mesh.vertices), 1))), mesh.faces)
    placed = Pose(build_offset=3).turned(rotation_about("x", turn)).applied(mesh)
    found = detect(build_topology(mesh), placed, critical_angle=critical)
    assert found.critical_area_mm2 == pytest.approx(mesh_sum(found), rel=1e-3)
    enclosed = np.zeros(len(found.regions))
    np.add.at(enclosed, found.outlines.loop_regions, found.outlines.enclosed_mm2)
    projected = np.array([region.projected_area_mm2 for region in found.regions])
    faces = np.array([region.kind == "face" for region in found.regions])
    np.testing.assert_allclose(enclosed[faces], projected[faces], rtol=1e-3, atol=1e-9)


def mesh_sum(found):
    down = found.mesh.normals[:, 2] < -np.cos(np.radians(found.critical_angle))
    return found.mesh.areas[down].sum()


def test_on_a_belt_outlines_enclose_the_area_in_the_layers():
    tilted = (0.0, -np.sin(np.radians(45)), np.cos(np.radians(45)))
    found = found_on(box((10, 10, 10)), lift=20, critical=46, layer_normal=tilted)
    assert all(region.lowest_mm == pytest.approx(20) for region in found.regions)
    reach = (min(r.along_mm[0] for r in found.regions), max(r.along_mm[1] for r in found.regions))
    diagonal = 10 * np.sin(np.radians(45))
    assert reach[1] - reach[0] == pytest.approx(diagonal), "heights along the tilted normal"
    total = sum(region.projected_area_mm2 for region in found.regions)
    assert total == pytest.approx(200 * np.cos(np.radians(45)))
    assert found.outlines.enclosed_mm2.sum() == pytest.approx(total)


# --- figures ---


def test_a_slope_has_one_angle_and_a_cap_a_mean_between():
    (slope,) = found_on(from_manifold(to_manifold(box((30, 20, 3))).rotate((0, 30, 0))), lift=2).regions
    assert slope.mean_angle_deg == pytest.approx(30)
    cap = found_on(ball(10, subdivisions=5), lift=2).regions[0]
    expected = np.degrees((np.sin(np.pi / 4) - np.pi / 4 * np.cos(np.pi / 4)) / (1 - np.cos(np.pi / 4)))
    assert cap.mean_angle_deg == pytest.approx(expected, abs=0.5)


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


def test_what_lies_beneath_is_told_apart():
    upper = to_manifold(box((20, 10, 2), corner=(0, 0, 20))) + to_manifold(box((4, 10, 20)))
    mesh = from_manifold(upper + to_manifold(box((10, 10, 2))))
    found = found_on(mesh)

    def floor_of_part(places):
        over_foot = (places[:, 0] < 0) & (places[:, 2] > 2)
        return np.where(over_foot, places[:, 2] - 2, np.inf)

    def other_below(places):
        return np.where(places[:, 0] > 8, places[:, 2] - 5, np.inf)

    (shares,) = shares_beneath(found, lambda places: np.full(len(places), np.inf), [])
    assert in_words(shares) == "plate"
    (shares,) = shares_beneath(found, floor_of_part, [other_below])
    assert shares.sum() == pytest.approx(1)
    (shares,) = shares_beneath(found, lambda places: places[:, 2] - 2, [])
    assert in_words(shares) == "same part"
    (shares,) = shares_beneath(found, lambda places: places[:, 2] - 2, [lambda places: np.full(len(places), 1.0)])
    assert in_words(shares) == "other part"


# --- what holds itself ---


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


# --- regions by hand ---


def marked(mesh, **numbers):
    hand = np.zeros(len(mesh.faces), np.int16)
    for direction, number in numbers.items():
        axis = "xyz".index(direction[0])
        hand[mesh.normals[:, axis] * (-1 if direction.endswith("m") else 1) > 0.9] = number
    return hand


def test_marked_faces_are_one_region_where_they_look_down_or_sideways_and_none_where_they_look_up():
    mesh = from_manifold(to_manifold(box((20, 10, 5))).rotate((0, 60, 0)))
    down = np.flatnonzero(mesh.normals[:, 2] < -1e-6)
    hand = np.ones(len(mesh.faces), np.int16)
    (region,) = found_on(mesh, lift=5, hand=hand).regions
    assert region.is_by_hand
    assert sorted(region.faces.tolist()) == down.tolist()
    assert region.area_mm2 == pytest.approx(mesh.areas[down].sum())


def test_faces_taken_out_belong_to_no_region_but_stay_critical():
    mesh = box((20, 10, 5))
    found = found_on(mesh, lift=5, hand=marked(mesh, zm=NO_REGION))
    assert found.regions == ()
    assert found.critical_area_mm2 == pytest.approx(200)
    assert len(found.faces_to_hold) == 0


def test_a_region_by_hand_may_lie_in_pieces_and_is_never_left_out():
    two = to_manifold(box((3, 10, 5))) + to_manifold(box((3, 10, 5), corner=(10, 0, 0)))
    mesh = from_manifold(two)
    (region,) = found_on(mesh, lift=5, hand=marked(mesh, zm=4), bridging=SelfBridging(0, 0, 1000)).regions
    assert region.area_mm2 == pytest.approx(60)
    assert region.left_out == ""


# --- islands ---


@pytest.mark.parametrize("name", ["metal", "extrusion", "belt"])
def test_islands_of_the_sweep_are_those_of_the_layers(library, name):
    job = DEMOS[name].build(library)
    pipeline = Pipeline()
    for part in job.parts:
        swept = find_islands(
            pipeline.topology(part.mesh), pipeline.placed(part), 0.3, layer_normal=job.machine.layer_normal
        )
        cut = islands_by_layer(pipeline.placed(part), 0.3, layer_normal=job.machine.layer_normal)
        areas = [island.area_mm2 for island in cut]
        lasting = [island.area_mm2 for island in swept if island.joins_mm - island.z_mm >= 0.3]
        every = [island.area_mm2 for island in swept]
        for some, others in ((lasting, areas), (areas, every)):
            for area in some:
                assert np.isclose(others, area, rtol=1e-5).any(), f"{part.name}: {area}"


def test_open_and_flat_meshes_say_what_was_passed_over():
    mesh = box((10, 10, 10))
    opened = found_on(Mesh(mesh.vertices, mesh.faces[:-1]), lift=4)
    assert opened.notes == ("3 open edges taken as free rim",)
    flat = np.vstack([mesh.faces, [[0, 1, 0]]]).astype(np.int32)
    assert "1 face without area passed over" in found_on(Mesh(mesh.vertices, flat), lift=4).notes
    assert found_on(mesh).notes == ()


def test_awkward_meshes_have_outlines_and_spans(awkward):
    found = found_on(awkward, lift=3, bridging=LIMITS)
    assert len(greatest_spans(found)) == len(found.regions)
    assert found.outlines.loop_starts[-1] == len(found.outlines.places)


def test_a_cross_section_of_rings_is_parted_into_pieces_with_holes():
    tube = from_manifold((CrossSection.circle(10, 64) - CrossSection.circle(6, 64)).extrude(10))
    islands = islands_by_layer(Pose(build_offset=5).applied(tube), 1.0)
    assert len(islands) == 1
    assert islands[0].area_mm2 == pytest.approx(tube.volume / 10, rel=1e-6)

"""How far a surface may lie from what holds it: by its angle, as the material says."""

from __future__ import annotations

from dataclasses import replace

import manifold3d
import numpy as np
import pytest
from checked_parts import codes, job_of, spanning, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


@pytest.mark.parametrize("angle", [0.0, 12.0, 27.0, 38.0])
def test_the_free_span_is_that_of_the_surfaces_own_angle(metal, angle):
    job = edits.add_bodies(new_job(*metal), [Body("plate", box((30, 30, 2)), 12)]).job
    job = edits.turn_part(job, "part-1", "x", angle).job
    span = job.material.free_span
    limits = {
        round(finding.limit, 6)
        for finding in Pipeline().findings(job)
        if finding.code == "region_not_held" and "low edge" not in finding.message
    }
    assert limits == {round(span.at(angle), 6)}
    assert span.at(angle) > span.at(0.0) or angle == 0


def test_a_region_too_far_from_a_hold_tells_the_distance_and_the_materials_span(metal):
    sparse = supported(job_of(metal, box((30, 30, 5))), spacing=12.0, rim_row=False)
    found = the_finding(sparse, "region_not_held")
    assert found.limit == pytest.approx(sparse.material.free_span.at(0.0))
    assert 5 < found.value < 12
    assert found.source.startswith("assumed")
    bars = Pipeline().bars(sparse.supports[0], sparse)
    away = np.linalg.norm(bars.holds - np.array(found.at_mm), axis=1).min()
    assert found.value == pytest.approx(away - bars.radii[0, -1]), "to the rim of the nearest head"
    assert "region_not_held" not in codes(supported(job_of(metal, box((30, 30, 5)))))


def test_the_limit_is_the_materials_never_the_sets(metal):
    job = supported(job_of(metal, box((30, 30, 5))), spacing=6.0, rim_row=False)
    assert "region_not_held" in codes(job)
    span = job.material.free_span
    wider = span.model_copy(update={"spans": tuple(max(9.0, least) for least in span.spans)})
    softer = job.material.model_copy(update={"free_span": wider})
    assert "region_not_held" not in codes(replace(job, material=softer))


def test_a_wall_carries_near_it_and_a_far_ceiling_is_found(metal, table):
    found = the_finding(job_of(metal, table, offset=0), "region_not_held")
    assert found.value == pytest.approx(np.hypot(16, 16), abs=1.5)
    assert found.at_mm[2] == pytest.approx(20)


def test_islands_points_and_edges_must_be_held(metal):
    job = job_of(metal, box((9, 9, 9)))
    job = edits.turn_part(job, "part-1", "x", 45).job
    assert {"island_not_held", "region_not_held"} <= set(codes(job))
    assert "low edge" in the_finding(job, "region_not_held").message
    assert set(codes(supported(job))) <= {"too_flexible"}, "its few bars may give way, but they hold it"


def test_an_open_mesh_in_the_air_is_held_like_a_closed_one(metal):
    cube = box((20, 20, 5))
    top = np.flatnonzero(cube.normals[:, 2] > 0.5)
    job = job_of(metal, Mesh(cube.vertices, np.delete(cube.faces, top, axis=0)))
    assert {"region_not_held", "in_the_air", "mesh_unsound"} <= set(codes(job))
    assert codes(supported(job)) == ["mesh_unsound"]


def test_the_cure_of_a_region_supports_just_that_region(metal):
    pipeline, job = Pipeline(), job_of(metal, box((20, 20, 5)))
    found = next(f for f in pipeline.findings(job) if f.code == "region_not_held")
    (number,) = found.cures[0].change.regions
    part = job.parts[0]
    pick = pick_region(pipeline.overhangs(part, job).regions[number], part)
    assert codes(edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick,)).job) == []


def plate_with_pins(*at: tuple[float, float], length: float = 4.0) -> Mesh:
    """A plate of 14 x 14 with pins of 1 mm² that hang below it at some places."""
    solid = to_manifold(box((14, 14, 3), corner=(0, 0, length)))
    for x, y in at:
        solid += to_manifold(box((1, 1, length + 1), corner=(x, y, 0)))
    return from_manifold(solid)


def held_at_all_but(metal, mesh: Mesh, left_out: int):
    """A job in which every region but the islands' one with that number, from the left, has its bars."""
    job = job_of(spanning(metal, 2.6, 3.0, 4.2, 6.0, 12.0), mesh, offset=6.0)
    part = job.parts[0]
    regions = [region for region in Pipeline().overhangs(part, job).regions if not region.left_out]
    lowest = min(region.lowest_mm for region in regions)
    pins = sorted((r for r in regions if r.lowest_mm < lowest + 0.01), key=lambda r: r.centroid_mm[0])
    kept = [region for region in regions if left_out < 0 or region is not pins[left_out]]
    target = tuple(pick_region(region, part) for region in kept)
    return edits.add_support(job, part.id, shipped_sets()["bars-metal"], target).job


@pytest.mark.parametrize("left_out", [-1, 0, 1])
def test_a_pin_that_begins_in_the_air_needs_a_bar_of_its_own_however_near_the_next_is(metal, left_out):
    job = held_at_all_but(metal, plate_with_pins((5.0, 6.0), (7.15, 6.0)), left_out)
    found = [finding for finding in Pipeline().findings(job) if finding.code == "island_not_held"]
    assert len(found) == (left_out >= 0)
    for finding in found:
        assert finding.value < job.material.free_span.at(0.0), "through the air it would be near enough"
        assert finding.at_mm[2] == pytest.approx(6.0)


def test_three_bumps_below_a_ring_each_need_their_own(metal):
    ring = manifold3d.Manifold.cylinder(3, 8, 8, 64) - manifold3d.Manifold.cylinder(9, 5, 5, 64).translate((0, 0, -3))
    solid = ring.translate((0, 0, 2))
    for turn in np.radians([70, 90, 110]):
        x, y = 6.5 * np.cos(turn), 6.5 * np.sin(turn)
        solid += manifold3d.Manifold.sphere(0.5, 24).translate((x, y, 1.9))
    for left_out, count in ((-1, 0), (1, 1)):
        job = held_at_all_but(metal, from_manifold(solid), left_out)
        codes_found = [finding.code for finding in Pipeline().findings(job)]
        assert codes_found.count("island_not_held") == count


def ball(radius: float) -> Mesh:
    return from_manifold(manifold3d.Manifold.sphere(radius, 96).translate((0, 0, radius)))


def test_the_rim_of_a_balls_underside_does_not_hold_what_is_built_before_it(metal):
    found = [f for f in Pipeline().findings(job_of(metal, ball(10.0), offset=5.0)) if f.code == "region_not_held"]
    areas = [f.message.split("(")[1].split(" mm²")[0].split(" of ") for f in found if "(" in f.message]
    assert areas
    for bare, whole in areas:
        assert float(bare) > 0.88 * float(whole), "but for what lies within a facet of the rim"


def test_a_ball_that_stands_on_a_vats_plate_by_a_point_is_found(library):
    vat = library.machine("vat-150"), library.material("resin-model")
    assert "region_not_held" in codes(job_of(vat, ball(10.0), offset=0.0))


@pytest.mark.parametrize(("ledge", "is_found"), [(0.8, False), (0.9, True), (1.4, True)])
def test_a_ledge_is_found_where_its_free_corner_is_farther_out_than_it_may_be(library, ledge, is_found):
    shop = library.machine("filament-320"), library.material("pla")
    assert shop[1].detection.ledge_limit == 1.2
    wide = 20 + 2 * ledge
    solid = to_manifold(box((20, 20, 10))) + to_manifold(box((wide, wide, 4), corner=(-ledge, -ledge, 10)))
    found = codes(job_of(shop, from_manifold(solid), offset=0.0))
    assert ("region_not_held" in found) == is_found


def t_beam(*, turned_over: bool = False) -> Mesh:
    """60 mm long, 20 high and wide, 4 thick."""
    web, flange = ((60, 4, 16), (0, 8, 4)), ((60, 20, 4), (0, 0, 0))
    if not turned_over:
        web, flange = ((60, 4, 16), (0, 8, 0)), ((60, 20, 4), (0, 0, 16))
    return from_manifold(to_manifold(box(web[0], corner=web[1])) + to_manifold(box(flange[0], corner=flange[1])))


WELL_SUPPORTED = {
    "T-beam": (t_beam(), 0), "T-beam on its head": (t_beam(turned_over=True), 0), "T-beam on its side": (t_beam(), 90),
    "ball": (ball(4.0), 0), "larger ball": (ball(10.0), 0), "slab at 10": (box((40, 30, 4)), 10),
    "slab at 55": (box((40, 30, 4)), 55), "fin": (box((30, 2, 40)), 0), "cube": (box((12, 14, 13)), 0),
}  # fmt: skip


@pytest.mark.parametrize("name", list(WELL_SUPPORTED))
@pytest.mark.parametrize(
    ("machine", "material", "set_name"),
    [("metal-260", "steel-316l", "bars-metal"), ("vat-200", "resin-model", "bars-resin-regular"),
     ("filament-320", "petg", "bars-extrusion")],
)  # fmt: skip
def test_plain_parts_on_a_shipped_set_have_no_stop_for_what_is_held(library, machine, material, set_name, name):
    mesh, turn = WELL_SUPPORTED[name]
    job = job_of((library.machine(machine), library.material(material)), mesh)
    if turn:
        job = edits.turn_part(job, "part-1", "x", turn).job
    job = supported(edits.set_build_offset(job, ["part-1"], 6.0).job, set_name)
    found = {finding.code for finding in Pipeline().findings(job) if finding.severity == "stop"}
    assert not found & {"region_not_held", "island_not_held", "in_the_air", "support_through_part"}


@pytest.mark.parametrize(("more", "is_found"), [(0.004, False), (0.006, True)])
def test_what_is_told_to_be_just_at_the_limit_is_within_it(metal, more, is_found):
    job = edits.turn_part(job_of(metal, box((30, 30, 5))), "part-1", "x", 20).job
    job = supported(job, spacing=12.0, rim_row=False)
    farthest = next(f.value for f in Pipeline().findings(job) if f.code == "region_not_held" and "mm²" in f.message)
    span = job.material.free_span
    others = (max(farthest - more, least) for least in span.spans[2:])
    just = span.model_copy(update={"spans": (span.spans[0], farthest - more, *others)})
    changed = replace(job, material=job.material.model_copy(update={"free_span": just}))
    found = [f for f in Pipeline().findings(changed) if f.code == "region_not_held" and "mm²" in f.message]
    assert bool(found) == is_found

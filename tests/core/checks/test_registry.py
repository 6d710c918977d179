"""Checks: each finding where it belongs, with place, value, limit, cause and cure; none where all is well."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trellis.core.checks import is_releasable
from lean_trellis.core.checks.stacks import material_changes
from lean_trellis.core.derive.pipeline import Pipeline, apply_recipe
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.planning import FIGURES, figures_of
from lean_trellis.core.proposals import pose_request
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.core.supports.common.targets import pick_region


def job_of(shop, *meshes, offset=None):
    bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, mesh in enumerate(meshes, start=1)]
    job = edits.add_bodies(new_job(*shop), bodies).job
    return job if offset is None else edits.set_build_offset(job, [part.id for part in job.parts], offset).job


def supported(job, set_name="bars-metal", **values):
    chosen = shipped_sets()[set_name]
    for part in job.parts:
        job = edits.add_support(job, part.id, chosen).job
        for key, value in values.items():
            job = edits.change_support(job, job.supports[-1].id, key, value).job
    return job


def codes(job):
    """All codes but that of the pose: the slabs here lie flat, which their material does not ask for."""
    return sorted({finding.code for finding in Pipeline().findings(job)} - {"pose_out_of_range"})


def the_finding(job, code):
    (found,) = [finding for finding in Pipeline().findings(job) if finding.code == code]
    assert found.message
    assert found.cause
    assert found.cures
    return found


def test_a_sound_part_that_stands_on_the_plate_has_no_findings(metal):
    assert codes(job_of(metal, box((20, 20, 5)), offset=0)) == []


def test_a_well_supported_part_has_no_findings(metal):
    assert codes(supported(job_of(metal, box((20, 20, 5)), ball(8)))) == []


def test_a_part_in_the_air_with_nothing_under_it_stops(metal):
    job = job_of(metal, box((20, 20, 5)))
    assert codes(job) == ["in_the_air", "island_not_held", "region_not_held"]
    found = the_finding(job, "in_the_air")
    assert (found.severity, found.value, found.limit) == ("stop", pytest.approx(4), 0.04)
    assert not is_releasable((found,))


def test_a_part_that_rests_on_another_is_not_in_the_air(metal):
    job = job_of(metal, box((20, 20, 5)), box((20, 20, 5)), offset=0)
    low = job.part("part-1").pose
    raised = replace(job.part("part-2"), pose=replace(low, build_offset=5.0))
    assert "in_the_air" not in codes(job.with_part(raised))


def test_outside_a_rectangular_plate_by_how_much_and_the_cure_brings_it_back(metal):
    job = edits.move_part(job_of(metal, box((20, 20, 5)), offset=0), "part-1", 255, 100).job
    found = the_finding(job, "outside_volume")
    assert found.value == pytest.approx(5)
    cure = found.cures[0]
    back = cure.change.edit(job, Pipeline()).job
    assert codes(back) == []


def test_outside_a_round_plate(library):
    shop = library.machine("metal-120"), library.material("cobalt-chrome")
    job = edits.move_part(job_of(shop, box((20, 20, 5)), offset=0), "part-1", 112, 60).job
    assert the_finding(job, "outside_volume").value == pytest.approx(np.hypot(62, 10) - 60)
    inside_the_square = edits.move_part(job, "part-1", 15, 15).job
    assert "outside_volume" in codes(inside_the_square)


def test_too_high_and_supports_outside(metal):
    high = the_finding(job_of(metal, box((20, 20, 310)), offset=0), "outside_volume")
    assert (high.value, high.limit) == (pytest.approx(310), 300)
    at_edge = edits.move_part(supported(job_of(metal, box((20, 20, 5)))), "part-1", 10.0, 100).job
    found = the_finding(at_edge, "outside_volume")
    assert "support" in found.message
    assert 0 < found.value < 1


def test_parts_that_share_volume_stop_and_touching_ones_do_not(metal):
    job = job_of(metal, box((20, 20, 5)), box((20, 20, 5)), offset=0)
    half = edits.move_part(edits.move_part(job, "part-1", 100, 100).job, "part-2", 110, 100).job
    assert the_finding(half, "parts_overlap").value == pytest.approx(10 * 20 * 5)
    touching = edits.move_part(half, "part-2", 120, 100).job
    assert "parts_overlap" not in codes(touching)


def test_an_unsound_mesh_stops_and_its_overlap_is_left_open(metal):
    cube = box((10, 10, 10))
    opened = Mesh(cube.vertices, cube.faces[:-1])
    found = the_finding(job_of(metal, opened, offset=0), "mesh_unsound")
    assert (found.severity, found.value) == ("stop", 3)
    both = edits.copy_part(job_of(metal, opened, offset=0), "part-1", in_place=True).job
    overlap = the_finding(both, "parts_overlap")
    assert overlap.severity == "caution"


def test_a_region_too_far_from_a_hold_tells_the_distance_and_the_materials_span(metal):
    sparse = supported(job_of(metal, box((30, 30, 5))), spacing=12.0, rim_row=False)
    found = the_finding(sparse, "region_not_held")
    assert found.limit == pytest.approx(2.6)
    assert 5 < found.value < 12
    assert found.source.startswith("assumed")
    bars = Pipeline().bars(sparse.supports[0], sparse)
    away = np.linalg.norm(bars.holds - np.array(found.at_mm), axis=1).min()
    assert found.value == pytest.approx(away)
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
    assert codes(supported(job)) == []


def test_hold_points_without_a_way_and_the_cure_that_gives_them_one(metal, shelf):
    job = supported(job_of(metal, shelf, offset=0), landing="plate_only")
    found = the_finding(job, "bar_no_way")
    assert found.severity == "caution"
    cure = found.cures[0]
    cured = cure.change.edit(job, Pipeline()).job
    assert "bar_no_way" not in codes(cured)


def test_a_height_limit_that_leaves_holds_bare_is_told_and_cured(metal):
    job = edits.turn_part(job_of(metal, box((40, 20, 3))), "part-1", "y", 30).job
    job = supported(job, height_limit=12.0)
    found = the_finding(job, "limit_leaves_bare")
    assert (found.limit, found.value > 12) == (12.0, True)
    cured = edits.change_support(job, found.support_id, "height_limit", None).job
    assert "limit_leaves_bare" not in codes(cured)


def test_a_bar_through_a_part_is_found_by_an_own_measure(metal):
    from lean_trellis.core.checks.families import check_families
    from lean_trellis.core.checks.state import BuildState

    job = supported(job_of(metal, box((20, 20, 5)), box((6, 6, 3)), offset=8))
    job = edits.remove_supports(job, ["support-2"]).job
    state = Pipeline().state(job)
    beneath = replace(job.part("part-2"), pose=replace(job.part("part-1").pose, build_offset=1.0))
    pushed = Pipeline().state(job.with_part(beneath))
    # The bars of before, with the other part pushed under them since.
    mixed = BuildState(pushed.job, pushed.parts, state.supports)
    found = [finding for finding in check_families(mixed) if finding.code == "support_through_part"]
    assert len(found) == 1
    assert found[0].part == "part 2"
    assert found[0].value < found[0].limit
    assert not [f for f in check_families(state) if f.code == "support_through_part"]


def test_bars_go_round_a_part_that_stands_under_them(metal):
    job = supported(job_of(metal, box((20, 20, 5)), offset=12))
    alone = Pipeline().bars(job.supports[0], job)
    job = edits.add_bodies(job, [Body("low", box((6, 6, 3)), 12)]).job
    low = replace(job.parts[-1], pose=replace(job.part("part-1").pose, build_offset=0.0))
    both = Pipeline().bars(job.supports[0], job.with_part(low))
    assert (both.leans_deg > 1).any(), "they lean round it"
    straight = edits.change_support(job.with_part(low), "support-1", "lean_limit", 0).job
    assert (Pipeline().bars(straight.supports[0], straight).landings == 1).any(), "or stand on the part"
    assert len(both) + len(both.missed.holds) == len(alone)


def test_awkward_meshes_are_supported_and_checked_without_fail(metal, awkward):
    if not len(awkward.faces):
        pytest.skip("an empty mesh cannot be imported")
    size = float(np.ptp(awkward.vertices, axis=0).max())
    if size > 1e3:  # no machine holds it, and its supports would take their time
        awkward = awkward.scaled(40 / size)
    job = supported(job_of(metal, awkward))
    pipeline = Pipeline()
    findings = pipeline.findings(job)
    sound = pipeline.health(awkward).is_sound
    assert sound == ("mesh_unsound" not in {finding.code for finding in findings})
    bars = pipeline.bars(job.supports[0], job)
    assert np.isfinite(bars.centres).all()


def test_an_open_mesh_in_the_air_is_held_like_a_closed_one(metal):
    cube = box((20, 20, 5))
    top = np.flatnonzero(cube.normals[:, 2] > 0.5)
    job = job_of(metal, Mesh(cube.vertices, np.delete(cube.faces, top, axis=0)))
    assert {"region_not_held", "in_the_air", "mesh_unsound"} <= set(codes(job))
    assert codes(supported(job)) == ["mesh_unsound"]


def test_a_recipe_supports_a_part_in_one_step(library, metal):
    job = job_of(metal, ball(8))
    edit = apply_recipe(job, "part-1", shipped_recipes()["metal-standard"], shipped_sets(), Pipeline())
    assert [s.set_name for s in edit.job.supports] == ["bars-metal"]
    assert codes(edit.job) == []


def test_the_cure_of_a_region_supports_just_that_region(metal):
    pipeline, job = Pipeline(), job_of(metal, box((20, 20, 5)))
    found = next(f for f in pipeline.findings(job) if f.code == "region_not_held")
    (number,) = found.cures[0].change.regions
    part = job.parts[0]
    pick = pick_region(pipeline.overhangs(part, job).regions[number], part)
    assert codes(edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick,)).job) == []


@pytest.mark.parametrize(("angle", "is_found"), [(0, True), (29, True), (31, False), (74, False), (80, True)])
def test_a_pose_outside_the_materials_range_is_a_caution_with_its_angle(metal, angle, is_found):
    job = edits.turn_part(job_of(metal, box((40, 30, 3))), "part-1", "x", angle).job
    found = [f for f in Pipeline().findings(job) if f.code == "pose_out_of_range"]
    assert bool(found) == is_found
    if found:
        assert found[0].severity == "caution"
        assert found[0].value == pytest.approx(angle, abs=0.01)
        assert found[0].limit == (30 if angle < 30 else 75)


def test_a_compact_part_has_no_angle_that_matters(metal):
    assert not [f for f in Pipeline().findings(job_of(metal, ball(8))) if f.code == "pose_out_of_range"]


@pytest.mark.parametrize("size", [(12, 12, 5), (60, 60, 5)])
def test_nothing_may_stand_over_a_zone_of_the_plate(metal, size):
    job = edits.move_part(job_of(metal, box(size), offset=0), "part-1", size[0] / 2, size[1] / 2).job
    found = the_finding(job, "keep_out")
    assert "left clamp" in found.message
    assert found.at_mm[0] <= 10
    assert found.at_mm[1] <= 10
    assert "keep_out" not in codes(edits.move_part(job, "part-1", 130, 110).job)


def stack_of(library, filling, gap, unit="layers"):
    shop = library.machine("filament-320"), library.material("pla")
    job = job_of(shop, box((20, 20, 4)), offset=0)
    return edits.stack_part(job, "part-1", 3, gap, unit, filling).job


def test_base_and_separator_must_agree_on_the_plates_temperature(library):
    for name, severity in (("pla", None), ("petg", "caution"), ("abs", "stop")):
        job = stack_of(library, Separator(library.material(name), 0.3, 2), 2)
        said = [f.severity for f in Pipeline().findings(job) if f.code == "temperatures_disagree"]
        assert said == ([severity] if severity else [])
    found = the_finding(job, "temperatures_disagree")
    assert found.value > found.limit
    assert found.source.startswith("assumed")


def test_gaps_of_a_stack_are_whole_layers_and_not_nothing(library):
    assert "stack_gap" not in codes(stack_of(library, None, 2))
    assert the_finding(stack_of(library, None, 0), "stack_gap").severity == "stop"
    assert the_finding(stack_of(library, None, 0.33, "mm"), "stack_gap").severity == "caution"


def test_a_part_on_a_separator_is_held_and_on_none_is_not(library):
    held = codes(stack_of(library, Separator(library.material("pla"), 0.3, 2), 2))
    assert not {"in_the_air", "region_not_held", "island_not_held"} & set(held)
    assert "in_the_air" in codes(stack_of(library, None, 2))
    far_in = codes(stack_of(library, Separator(library.material("pla"), 9.0, 2), 2))
    assert "region_not_held" in far_in
    assert "in_the_air" not in far_in  # its middle stands on the separator


def test_each_separator_is_two_changes_of_material(library):
    assert material_changes(stack_of(library, Separator(library.material("pla"), 0, 2), 2)) == 4
    assert material_changes(stack_of(library, None, 2)) == 0


def test_bars_on_surfaces_to_be_avoided_are_a_caution_and_none_stands_on_what_is_kept_off(metal):
    mesh = box((24, 18, 5))
    job = supported(job_of(metal, mesh, offset=8))
    down = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    avoided = edits.protect_faces(job, "part-1", down, AVOID).job
    found = {finding.code: finding for finding in Pipeline().findings(avoided)}
    assert found["support_on_protected"].severity == "caution"
    assert found["support_on_protected"].value == pytest.approx(0, abs=0.01)
    kept_off = edits.protect_faces(job, "part-1", down, KEEP_OFF).job
    pipeline = Pipeline()
    codes = {finding.code for finding in pipeline.findings(kept_off)}
    assert len(pipeline.bars(kept_off.supports[0], kept_off)) == 0
    assert "support_on_protected" not in codes
    assert "region_not_held" in codes, "what cannot be served ends in a finding"


def test_the_pose_search_knows_what_is_protected(metal):
    mesh = box((24, 18, 5))
    job = edits.protect_faces(job_of(metal, mesh, offset=8), "part-1", np.flatnonzero(mesh.normals[:, 2] < -0.5), 1).job
    request = pose_request(job, "part-1", keeps_range=False)
    now, over = figures_of(request, np.array([[0.0, 0, 1], [0, 0, -1]]))[:, list(FIGURES).index("protected_area")]
    assert (now, over) == pytest.approx((432, 0))


def test_a_support_that_cannot_serve_anything_is_told_and_not_silent(metal):
    job = supported(job_of(metal, box((20, 20, 5)), offset=8))
    mesh = job.parts[0].mesh
    under = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    protected = edits.protect_faces(job, "part-1", under, KEEP_OFF).job
    assert {"support_empty", "region_not_held"} <= set(codes(protected))
    high = supported(job_of(metal, box((20, 20, 5)), offset=8), height_limit=3.0)
    assert {"limit_leaves_bare", "region_not_held"} <= set(codes(high))


def test_bars_that_stay_slender_in_spite_of_braces_are_told(metal):
    job = supported(job_of(metal, box((2, 2, 2)), offset=40), "bars-metal-braced", spacing=20.0)
    job = edits.change_support(job, "support-1", "rim_row", False).job
    found = the_finding(job, "bar_slender")
    assert found.limit == 22
    assert found.value == pytest.approx(40, abs=4)


def test_a_trunk_or_brace_through_a_part_is_found(metal):
    from lean_trellis.core.checks.families import check_families
    from lean_trellis.core.checks.state import BuildState

    job = supported(job_of(metal, box((20, 20, 5)), box((4, 4, 12)), offset=30), join="on")
    job = edits.remove_supports(job, ["support-2"]).job
    state = Pipeline().state(job)
    trunks = state.supports[0].structure.trunks
    x, y = trunks.centres[int(trunks.contacts.argmax()), 3, :2].tolist()
    moved = replace(job.part("part-2"), pose=replace(job.part("part-1").pose, x=x, y=y, build_offset=4.0))
    placed = replace(state.parts[1], part=moved, overhangs=Pipeline().overhangs(moved, job))
    found = list(check_families(BuildState(job, (state.parts[0], placed), state.supports)))
    assert "support_through_part" in {finding.code for finding in found}

"""Rafts, blocks, cradles and flank walls: areas, holes, clearances, contacts, what is refused, kept and checked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from bar_requests import distances_from
from manifold3d import CrossSection, JoinType, Manifold
from panel_requests import request_for

from lean_trellis.core.checks.families import check_families
from lean_trellis.core.demo import metal_build
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_plate
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import full_library, shipped_library
from lean_trellis.core.strength.push import Push
from lean_trellis.core.supports.bodies.block import generate_block
from lean_trellis.core.supports.bodies.cradle import generate_cradle
from lean_trellis.core.supports.bodies.flank import base_for, generate_flank
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters
from lean_trellis.core.supports.bodies.parameters import BlockParameters, CradleParameters, RaftParameters
from lean_trellis.core.supports.bodies.raft import generate_raft
from lean_trellis.core.supports.common.outlines import shadow

ALL = sorted(shipped_sets())


def ring() -> object:
    """A tube on its end with a wall of 12 mm round a hole of 8 mm radius."""
    return from_manifold(Manifold.cylinder(6, 20, 20, 128, True) - Manifold.cylinder(20, 8, 8, 128, True))


def raft_for(mesh, offset=0.6, **values):
    request = request_for(mesh, RaftParameters(**values), offset=offset)
    return generate_raft(request.parameters, [shadow(request.overhangs.mesh)], [request.overhangs], 0.05)


def is_closed(mesh) -> bool:
    witness = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    return bool(witness.is_watertight and witness.is_winding_consistent and witness.volume > 0)


@pytest.mark.parametrize("margin", [-3.0, 0.0, 1.5, 6.0, 12.0])
@pytest.mark.parametrize("edge_slope", [0.0, 35.0])
def test_a_rafts_area_is_that_of_the_outline_offset_by_other_code(margin, edge_slope):
    raft = raft_for(ring(), margin=margin, smallest_hole=0, edge_slope=edge_slope)
    turn = 2 * np.pi * np.arange(128) / 128
    rings = [radius * np.column_stack([np.cos(turn), np.sin(turn)]) for radius in (20, 8)]
    outline = CrossSection([rings[0], rings[1][::-1]])
    expected = outline.offset(margin, JoinType.Round, 2.0, 256).area()
    assert raft.area_mm2 == pytest.approx(expected, rel=2e-4)
    assert is_closed(raft.mesh)
    if edge_slope == 0:
        assert raft.volume_mm3 == pytest.approx(raft.area_mm2 * raft.thickness, rel=1e-9)
    else:
        assert raft.volume_mm3 < raft.area_mm2 * raft.thickness


@pytest.mark.parametrize("smallest", [0.0, 2.0])
def test_a_hole_is_open_just_under_the_margin_told_and_closed_just_above(smallest):
    closes_at = raft_for(ring(), margin=1, smallest_hole=smallest).holes[0].closes_at
    assert closes_at == pytest.approx(8 - smallest / 2, abs=0.01)
    for factor, holes in ((0.98, 1), (1.02, 0)):
        raft = raft_for(ring(), margin=factor * closes_at, smallest_hole=smallest)
        assert sum(len(part.interiors) for part in np.atleast_1d(raft.shape)) == holes
        assert raft.holes[0].is_closed is (holes == 0)


def test_hull_and_rectangle_and_filled_holes():
    mesh = from_manifold(Manifold.cube((20, 4, 5)) + Manifold.cube((4, 20, 5)))
    assert raft_for(mesh, margin=0, outline="hull").area_mm2 == pytest.approx(400 - 16 * 16 / 2)
    assert raft_for(mesh, margin=2, outline="rectangle").area_mm2 == pytest.approx(24 * 24)
    assert raft_for(ring(), margin=0, holes="fill").area_mm2 == pytest.approx(np.pi * 400, rel=2e-3)


def test_a_margin_that_leaves_nothing_is_refused_with_the_margin_that_does():
    with pytest.raises(ParameterError, match=r"leaves nothing of the raft; give more than -6\.0"):
        raft_for(ring(), margin=-7)


def test_a_part_on_its_raft_is_held_by_it_and_one_above_it_is_not():
    on_it, above = raft_for(ring(), offset=0.6, thickness=0.6), raft_for(ring(), offset=3.0, thickness=0.6)
    assert on_it.contact_area_mm2 == pytest.approx(np.pi * (400 - 64), rel=2e-3)
    assert on_it.served == {0} and len(on_it.holds) > 500
    assert above.contact_area_mm2 == 0 and not len(above.holds)


@pytest.mark.parametrize("shape", ["box", "cylinder", "wedge"])
def test_a_block_is_trimmed_and_keeps_its_clearance(shape):
    values = BlockParameters(shape=shape, size_x=9, size_y=7, size_z=9, turn=20, trim_clearance=0.4)
    request = request_for(ball(8, subdivisions=3), values, offset=3.0)
    block = generate_block(request)
    assert is_closed(block.mesh)
    whole = {"box": 1, "cylinder": np.pi / 4, "wedge": 0.5}[shape] * 9 * 7 * 9
    assert block.volume_mm3 + block.trimmed_mm3 == pytest.approx(whole, rel=2e-3)
    assert (to_manifold(block.mesh) ^ to_manifold(request.overhangs.mesh)).volume() < 1e-9
    samples = trimesh.Trimesh(block.mesh.vertices, block.mesh.faces).sample(800, seed=3)
    distance = distances_from(request.overhangs.mesh, samples, samples, steps=1)
    assert distance.min() >= 0.4 - 1e-6
    assert distance.min() < 0.47  # no farther off than the flat sides of the ball make it
    assert block.contact_area_mm2 == 0


def test_a_block_goes_up_to_the_part_and_holds_it_unless_it_is_a_separator():
    under = generate_block(request_for(box((20, 12, 4)), BlockParameters(size_x=6, size_y=5), offset=7.0))
    assert under.size_mm[2] == pytest.approx(7.0, abs=0.03)
    assert under.volume_mm3 == pytest.approx(6 * 5 * 7)
    assert under.contact_area_mm2 == pytest.approx(30, rel=0.01)
    assert under.served == {0}
    apart = BlockParameters(size_x=6, size_y=5, acts_as="separator")
    assert generate_block(request_for(box((20, 12, 4)), apart, offset=7.0)).served == frozenset()
    with pytest.raises(ParameterError, match="nothing is left"):
        generate_block(request_for(box((20, 12, 30)), BlockParameters(size_x=3, size_y=3, size_z=2, place_z=10)))


def test_any_body_is_a_block_in_the_size_that_is_asked():
    values = BlockParameters(shape="own", size_x=4, size_y=4, size_z=6)
    block = generate_block(request_for(box((20, 12, 4)), values, offset=9.0), ball(5, subdivisions=3))
    assert np.ptp(block.mesh.bounds, axis=0).reshape(-1) == pytest.approx([4, 4, 6], abs=1e-6)
    broken = ball(5, subdivisions=1)
    with pytest.raises(EditError, match="is open"):
        generate_block(request_for(box((20, 12, 4)), values), broken.with_faces(np.arange(len(broken.faces) - 1)))
    with pytest.raises(ParameterError, match="no body of its own"):
        generate_block(request_for(box((20, 12, 4)), values))


@pytest.mark.parametrize(("depth", "does"), [(0.0, "touches"), (0.3, "goes in"), (-0.2, "floats")])
def test_posts_under_a_flat_ceiling_carry_the_whole_of_their_tip_or_nothing(depth, does):
    values = CradleParameters(post_pitch=5, post_tip=1.2, post_diameter=2, seat_depth=depth)
    cradle = generate_cradle(request_for(box((22, 12, 4)), values, offset=10.0))
    assert (cradle.columns, cradle.rows) == (5, 3)
    assert len(cradle.posts) == 15
    assert {cradle.posts.state(number) for number in range(15)} == {does}
    each = np.pi * 0.6**2 if depth >= 0 else 0.0
    assert cradle.posts.areas == pytest.approx(np.full(15, each), rel=1e-3)
    assert cradle.posts.depths == pytest.approx(np.full(15, depth), abs=1e-4)
    post = np.pi * 10 * 1 - np.pi * (0.8 - (1 + 0.6 + 0.36) / 3 * 0.8) + np.pi * depth
    assert cradle.bodies[1].volume == pytest.approx(post, rel=2e-3)
    assert all(is_closed(body) for body in cradle.bodies)


def test_posts_are_as_tall_as_a_curved_part_asks_and_only_what_reaches_it_counts():
    values = CradleParameters(post_pitch=4, seat_depth=0.25, post_tip=1.0)
    cradle = generate_cradle(request_for(ball(9, subdivisions=5), values, offset=5.0))
    away = np.hypot(*cradle.posts.tops[:, :2].T)
    seats = 14 - np.sqrt(81 - away**2)
    assert cradle.posts.seats == pytest.approx(seats, abs=0.03)
    steep = away > 6
    assert (cradle.posts.areas[~steep] > 0.8 * np.pi * 0.25).all()
    assert (cradle.posts.areas[steep] < 1.05 * np.pi * 0.25 / np.sqrt(1 - (away[steep] / 9) ** 2)).all()
    equal = generate_cradle(request_for(ball(9, subdivisions=5), values.with_value("heights", "equal"), offset=5.0))
    assert np.ptp(equal.posts.tops[:, 2]) == 0
    assert {equal.posts.state(number) for number in range(len(equal.posts))} >= {"floats", "goes in"}


def test_no_post_stands_below_a_protected_surface():
    mesh = box((22, 12, 4))
    protected = np.zeros(len(mesh.faces), np.uint8)
    request = request_for(mesh, CradleParameters(post_pitch=4), offset=8)
    under = np.flatnonzero(request.overhangs.mesh.normals[:, 2] < -0.9)
    protected[under[0]] = 1
    cradle = generate_cradle(request_for(mesh, CradleParameters(post_pitch=4), offset=8, protected=protected))
    plain = generate_cradle(request)
    assert len(cradle.posts) + len(cradle.posts.kept_off) == len(plain.posts)
    assert 0 < len(cradle.posts.kept_off) < len(plain.posts)


def test_a_flank_wall_is_tied_to_the_part_at_its_pitch_and_its_base_holds_the_reserve():
    values = FlankParameters(along_start=5, along_length=30, standoff=2, ties_from=10, ties_to=70, tie_pitch=15,
                             free_length=12, tie_width=1, tie_bite=0.2)  # fmt: skip
    wall = generate_flank(request_for(box((40, 3, 80)), values, offset=0.0), Push(2.5, 0.0, 0.6))
    assert (wall.lines, wall.ties, wall.missed) == (4, 20, 0)
    assert sorted(set(np.round(wall.contacts[:, 2], 6))) == [10, 25, 40, 55, 70]
    assert wall.contact_area_mm2 == pytest.approx(20)
    assert wall.contacts[:, 1] == pytest.approx(np.zeros(20), abs=1e-5)
    width = wall.derived_values["base_width"]
    assert 0.6 * 30 * width**2 / 2 == pytest.approx(2.0 * 2.5 * wall.derived_values["top"], rel=1e-6)
    assert wall.reserve == pytest.approx(2.0)
    assert all(is_closed(body) for body in wall.bodies)
    part = to_manifold(box((40, 3, 80)))
    # A tie is as high as it is wide where it meets the part, and a little higher farther out.
    assert sum((to_manifold(body) ^ part).volume() for body in wall.bodies) == pytest.approx(20 * 0.2, rel=0.12)
    assert base_for(Push(0.0, 0.0, 1.0), 80, 30, 2, 1.2) == pytest.approx(2.4)


def test_a_flank_wall_once_round_a_part_with_a_window_tells_of_ties_that_miss():
    mesh = from_manifold(Manifold.cube((40, 3, 80)) - Manifold.cube((20, 9, 20)).translate((10, -3, 30)))
    wall = generate_flank(request_for(mesh, FlankParameters(tie_pitch=10), offset=0.0), Push(2.5, 0.0, 0.6))
    assert wall.derived_values["along_length"] == pytest.approx(86, abs=1e-6)
    assert wall.missed > 0 and wall.ties > 30
    with pytest.raises(ParameterError, match="the part ends at 80 mm"):
        generate_flank(request_for(mesh, FlankParameters(ties_from=90), offset=0.0), Push())


@pytest.fixture
def metal_job():
    library = shipped_library()
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    bodies = [Body("plate", box((24, 14, 5)), 12), Body("ball", ball(7, subdivisions=3), 1280)]
    job = edits.add_bodies(job, bodies).job
    return edits.set_build_offset(job, ["part-1", "part-2"], 5.0).job


@pytest.mark.parametrize("name", [name for name in ALL if not name.startswith("bars")])
def test_every_family_is_generated_kept_checked_and_told_apart(metal_job, name, tmp_path):
    chosen = shipped_sets()[name]
    job = edits.add_support(metal_job, "part-1", chosen).job
    job = edits.give_body(job, "support-1", ball(3), "ball").job if name == "block-plain" else job
    save_job(job, tmp_path / "a.trellis")
    again = open_job(tmp_path / "a.trellis", shipped_library())
    assert again.supports[0].parameters == job.supports[0].parameters
    assert type(again.supports[0].parameters) is type(chosen.parameters)
    one, other = Pipeline().structure(job.supports[0], job), Pipeline().structure(again.supports[0], again)
    assert one.volume_mm3 == other.volume_mm3 > 0
    assert np.array_equal(one.mesh.vertices, other.mesh.vertices)
    codes = {finding.code for finding in Pipeline().findings(job)}
    assert not codes & {"support_through_part", "support_empty", "wall_left_out"}


def test_a_raft_thicker_than_the_offset_is_a_stop_that_lifting_cures(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["raft-follow"]).job
    job = edits.change_support(job, "support-1", "thickness", 6.5).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "raft_too_thick"]
    assert [(f.severity, f.value, f.limit) for f in found] == [("stop", 6.5, 5.0)]
    assert found[0].cures[0].change.offset == 6.5
    job = found[0].cures[0].change.edit(job, Pipeline()).job
    codes = {finding.code for finding in Pipeline().findings(job) if finding.part == "plate"}
    assert not codes & {"raft_too_thick", "in_the_air", "region_not_held"}


def test_a_raft_that_two_parts_share_lies_under_both_and_stays_when_one_goes(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["raft-rectangle"]).job
    alone = Pipeline().structure(job.supports[0], job)
    job = edits.share_raft(job, "support-1", ["part-1", "part-2"]).job
    shared = Pipeline().structure(job.supports[0], job)
    assert shared.area_mm2 > 1.5 * alone.area_mm2
    moved = edits.move_part(job, "part-2", 100, 60).job
    assert Pipeline().structure(moved.supports[0], moved).area_mm2 != shared.area_mm2
    left = edits.remove_parts(job, ["part-1"]).job
    assert left.supports[0].parts == ("part-2",)
    assert not edits.remove_parts(left, ["part-2"]).job.supports


def test_supports_built_into_each_other_are_listed_and_walls_make_room(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["bars-metal"]).job
    job = edits.add_support(job, "part-1", shipped_sets()["lattice-metal"]).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "supports_overlap"]
    assert len(found) == 1 and found[0].value > 1
    cure = found[0].cures[0]
    job = cure.change.edit(job, Pipeline()).job
    assert "supports_overlap" not in {finding.code for finding in Pipeline().findings(job)}
    pipeline = Pipeline()
    thinner = edits.change_support(job, "support-1", "spacing", 6.0).job
    before, after = (pipeline.structure(some.supports[1], some) for some in (job, thinner))
    assert after.area_mm2 > before.area_mm2  # fewer bars to make room for: made anew


def test_walls_and_bodies_that_run_into_a_part_are_found(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["lattice-metal"]).job
    job = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    state = Pipeline().state(job)
    assert "support_through_part" not in {finding.code for finding in check_families(state)}
    pose = replace(job.part("part-1").pose, build_offset=3.0)
    sunk = job.with_part(replace(job.part("part-1"), pose=pose))
    lower = Pipeline().state(sunk)
    wrong = replace(state, job=sunk, parts=lower.parts)
    found = [finding.support_id for finding in check_families(wrong) if finding.code == "support_through_part"]
    assert sorted(found) == ["support-1", "support-2"]


def test_a_tall_thin_part_tips_over_until_a_wall_stands_beside_it():
    library = shipped_library()
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("panel", box((60, 2.4, 160)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "tips_over"]
    assert len(found) == 1 and found[0].severity == "stop" and found[0].value < 1
    assert found[0].cures[0].change.set_name == "wall-flank"
    job = edits.add_support(job, "part-1", shipped_sets()["wall-flank"]).job
    assert "tips_over" not in {finding.code for finding in Pipeline().findings(job)}


@pytest.mark.parametrize(
    ("name", "key", "value", "words"),
    [
        ("wall-line", "bite_depth", 5.0, "deeper than the part is high"),
        ("cradle-posts", "post_tip", 3.0, "wider than the post"),
        ("cradle-posts", "post_pitch", 1.0, "as wide as they lie apart"),
        ("wall-flank", "ties_to", 2.0, "below the lowest"),
        ("wall-flank", "base_width", 0.5, "narrower than the wall"),
        ("raft-follow", "margin", -20.0, "leaves nothing"),
    ],
)
def test_nonsense_is_refused_in_words_when_it_is_made(metal_job, name, key, value, words):
    job = edits.set_build_offset(metal_job, ["part-1"], 8.0).job
    with pytest.raises(ParameterError, match=words):
        job = edits.add_support(job, "part-1", shipped_sets()[name]).job
        job = edits.change_support(job, "support-1", key, value).job
        Pipeline().structure(job.supports[0], job)


def test_a_wavy_part_in_a_cradle_and_on_a_lattice_has_no_stop(metal_job):
    job = edits.add_bodies(metal_job, [Body("wave", wavy_plate(24, 20), 1)]).job
    job = edits.remove_parts(job, ["part-1", "part-2"]).job
    job = edits.set_build_offset(job, [job.parts[0].id], 6.0).job
    job = edits.add_support(job, job.parts[0].id, shipped_sets()["lattice-metal"]).job
    assert not [finding.message for finding in Pipeline().findings(job) if finding.severity == "stop"]


def test_a_part_becomes_a_block_where_it_stands_and_is_a_part_no_more(metal_job):
    job = edits.set_build_offset(metal_job, ["part-2"], 0.0).job
    x, y = job.part("part-1").pose.x, job.part("part-1").pose.y
    job = edits.set_build_offset(edits.move_part(job, "part-2", x + 3, y).job, ["part-1"], 16.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    before = job.part("part-2").bounds()
    made = edits.become_block(job, "support-1", "part-2").job
    assert [part.id for part in made.parts] == ["part-1"]
    block = Pipeline().structure(made.supports[0], made)
    assert block.mesh.bounds == pytest.approx(before, abs=1e-6)
    assert block.volume_mm3 == pytest.approx(job.part("part-2").mesh.volume)
    with pytest.raises(EditError, match="own part"):
        edits.become_block(job, "support-1", "part-1")


def test_walls_that_end_at_a_level_want_something_to_stand_on(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["lattice-metal"]).job
    job = edits.change_values(job, "support-1", {"ends_on": "level", "level": 1.0}, "End higher").job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "walls_end_in_air"]
    assert len(found) == 1 and found[0].value > 50
    on_raft = edits.add_support(job, "part-1", shipped_sets()["raft-rectangle"]).job
    on_raft = edits.change_support(on_raft, "support-2", "thickness", 1.0).job
    assert "walls_end_in_air" not in {finding.code for finding in Pipeline().findings(on_raft)}
    cure = found[0].cures[0]
    cured = cure.change.edit(job, Pipeline()).job
    assert "walls_end_in_air" not in {finding.code for finding in Pipeline().findings(cured)}


@pytest.mark.parametrize("name", ["lattice-metal", "wall-line", "cradle-posts"])
def test_nothing_runs_into_a_branching_elbow(name):
    job = metal_build(full_library())
    elbow = next(part for part in job.parts if part.name == "Exhaust elbow")
    job = edits.remove_supports(job, [support.id for support in job.supports]).job
    job = edits.add_support(job, elbow.id, shipped_sets()[name]).job
    if name == "lattice-metal":
        job = edits.change_support(job, job.supports[0].id, "thickness", 0.25).job
    made = Pipeline().structure(job.supports[0], job)
    codes = {finding.code for finding in Pipeline().findings(job)}
    assert "support_through_part" not in codes
    assert is_closed(made.mesh)
    assert made.contact_area_mm2 > 5


@pytest.mark.parametrize("name", ["lattice-metal", "wall-line"])
def test_walls_without_a_region_are_none_and_that_is_said(metal_job, name):
    job = edits.set_build_offset(metal_job, ["part-1"], 0.0).job
    job = edits.add_support(job, "part-1", shipped_sets()[name]).job
    made = Pipeline().structure(job.supports[0], job)
    assert made.is_empty and made.volume_mm3 == 0 and not len(made.mesh.faces) and not len(made.holds)
    assert "support_empty" in {finding.code for finding in Pipeline().findings(job)}


def test_a_block_round_a_whole_part_keeps_its_hollow():
    values = BlockParameters(size_x=24, size_y=24, size_z=24, place_z=0)
    request = request_for(ball(6, subdivisions=3), values, offset=5.0)
    block = generate_block(request)
    part = request.overhangs.mesh.volume
    assert block.counted.number == 1
    assert block.volume_mm3 == pytest.approx(24**3 - part)
    assert (to_manifold(block.mesh) ^ to_manifold(request.overhangs.mesh)).volume() < 1e-6


def test_ties_on_a_curved_part_never_go_in_by_more_than_their_bite():
    values = FlankParameters(ties_from=6, ties_to=14, tie_pitch=4, tie_width=2.0, tie_bite=0.1, along_length=20)
    request = request_for(ball(8, subdivisions=4), values, offset=2.0)
    wall = generate_flank(request, Push(2.5, 0.0, 0.6))
    common = (to_manifold(wall.mesh) ^ to_manifold(request.overhangs.mesh)).volume()
    assert wall.ties > 3
    assert 0 < wall.contact_area_mm2 < 0.8 * wall.ties * 4
    assert common < 2.5 * wall.contact_area_mm2 * 0.1


@pytest.mark.parametrize("slope", [20.0, 45.0, 65.0])
@pytest.mark.parametrize("outline", ["follow", "hull", "rectangle"])
def test_sloped_rafts_of_all_outlines_are_closed_and_smaller_above(slope, outline):
    mesh = from_manifold(Manifold.cube((26, 6, 5)) + Manifold.cube((6, 26, 5)) + Manifold.cube((4, 4, 5)).translate(
        (21, 21, 0)))  # fmt: skip
    raft = raft_for(mesh, margin=1.4, outline=outline, edge_slope=slope, thickness=1.5)
    assert all(is_closed(body) for body in raft.bodies)
    assert raft.volume_mm3 < raft.area_mm2 * 1.5
    for body in raft.bodies:
        low = body.vertices[body.vertices[:, 2] == 0]
        high = body.vertices[body.vertices[:, 2] == 1.5]
        assert (np.ptp(high, axis=0)[:2] <= np.ptp(low, axis=0)[:2] + 1e-9).all()


def test_a_cradles_plate_thicker_than_the_offset_is_a_stop(metal_job):
    job = edits.set_build_offset(metal_job, ["part-2"], 3.0).job
    job = edits.add_support(job, "part-2", shipped_sets()["cradle-posts"]).job
    job = edits.change_support(job, "support-1", "raft_thickness", 3.4).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "raft_too_thick"]
    assert [(f.severity, f.limit) for f in found] == [("stop", 3.0)]


def test_a_block_that_a_wall_of_the_part_cuts_in_two_supports_with_both_halves():
    roof = Manifold.cube((30, 30, 3), True).translate((0, 0, 13.5)) + Manifold.cube((1, 30, 12)).translate(
        (-0.5, -15, 0)
    )
    request = request_for(from_manifold(roof), BlockParameters(size_x=10, size_y=10), offset=0.0)
    block = generate_block(request)
    assert len(block.bodies) == 2
    assert block.contact_area_mm2 == pytest.approx(9 * 10, rel=0.02)

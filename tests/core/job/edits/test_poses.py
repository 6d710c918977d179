"""Edits of parts and poses: the build offset stays, turns are exact, copies add nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from any_parts import low
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import History, Job, edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.parts.aligning import room_below
from lean_trellis.core.parts.pose import rotation_between, rotation_xyz
from lean_trellis.core.parts.tilt import tilt_of
from lean_trellis.core.sets import shipped_sets


def lowest(job: Job, part_id: str = "part-1") -> float:
    return float(job.part(part_id).placed.bounds[0, 2])


def test_parts_come_in_lifted_by_the_materials_offset_and_apart(job):
    assert [lowest(job, part.id) for part in job.parts] == pytest.approx([4, 4])
    one, other = (part.bounds() for part in job.parts)
    assert (one[0, :2] >= other[1, :2]).any() or (other[0, :2] >= one[1, :2]).any()
    assert job.machine.plate.holds(np.concatenate([one[:, :2], other[:, :2]])).all()


@given(
    st.lists(
        st.one_of(
            st.tuples(st.sampled_from("xyz"), st.floats(-360, 360)),
            st.tuples(st.just("move"), st.floats(0, 200)),
            st.tuples(st.just("face"), st.integers(0, 11)),
        ),
        max_size=6,
    ),
    st.floats(0, 80),
)
def test_a_part_stays_at_its_offset_through_every_edit(metal, steps, offset):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    history = History(job)
    history.do(edits.set_build_offset(job, ["part-1"], offset))
    for kind, value in steps:
        if kind == "move":
            history.do(edits.move_part(history.job, "part-1", value, value / 2))
        elif kind == "face":
            history.do(edits.put_face_down(history.job, "part-1", value))
        else:
            history.do(edits.turn_part(history.job, "part-1", kind, value))
        assert lowest(history.job) == pytest.approx(offset, abs=1e-9)
    copied = edits.copy_part(history.job, "part-1").job
    assert lowest(copied, copied.parts[-1].id) == pytest.approx(offset, abs=1e-9)
    arranged = edits.arrange_parts(copied).job
    assert [lowest(arranged, part.id) for part in arranged.parts] == pytest.approx([offset] * 2, abs=1e-9)


def test_quarter_turns_are_exact_and_four_of_them_are_none(job):
    turned = job
    for _ in range(4):
        turned = edits.turn_part(turned, "part-1", "x", 90).job
    assert turned.part("part-1").pose == job.part("part-1").pose
    assert rotation_about("z", 90)[1].tolist() == [1, 0, 0]


def test_rotate_is_about_x_then_y_then_z():
    expected = rotation_about("z", 30) @ rotation_about("y", 20) @ rotation_about("x", 10)
    np.testing.assert_allclose(rotation_xyz(10, 20, 30), expected)
    np.testing.assert_allclose(rotation_about("x", 90) @ [0, 1, 0], [0, 0, 1], atol=1e-15)


@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1))
def test_the_shortest_turn_takes_one_direction_onto_another(vector):
    unit = np.array(vector) / np.linalg.norm(vector)
    turn = rotation_between(unit, np.array([0, 0, -1.0]))
    np.testing.assert_allclose(turn @ unit, [0, 0, -1], atol=1e-9)
    assert np.linalg.det(turn) == pytest.approx(1)


def test_a_selected_face_looks_at_the_plate(job):
    mesh = job.part("part-1").mesh
    face = int(np.flatnonzero(mesh.normals[:, 0] > 0.9)[0])
    down = edits.put_face_down(job, "part-1", face).job.part("part-1")
    np.testing.assert_allclose(down.placed.normals[face], [0, 0, -1], atol=1e-12)
    assert down.bounds()[1, 2] - down.bounds()[0, 2] == pytest.approx(20)


def test_points_travel_between_part_and_plate(job):
    part = edits.turn_part(job, "part-1", "y", 33).job.part("part-1")
    points = np.random.default_rng(0).uniform(-9, 9, (5, 3))
    back = part.pose.to_part(part.mesh, part.pose.to_plate(part.mesh, points))
    np.testing.assert_allclose(back, points, atol=1e-12)
    np.testing.assert_allclose(part.pose.to_plate(part.mesh, part.mesh.vertices), part.placed.vertices)


def test_a_copy_in_place_lies_exactly_on_its_original_and_changes_no_total(job):
    supported = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    copied = edits.copy_part(supported, "part-1", in_place=True).job
    one, other = copied.part("part-1"), copied.parts[-1]
    assert one.pose == other.pose
    assert other.name == "slab (2)"
    assert other.mesh is one.mesh
    assert len(copied.supports) == 2
    pipeline = Pipeline()
    first, second = (pipeline.bars(support, copied) for support in copied.supports)
    assert first.volume_mm3 == pytest.approx(second.volume_mm3)
    assert first is second  # what follows from the same things is derived once


@pytest.mark.parametrize("degrees", [0.0, 30.0, 52.5, 90.0])
@pytest.mark.parametrize(
    ("size", "turn"), [((40, 8, 8), (10, 25, 40)), ((40, 36, 4), (35, 0, 20)), ((40, 8, 8), (0, 90, 0))]
)
def test_a_part_stands_at_the_angle_that_is_typed_and_keeps_its_offset(metal, degrees, size, turn):
    job = edits.add_bodies(new_job(*metal), [Body("bar", box(size), 12)]).job
    part = job.parts[0]
    job = job.with_part(replace(part, pose=part.pose.turned(rotation_xyz(*turn))))
    before = tilt_of(job.parts[0])
    stood = edits.stand_at(job, "part-1", before, degrees).job.parts[0]
    assert tilt_of(stood).angle_deg == pytest.approx(degrees, abs=1e-5)
    assert stood.pose.build_offset == part.pose.build_offset
    level_before, level_after = before.rise[:2], tilt_of(stood).rise[:2]
    if 1e-6 < degrees < 90 and np.linalg.norm(level_before) > 1e-6:
        (a, b), (c, d) = level_before, level_after
        assert a * d - b * c == pytest.approx(0, abs=1e-9)


def test_no_angle_beyond_0_to_90_and_none_for_a_compact_part(metal):
    job = edits.add_bodies(new_job(*metal), [Body("bar", box((40, 8, 8)), 12), Body("ball", ball(5), 1280)]).job
    for degrees in (-1.0, 90.5, float("nan")):
        with pytest.raises(EditError):
            edits.stand_at(job, "part-1", tilt_of(job.parts[0]), degrees)
    with pytest.raises(EditError, match="compact"):
        edits.stand_at(job, "part-2", tilt_of(job.parts[1]), 45.0)


def test_own_axes_turn_with_the_part(trio):
    tilted = edits.turn_part(trio, "part-3", "y", 40).job
    rod = edits.turn_parts(tilted, ["part-3"], "z", 55, frame="own").job.part("part-3")
    np.testing.assert_allclose(rod.pose.matrix[:, 2], tilted.part("part-3").pose.matrix[:, 2], atol=1e-12)


@pytest.mark.parametrize("pivot", ["each", "together", "plate", (12.0, 34.0)])
def test_a_quarter_turn_about_a_pivot_goes_round_it(trio, pivot):
    ids = ["part-1", "part-2"]
    turned = edits.turn_parts(trio, ids, "z", 90, pivot=pivot).job
    centre = {"together": None, "plate": trio.machine.plate.middle}.get(pivot, pivot) if pivot != "each" else None
    for part_id in ids:
        before, after = trio.part(part_id).pose, turned.part(part_id).pose
        assert after.build_offset == pytest.approx(before.build_offset)
        if pivot == "each":
            assert (after.x, after.y) == pytest.approx((before.x, before.y))
        elif centre is not None:
            assert (after.x - centre[0], after.y - centre[1]) == pytest.approx(
                (-(before.y - centre[1]), before.x - centre[0])
            )


@given(st.floats(0, 180), st.floats(-180, 180), st.sampled_from("xyz"))
def test_a_face_stands_at_the_angle_asked_for(metal, degrees, first, axis):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    job = edits.turn_part(job, "part-1", axis, first).job
    part = edits.face_to_angle(job, "part-1", 3, degrees).job.part("part-1")
    normal = part.pose.matrix @ part.mesh.normals[3]
    assert np.degrees(np.arccos(np.clip(-normal[2], -1, 1))) == pytest.approx(degrees, abs=1e-4)
    assert part.bounds()[0, 2] == pytest.approx(4)


def test_parts_are_centred_and_dropped_only_when_asked(trio):
    centred = edits.centre_parts(trio, ["part-1"], "x").job.part("part-1").pose
    assert (centred.x, centred.y) == pytest.approx((130, trio.part("part-1").pose.y))
    on = edits.centre_parts(trio, ["part-2"], on_part="part-1").job
    np.testing.assert_allclose(on.part("part-2").bounds().mean(axis=0)[:2], on.part("part-1").bounds().mean(axis=0)[:2])
    assert low(on, "part-2") == pytest.approx(4)
    assert low(edits.drop_parts(on, ["part-2"]).job, "part-2") == pytest.approx(0)


def test_a_part_stands_on_another_with_the_clearance_asked_for(trio):
    job = trio
    job = edits.centre_parts(edits.set_build_offset(job, ["part-2"], 60).job, ["part-2"], on_part="part-1").job
    upper, lower = (job.part(part_id).placed for part_id in ("part-2", "part-1"))
    room = room_below(upper, lower, RayTree(lower), RayTree(upper))
    assert room == pytest.approx(60 - 9, abs=1e-3)
    for clearance in (0.3, -0.5):
        stood = edits.stand_on(job, "part-2", "part-1", room, clearance).job
        assert low(stood, "part-2") == pytest.approx(9 + clearance, abs=1e-3)
    far = edits.move_part(job, "part-2", 10, 10).job.part("part-2").placed
    assert room_below(far, lower, RayTree(lower), RayTree(far)) == np.inf
    with pytest.raises(EditError, match="below the plate"):
        edits.stand_on(job, "part-2", "part-1", room, -40)

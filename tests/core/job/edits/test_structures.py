"""Edits of walls by hand, shared rafts and blocks made from parts: kept on the part, refused with a reason."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets

ME = "support-1"
LINE = np.array([(100.0, 100, 0), (110, 100, 0), (110, 108, 0)])


@pytest.fixture
def job(metal):
    """A slab turned by 30 degrees, and a ball apart from it."""
    bodies = [Body("slab", box((20, 10, 5)), 12), Body("ball", ball(6, subdivisions=2), 320)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.turn_parts(job, ["part-1"], "z", 30).job
    return edits.move_part(job, "part-1", 100, 100).job


def with_support(job, name, part_id="part-1"):
    return edits.add_support(job, part_id, shipped_sets()[name]).job


def on_plate(job, places):
    part = job.part("part-1")
    return part.pose.to_plate(part.mesh, np.array(places, float).reshape(-1, 3))


def test_a_drawn_path_is_kept_on_the_part_moved_by_a_point_and_removed(job):
    job = with_support(job, "wall-line")
    job = edits.draw_path(job, ME, LINE).job
    job = edits.draw_path(job, ME, LINE + [0, 5, 0]).job
    first, second = job.support(ME).hand.paths
    assert on_plate(job, first.places) == pytest.approx(LINE)
    assert on_plate(job, second.places) == pytest.approx(LINE + [0, 5, 0])
    moved = edits.move_path_point(job, ME, 1, 2, (120.0, 100.0, 3.0)).job
    first, second = moved.support(ME).hand.paths
    assert on_plate(job, first.places) == pytest.approx(LINE)
    assert on_plate(job, second.places)[2] == pytest.approx([120, 100, 3])
    assert on_plate(job, second.places)[:2] == pytest.approx((LINE + [0, 5, 0])[:2])
    (left,) = edits.remove_path(job, ME, 0).job.support(ME).hand.paths
    assert left == job.support(ME).hand.paths[1]


def test_two_places_are_a_path_and_three_an_outline(job):
    walls = with_support(job, "wall-line")
    assert edits.draw_path(walls, ME, LINE[:2]).job.support(ME).hand.paths
    with pytest.raises(EditError):
        edits.draw_path(walls, ME, LINE[:1])
    (outline,) = edits.cut_out(walls, ME, LINE).job.support(ME).hand.cut_out
    assert on_plate(job, outline.places) == pytest.approx(LINE)
    with pytest.raises(EditError):
        edits.cut_out(walls, ME, LINE[:2])


def test_only_walls_along_lines_are_drawn_and_only_what_has_walls_is_cut(job):
    with pytest.raises(EditError):
        edits.draw_path(with_support(job, "lattice-metal"), ME, LINE)
    for edit in (edits.cut_out, edits.delete_walls, edits.delete_pieces):
        done = edit(with_support(job, "lattice-metal"), ME, LINE).job.support(ME).hand
        assert len(done.cut_out) + len(done.gone) / len(LINE) == 1
        with pytest.raises(EditError):
            edit(with_support(job, "bars-metal"), ME, LINE)


@pytest.mark.parametrize(("edit", "what"), [("delete_walls", "wall"), ("delete_pieces", "piece")])
def test_what_is_deleted_is_kept_by_place_and_kind(job, edit, what):
    walls = with_support(job, "lattice-metal")
    delete = getattr(edits, edit)
    once = delete(walls, ME, LINE[:1])
    twice = delete(once.job, ME, LINE[1:])
    assert [gone.what for gone in twice.job.support(ME).hand.gone] == [what] * 3
    assert on_plate(job, [gone.place for gone in twice.job.support(ME).hand.gone]) == pytest.approx(LINE)
    assert (f"a {what}" in once.title, f"2 {what}s" in twice.title) == (True, True)
    with pytest.raises(EditError):
        delete(walls, ME, np.zeros((0, 3)))


@pytest.mark.parametrize(
    ("by", "is_allowed"), [(0.0, False), (0.1, True), (1000.0, True), (1000.1, False), (-1, False)]
)
def test_walls_are_extended_by_more_than_nothing_and_up_to_a_metre(job, by, is_allowed):
    walls = with_support(job, "lattice-metal")
    if not is_allowed:
        with pytest.raises(EditError):
            edits.extend_wall(walls, ME, (100.0, 100.0, 0.0), by)
        return
    (led,) = edits.extend_wall(walls, ME, (100.0, 100.0, 0.0), by).job.support(ME).hand.extended
    assert led.by == by
    assert on_plate(job, led.place)[0] == pytest.approx([100, 100, 0])


def test_a_raft_is_shared_with_others_once_each_and_never_with_its_own_part(job):
    raft = with_support(job, "raft-follow")
    shared = edits.share_raft(raft, ME, ["part-2", "part-1", "part-2"])
    assert shared.job.support(ME).others == ("part-2",)
    assert shared.job.support(ME).parts == ("part-1", "part-2")
    alone = edits.share_raft(shared.job, ME, [])
    assert alone.job.support(ME).others == ()
    assert alone.title != shared.title
    with pytest.raises(EditError):
        edits.share_raft(with_support(job, "bars-metal"), ME, ["part-2"])


def test_a_body_becomes_a_block_in_its_own_size(job):
    block = edits.give_body(with_support(job, "block-plain"), ME, box((3, 4, 5)), "wedge").job.support(ME)
    values = block.parameters
    assert (values.shape, values.size_x, values.size_y, values.size_z) == ("own", 3, 4, 5)
    assert block.body is not None
    with pytest.raises(EditError):
        edits.give_body(with_support(job, "bars-metal"), ME, box((3, 4, 5)), "wedge")


def test_a_part_becomes_a_block_where_it_stands_and_is_a_part_no_more(job):
    job = edits.move_part(job, "part-2", 120, 95).job
    ball_there = job.part("part-2").placed
    made = edits.become_block(with_support(job, "block-plain"), ME, "part-2").job
    block = made.support(ME)
    low, high = ball_there.bounds
    values = block.parameters
    assert [part.id for part in made.parts] == ["part-1"]
    assert (values.size_x, values.size_y, values.size_z) == pytest.approx(tuple(high - low))
    own = made.part("part-1").bounds().mean(axis=0)
    assert (values.place_x, values.place_y) == pytest.approx(tuple(((low + high) / 2 - own)[:2]))
    assert values.place_z == pytest.approx(low[2])
    assert values.turn == 0
    assert block.body.vertices == pytest.approx(ball_there.vertices)


def test_its_own_part_or_one_with_supports_becomes_no_block(job):
    block = with_support(job, "block-plain")
    with pytest.raises(EditError, match="own part"):
        edits.become_block(block, ME, "part-1")
    with pytest.raises(EditError, match="supports of its own"):
        edits.become_block(with_support(block, "bars-metal", "part-2"), ME, "part-2")
    with pytest.raises(EditError):
        edits.become_block(with_support(job, "bars-metal"), ME, "part-2")


def test_several_values_are_one_step_and_a_wrong_one_changes_none(job):
    bars = with_support(job, "bars-metal")
    changed = edits.change_values(bars, ME, {"spacing": 4.0, "tip_diameter": 0.4}, "Coarser").job.support(ME).parameters
    assert (changed.spacing, changed.tip_diameter) == (4.0, 0.4)
    with pytest.raises(ParameterError):
        edits.change_values(bars, ME, {"spacing": 4.0, "tip_diameter": -1}, "Coarser")

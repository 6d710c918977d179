"""Jobs and builds brought together: what is sent, fetched, and what has to be decided."""

from __future__ import annotations

import multiprocessing
import os
from dataclasses import replace

import pytest
from checked_parts import job_of

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.documents import part_document
from lean_trellis.core.board.syncing import SETTINGS, open_from_board, put_on_board, synced, taken_parts
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import job_text
from lean_trellis.core.job.released import Released
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.shop.store.store import open_store

EACH = int(os.environ.get("LEAN_TRELLIS_TEST_PARTS", "50"))


def names(job):
    return [part.name for part in job.parts]


@pytest.fixture
def mine(job, board):
    return put_on_board(job, board).job


@pytest.fixture
def theirs(mine, board, library):
    return open_from_board(board, "Friday", library)


def named(job, name):
    return next(part.id for part in job.parts if part.name == name)


def test_a_build_that_was_put_on_the_board_comes_back_whole(mine, theirs):
    assert names(theirs) == ["slab", "ball"]
    assert theirs.parts[0].mesh.key == mine.parts[0].mesh.key
    assert theirs.supports[0].parameters.spacing == 3.0
    assert theirs.waivers[0].part_id == theirs.parts[0].id
    assert theirs.set_of(theirs.supports[0]) is not None
    assert job_text(replace(theirs, link=None)) == job_text(replace(mine, link=None))


def test_what_is_up_to_date_sends_and_fetches_nothing(mine, board):
    again = synced(mine, board)
    assert (again.sent, again.fetched, again.removed, again.conflicts) == ((), (), (), ())
    assert again.job == mine


def test_only_what_changed_is_sent_and_fetched(mine, theirs, board):
    moved = edits.move_part(mine, named(mine, "ball"), 50.0, 60.0).job
    sent = synced(moved, board)
    assert (sent.sent, sent.fetched) == (("ball",), ())
    got = synced(theirs, board)
    assert (got.sent, got.fetched) == ((), ("ball",))
    assert got.job.part(named(got.job, "ball")).pose.x == 50.0


def test_edits_of_different_parts_do_not_meet(mine, theirs, board):
    a = synced(edits.move_part(mine, named(mine, "ball"), 50.0, 60.0).job, board)
    b = synced(edits.move_part(theirs, named(theirs, "slab"), 90.0, 60.0).job, board)
    assert (b.sent, b.fetched, b.conflicts) == (("slab",), ("ball",), ())
    last = synced(a.job, board).job
    assert [part.pose.x for part in last.parts] == [90.0, 50.0]


def test_edits_of_the_same_part_are_both_shown_and_nothing_is_overwritten(mine, theirs, board):
    synced(edits.move_part(mine, named(mine, "ball"), 50.0, 60.0).job, board)
    moved = edits.move_part(theirs, named(theirs, "ball"), 70.0, 60.0).job
    met = synced(moved, board)
    (conflict,) = met.conflicts
    assert conflict.name == "ball"
    assert '"x":70.0' in conflict.mine
    assert '"x":50.0' in conflict.theirs
    assert met.sent == met.fetched == ()
    assert met.job.part(conflict.id).pose.x == 70.0
    assert synced(met.job, board).conflicts == (conflict,)


@pytest.mark.parametrize(("choice", "x"), [("mine", 70.0), ("theirs", 50.0)])
def test_whoever_decides_says_which_stays(mine, theirs, board, choice, x):
    there = synced(edits.move_part(mine, named(mine, "ball"), 50.0, 60.0).job, board).job
    moved = edits.move_part(theirs, named(theirs, "ball"), 70.0, 60.0).job
    decided = synced(moved, board, choices={named(moved, "ball"): choice})
    assert decided.conflicts == ()
    assert decided.job.part(named(moved, "ball")).pose.x == x
    assert synced(there, board).job.part(named(moved, "ball")).pose.x == x


def test_a_part_that_was_taken_out_leaves_the_other_job_too(mine, theirs, board):
    left = synced(edits.remove_parts(mine, [named(mine, "slab")]).job, board)
    assert left.sent == ("slab",)
    got = synced(theirs, board)
    assert got.removed == ("slab",)
    assert names(got.job) == ["ball"]
    assert got.job.supports == ()


@pytest.mark.parametrize(("choice", "kept"), [("mine", []), ("theirs", ["ball"])])
def test_taken_out_here_and_changed_there_is_for_a_person_to_decide(mine, theirs, board, choice, kept):
    synced(edits.move_part(mine, named(mine, "ball"), 50.0, 60.0).job, board)
    without = edits.remove_parts(theirs, [named(theirs, "ball")]).job
    (conflict,) = synced(without, board).conflicts
    assert conflict.mine == ""
    decided = synced(without, board, choices={conflict.id: choice})
    assert [name for name in names(decided.job) if name == "ball"] == kept


@pytest.mark.parametrize(("choice", "there"), [("mine", True), ("theirs", False)])
def test_changed_here_and_taken_out_there_is_for_a_person_to_decide(mine, theirs, board, choice, there):
    synced(edits.remove_parts(mine, [named(mine, "ball")]).job, board)
    moved = edits.move_part(theirs, named(theirs, "ball"), 70.0, 60.0).job
    (conflict,) = synced(moved, board).conflicts
    assert conflict.theirs == ""
    decided = synced(moved, board, choices={conflict.id: choice})
    assert ("ball" in names(decided.job)) is there
    assert ("ball" in [part.name for part in board.build("Friday").parts]) is there


def test_settings_travel_and_conflict_by_themselves(mine, theirs, board):
    mine = synced(edits.set_lot(mine, "L-7").job, board).job
    assert synced(theirs, board).job.lot == "L-7"
    other = edits.set_lot(theirs, "L-8").job
    (conflict,) = synced(other, board).conflicts
    assert conflict.id == SETTINGS
    assert synced(other, board, choices={SETTINGS: "theirs"}).job.lot == "L-7"
    assert synced(other, board, choices={SETTINGS: "mine"}).job.lot == "L-8"
    assert synced(mine, board).job.lot == "L-8"


def test_parts_of_another_build_are_taken_as_parts_of_its_own(mine, board, metal):
    other = job_of(metal, box((4, 4, 4)))
    build = board.build("Friday")
    got = taken_parts(other, board, build, build.parts[:1])
    assert names(got) == ["part 1", "slab"]
    assert got.parts[1].id != build.parts[0].id
    assert got.supports[0].part_id == got.parts[1].id
    assert got.waivers[0].part_id == got.parts[1].id


def test_a_job_is_on_one_board_once(mine, board):
    with pytest.raises(EditError, match="belongs to a build"):
        put_on_board(mine, board)
    with pytest.raises(EditError, match="is not on the board"):
        synced(replace(mine, link=None), board)
    gone = replace(mine, link=replace(mine.link, build_id="b-none"))
    with pytest.raises(EditError, match="no longer on the board"):
        synced(gone, board)


def test_what_was_released_is_not_put_there_again(job, mine, board):
    for released in (replace(job, released=Released()), replace(mine, released=Released())):
        with pytest.raises(EditError, match="has been released and is in the build log"):
            put_on_board(released, board)
    with pytest.raises(EditError, match="has been released"):
        synced(replace(mine, released=Released()), board)


def test_meshes_are_sent_once(job, board):
    twice = edits.copy_part(job, "part-1").job
    put_on_board(twice, board)
    assert board.put_meshes({part.mesh.key: part.mesh for part in twice.parts}) == 0


def _add_fifty(url, build_id, prefix, start):
    from lean_trellis.core.shop import shipped_library

    store = open_store(url)
    try:
        board = Board(store)
        job = open_from_board(board, build_id, shipped_library())
        start.wait()
        for number in range(EACH):
            from lean_trellis.core.formats import Body

            body = Body(f"{prefix} {number}", box((2 + 0.01 * number, 2, 2)), 12)
            job = edits.add_bodies(job, [body], owner=prefix, keep_position=True).job
            job = synced(job, board).job
    finally:
        store.close()


def test_two_programs_add_fifty_parts_each_at_the_same_moment_and_all_are_there(mine, board, url):
    build_id = board.build("Friday").id
    context = multiprocessing.get_context("spawn")
    start = context.Barrier(2)
    both = [context.Process(target=_add_fifty, args=(url, build_id, name, start)) for name in ("Ada", "Ben")]
    for one in both:
        one.start()
    for one in both:
        one.join(timeout=240)
    assert [one.exitcode for one in both] == [0, 0]
    got = board.build("Friday")
    expected = {f"{name} {number}" for name in ("Ada", "Ben") for number in range(EACH)} | {"slab", "ball"}
    assert len(got.parts) == len(expected)
    assert {part.name for part in got.parts} == expected
    assert len(names(synced(mine, board).job)) == len(expected)


def test_the_same_part_is_the_same_text(mine):
    assert part_document(mine, mine.parts[0].id) == part_document(mine, mine.parts[0].id)


def test_a_stack_is_there_for_everybody_and_goes_for_everybody(metal, board, library):
    job = edits.rename_job(job_of(metal, box((20, 10, 5)), box((8, 8, 8))), "Monday").job
    job = edits.stack_part(job, "part-1", 3, 4, "layers", Separator(library.material("titanium-64"), 0.3, 2)).job
    mine = put_on_board(job, board).job
    theirs = open_from_board(board, "Monday", library)
    assert theirs.stacks == mine.stacks
    assert theirs.stacks[0].filling.material.id == "titanium-64"
    assert {finding.code for finding in Pipeline().findings(theirs)} == {f.code for f in Pipeline().findings(mine)}
    top = mine.stacks[0].parts[-1]
    mine = synced(edits.remove_parts(mine, [top]).job, board).job
    theirs = synced(theirs, board).job
    assert theirs.stacks == mine.stacks
    assert len(theirs.stacks[0].parts) == 2
    theirs = synced(edits.remove_parts(theirs, [theirs.stacks[0].parts[0]]).job, board).job
    mine = synced(mine, board).job
    assert mine.stacks == theirs.stacks == ()
    assert [part.pose for part in mine.parts] == [part.pose for part in theirs.parts]
    assert synced(mine, board).sent == ()

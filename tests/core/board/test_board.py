"""Builds, outcomes and orders on the board."""

from __future__ import annotations

import io

import pytest
from PIL import Image
from sqlalchemy import update

from lean_trellis.core.board.board import Board, plain_name
from lean_trellis.core.board.rows import AGAIN_ID
from lean_trellis.core.board.syncing import put_on_board, rows_of, taken_parts
from lean_trellis.core.errors import EditError, FormatError, UnknownNameError
from lean_trellis.core.job import edits
from lean_trellis.core.job.job import new_job
from lean_trellis.core.shop.store.kept import StoreError
from lean_trellis.core.shop.store.store import open_store
from lean_trellis.core.shop.store.tables import MESHES


@pytest.fixture
def build(job, board):
    job = edits.describe_parts(job, ["part-2"], order="O-2").job
    return board.build(put_on_board(job, board).job.link.build_id)


def test_a_new_board_is_empty(board):
    assert board.builds() == ()
    assert board.orders() == ()
    with pytest.raises(UnknownNameError, match="no build of that name"):
        board.build("Friday")


def test_what_a_list_tells(build, board):
    (listed,) = board.builds()
    assert (listed.name, listed.state, listed.machine, listed.material) == ("Friday", "open", "metal-260", "steel-316l")
    assert [(part.name, part.owner, part.order, part.outcome) for part in listed.parts] == [
        ("slab", "Otterbank", "O-1", ""), ("ball", "Tern", "O-2", ""),
    ]  # fmt: skip
    assert board.build(build.id) == listed == board.build("Friday")


def test_states_and_how_long_it_took(build, board):
    board.set_state(build.id, "done", actual_seconds=3600.0)
    assert (board.build("Friday").state, board.build("Friday").actual_seconds) == ("done", 3600.0)
    with pytest.raises(UnknownNameError, match="no state of that name"):
        board.set_state(build.id, "dnoe")
    with pytest.raises(EditError, match="is no time of a build"):
        board.set_state(build.id, "done", actual_seconds=-1.0)


def picture(kind: str = "PNG") -> bytes:
    held = io.BytesIO()
    Image.new("RGB", (8, 6), "teal").save(held, kind)
    return held.getvalue()


def test_a_part_that_came_out_well(build, board):
    board.note_outcome(build.id, build.parts[0].id, "well", photo=picture())
    slab = board.build("Friday").parts[0]
    assert (slab.outcome, slab.has_photo) == ("well", True)
    assert board.photo(build.id, slab.id) == picture()
    assert board.photo(build.id, build.parts[1].id) is None
    assert [one.id for one in board.builds()] == [build.id]


def test_a_part_that_failed_waits_to_be_built_again_with_pose_supports_and_cause(build, board, metal):
    board.note_outcome(build.id, build.parts[0].id, "fell_off", note="at 4 mm")
    again = board.build(AGAIN_ID)
    (row,) = again.parts
    assert row.outcome_note == "fell off its supports in Friday. at 4 mm"
    got = taken_parts(new_job(*metal), board, again, tuple(rows_of(again.parts, ("slab",))))
    assert got.supports[0].parameters.spacing == 3.0
    assert got.parts[0].order == "O-1"
    board.note_outcome(build.id, build.parts[0].id, "broke")
    (row,) = board.build(AGAIN_ID).parts
    assert row.outcome_note.startswith("broke in Friday")


def test_outcomes_that_are_none(build, board):
    with pytest.raises(UnknownNameError, match="no outcome of that name"):
        board.note_outcome(build.id, build.parts[0].id, "fine")
    with pytest.raises(UnknownNameError, match="no part of that name"):
        board.note_outcome(build.id, "p-none", "well")
    with pytest.raises(EditError, match="25 MB"):
        board.note_outcome(build.id, build.parts[0].id, "well", photo=b"x" * 25_000_000)


@pytest.mark.parametrize("photo", [b"", b"picture", picture()[:40], picture("BMP")])
def test_a_photo_that_cannot_be_shown_is_refused_and_nothing_is_noted(build, board, photo):
    with pytest.raises(EditError, match="is no picture"):
        board.note_outcome(build.id, build.parts[0].id, "well", photo=photo)
    assert board.build("Friday").parts[0].outcome == ""


def test_orders_tell_how_many_are_placed_built_and_still_to_do(build, board):
    board.order("O-1", "slab", "Otterbank", 3, "2026-12-24")
    board.order("O-2", "ball", "Tern", 1)
    by_part = {one.part: (one.asked, one.placed, one.built, one.to_do) for one in board.orders()}
    assert by_part == {"slab": (3, 1, 0, 2), "ball": (1, 1, 0, 0)}
    board.note_outcome(build.id, build.parts[0].id, "well")
    board.note_outcome(build.id, build.parts[1].id, "broke")
    by_part = {one.part: (one.asked, one.placed, one.built, one.to_do) for one in board.orders()}
    assert by_part == {"slab": (3, 0, 1, 2), "ball": (1, 0, 0, 1)}
    board.order("O-1", "slab", "Otterbank", 1)
    assert {one.part: one.to_do for one in board.orders()} == {"slab": 0, "ball": 1}
    with pytest.raises(EditError, match="is no number of parts"):
        board.order("O-1", "slab", "Otterbank", -1)


@pytest.mark.parametrize(("name", "plain"), [("Claw (3)", "Claw"), ("Claw", "Claw"), ("Claw (left)", "Claw (left)")])
def test_copies_are_of_one_name(name, plain):
    assert plain_name(name) == plain


def test_a_mesh_that_was_damaged_on_the_board_is_not_believed(build, board, metal):
    with board.writing() as connection:
        content = connection.execute(MESHES.select()).first().content
        connection.execute(update(MESHES).values(content=content[:-1] + bytes([content[-1] ^ 1])))
    with pytest.raises(FormatError):
        taken_parts(new_job(*metal), board, build, build.parts)


def test_a_library_that_is_not_there_is_said_in_a_line(tmp_path):
    (tmp_path / "library.db").write_bytes(b"no database at all" * 100)
    with pytest.raises(StoreError, match="cannot be used"):
        Board(open_store(f"sqlite:///{tmp_path / 'library.db'}"))

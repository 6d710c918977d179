"""The build log: what was released is noted on the board, linked with a build there or not."""

from __future__ import annotations

from dataclasses import replace

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.syncing import put_on_board
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.job import Job
from lean_trellis.core.shop.store.store import open_store


def logged(job: Job, url: str = "") -> TrellisError | None:
    """Note a released job in the shop library, at an address or where it usually is.

    Gives back why that could not be done, where it could not: a release is done whether or not the library is there.
    """
    if job.released is None:
        return None
    try:
        store = open_store(url or None)
        try:
            board = Board(store)
            if job.link is not None:
                build_id = job.link.build_id
            else:
                made = put_on_board(replace(job, released=None), board)
                assert made.job.link is not None
                build_id = made.job.link.build_id
            board.note_released(build_id, job.released.contents)
        finally:
            store.close()
    except TrellisError as problem:
        return problem
    return None

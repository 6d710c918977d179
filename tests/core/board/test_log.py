"""The build log."""

from __future__ import annotations

import json

import pytest

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.log import logged
from lean_trellis.core.board.syncing import put_on_board
from lean_trellis.core.job.edits import note_release
from lean_trellis.core.job.released import Released
from lean_trellis.core.shop.address import ADDRESS
from lean_trellis.core.shop.store.store import open_store

TICKET = json.dumps({"build_seconds": 60.0, "parts": []})


@pytest.fixture(autouse=True)
def shop(tmp_path, monkeypatch):
    address = f"sqlite:///{tmp_path / 'log.db'}"
    monkeypatch.setenv(ADDRESS, address)
    store = open_store(address)
    yield Board(store)
    store.close()


def released(job):
    return note_release(job, Released("A. Rowan", "2026-01-01T10:00:00", "the machine", "0" * 64, TICKET)).job


def test_a_job_that_was_not_on_the_board_is_noted_there(job, shop):
    assert logged(released(job)) is None
    (build,) = shop.builds()
    assert (build.name, build.state, build.released) == ("Friday", "released", TICKET)
    assert [part.name for part in build.parts] == ["slab", "ball"]


def test_a_job_of_the_board_is_noted_at_its_build(job, shop):
    on_board = put_on_board(job, shop).job
    assert logged(released(on_board)) is None
    (build,) = shop.builds()
    assert (build.id, build.state) == (on_board.link.build_id, "released")


def test_a_job_that_was_not_released_is_not_noted(job, shop):
    assert logged(job) is None
    assert shop.builds() == ()


def test_without_a_library_it_is_said_why(job, monkeypatch):
    monkeypatch.setenv(ADDRESS, "sqlite:////nowhere/at/all/library.db")
    monkeypatch.setattr("pathlib.Path.mkdir", lambda *_, **__: None)
    assert "cannot be used" in str(logged(released(job)))

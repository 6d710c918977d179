"""What came of sets, as it is shown when one is chosen."""

from __future__ import annotations

import json

from lean_trellis.core.board.board import Board
from lean_trellis.core.board.records import SetRecords
from lean_trellis.core.board.syncing import put_on_board
from lean_trellis.core.shop.store.store import open_store


def test_records_are_read_from_the_board_and_stay_when_it_is_lost(job, tmp_path):
    path = tmp_path / "library.db"
    address = f"sqlite:///{path}"
    records = SetRecords(lambda: address)
    records.look()
    assert records.of("bars-metal", 1) is None
    store = open_store(address)
    board = Board(store)
    build = board.build(put_on_board(job, board).job.link.build_id)
    supports = [{"set_id": "bars-metal", "version": 1, "utilisation": 0.8}]
    board.note_released(build.id, json.dumps({"parts": [{"name": "slab", "supports": supports}]}))
    board.note_outcome(build.id, build.parts[0].id, "broke")
    store.close()
    records.look()
    assert records.of("bars-metal", 1).words() == "built 1, failed 1 (at 0.80)"
    assert records.of("bars-metal", 2) is None
    path.write_bytes(b"rubbish" * 1000)
    records.look()
    assert records.of("bars-metal", 1) is not None

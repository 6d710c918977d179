"""The board's tables come to a library that has none, and what it holds stays."""

from __future__ import annotations

from sqlalchemy import create_engine, inspect, text

from lean_trellis.core.board.board import Board
from lean_trellis.core.shop.store.kept import ToSave
from lean_trellis.core.shop.store.store import open_store


def test_a_library_of_the_version_before_gets_its_board(tmp_path):
    url = f"sqlite:///{tmp_path / 'old.db'}"
    store = open_store(url)
    store.save(ToSave("set", "one", "One", "a = 1"), based_on=0)
    store.close()
    engine = create_engine(url)
    with engine.begin() as connection:
        for table in ("builds", "build_parts", "meshes", "orders"):
            connection.execute(text(f"DROP TABLE {table}"))
        connection.execute(text("UPDATE alembic_version SET version_num = '0001'"))
    store = open_store(url)
    assert [one.id for one in store.things("set")] == ["one"]
    assert Board(store).builds() == ()
    store.close()
    assert {"builds", "build_parts", "meshes", "orders"} <= set(inspect(engine).get_table_names())
    engine.dispose()

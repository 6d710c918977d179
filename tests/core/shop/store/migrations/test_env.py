"""Migrations run on the connection that is handed in, and are undone with its transaction."""

from __future__ import annotations

from sqlalchemy import create_engine, inspect

from lean_trellis.core.shop.store.migrating import migrate
from lean_trellis.core.shop.store.store import _begin_by_ourselves


def test_what_is_not_committed_is_not_there(tmp_path):
    engine = create_engine(f"sqlite:///{tmp_path / 'new.db'}")
    _begin_by_ourselves(engine)
    with engine.connect() as connection:
        transaction = connection.begin()
        assert migrate(connection, "here")
        assert "versions" in inspect(connection).get_table_names()
        transaction.rollback()
    with engine.connect() as connection:
        assert inspect(connection).get_table_names() == []

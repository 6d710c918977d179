"""All steps together make the table that the program works with."""

from __future__ import annotations

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine

from lean_trellis.core.shop.store.store import open_store
from lean_trellis.core.shop.store.tables import METADATA


def test_a_migrated_library_has_the_table_as_it_is_declared(tmp_path):
    url = f"sqlite:///{tmp_path / 'new.db'}"
    open_store(url).close()
    with create_engine(url).connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), METADATA) == []

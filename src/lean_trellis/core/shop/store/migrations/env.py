"""Run by Alembic: the connection is handed in by whoever migrates."""

from __future__ import annotations

from alembic import context

from lean_trellis.core.shop.store.tables import METADATA

context.configure(connection=context.config.attributes["connection"], target_metadata=METADATA)
with context.begin_transaction():
    context.run_migrations()

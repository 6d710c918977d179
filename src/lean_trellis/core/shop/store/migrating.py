"""Bringing the tables of a shop library up to date."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Connection, inspect, text

from lean_trellis.core.shop.store.kept import StoreError
from lean_trellis.core.shop.store.tables import HEAD

_STEPS = Path(__file__).parent / "migrations"
_TABLE = "alembic_version"
_LOCK = 1_418_201_905
"""Any number: that of the lock of migrations on a server."""


def step_of(connection: Connection) -> str | None:
    """The last step that a library has been through; None for one without tables."""
    if _TABLE not in inspect(connection).get_table_names():
        return None
    step = connection.execute(text(f"SELECT version_num FROM {_TABLE}")).scalar()
    return None if step is None else str(step)


def migrate(connection: Connection, where: str, steps: Path = _STEPS, head: str = HEAD) -> bool:
    """Make what is missing, within the connection's transaction: it is all there afterwards, or nothing is changed.

    True where anything was done. Raises `StoreError` where the library is of a newer program.
    """
    if connection.dialect.name == "postgresql":  # SQLite has taken its lock already: only one migrates at a time
        connection.execute(text(f"SELECT pg_advisory_xact_lock({_LOCK})"))
    step = step_of(connection)
    if step == head:
        return False
    if step is not None and not list((steps / "versions").glob(f"{step}_*.py")):
        raise StoreError(where, "belongs to a newer version of this program", "update the program here, too")
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(steps))
    config.attributes["connection"] = connection
    command.upgrade(config, head)
    return True

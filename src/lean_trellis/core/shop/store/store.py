"""The shop library itself: a database of things with all their versions."""

from __future__ import annotations

import getpass
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, RowMapping, and_, create_engine, event, func, insert, select
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ArgumentError, DBAPIError, IntegrityError, NoSuchModuleError, SQLAlchemyError

from lean_trellis.core.shop.address import library_url
from lean_trellis.core.shop.store.kept import ChangedMeanwhileError, Kept, Kind, StoreError, ToSave
from lean_trellis.core.shop.store.migrating import migrate
from lean_trellis.core.shop.store.tables import VERSIONS

_PATIENCE_S = 20


class ShopStore:
    """Things of a shop by kind and id. Every method raises `StoreError` where the database cannot be reached."""

    def __init__(self, engine: Engine, where: str) -> None:
        self._engine, self.where = engine, where

    def things(self, kind: Kind, *, archived: bool = False) -> tuple[Kept, ...]:
        """The latest version of each thing of a kind, by id; those that were put away instead, if asked."""
        latest = (
            select(VERSIONS.c.id, func.max(VERSIONS.c.version).label("last"))
            .where(VERSIONS.c.kind == kind)
            .group_by(VERSIONS.c.id)
            .subquery()
        )
        is_last = and_(VERSIONS.c.id == latest.c.id, VERSIONS.c.version == latest.c.last)
        wanted = select(VERSIONS).join(latest, is_last).where(VERSIONS.c.kind == kind).order_by(VERSIONS.c.id)
        with self.connected() as connection:
            rows = connection.execute(wanted).mappings().all()
        return tuple(_kept(row) for row in rows if bool(row["is_archived"]) == archived)

    def latest(self, kind: Kind, thing_id: str) -> Kept | None:
        """The last version of a thing, put away or not."""
        with self.connected() as connection:
            return _latest(connection, kind, thing_id)

    def history(self, kind: Kind, thing_id: str) -> tuple[Kept, ...]:
        """All versions of a thing, the first one first."""
        wanted = select(VERSIONS).where(VERSIONS.c.kind == kind, VERSIONS.c.id == thing_id)
        with self.connected() as connection:
            rows = connection.execute(wanted.order_by(VERSIONS.c.version)).mappings().all()
        return tuple(_kept(row) for row in rows)

    def stamp(self) -> tuple[int, str]:
        """Something that is another after each save: how many versions there are, and when the last was saved."""
        with self.connected() as connection:
            count, last = connection.execute(select(func.count(), func.max(VERSIONS.c.changed_at))).one()
        return int(count), str(last or "")

    def save(self, thing: ToSave, *, based_on: int, who: str = "") -> Kept:
        """Save a thing as the version after `based_on`, 0 for one that is new, and give back what was saved.

        Raises `ChangedMeanwhileError` where there is a later version already: nothing is lost, nothing overwritten.
        """
        row = {
            **vars(thing), "version": based_on + 1, "who": who or user_name(),
            "changed_at": datetime.now(UTC).isoformat(timespec="milliseconds"),
        }  # fmt: skip
        try:
            with self.connected(writes=True) as connection:
                there = _latest(connection, thing.kind, thing.id)
                if (0 if there is None else there.version) != based_on:
                    raise ChangedMeanwhileError(there) if there is not None else _gone(thing)
                connection.execute(insert(VERSIONS).values(row))
        except IntegrityError as problem:
            there = self.latest(thing.kind, thing.id)  # another process was quicker by a moment
            raise ChangedMeanwhileError(there) if there is not None else _gone(thing) from problem
        return Kept(**row)

    def put_away(self, kind: Kind, thing_id: str, *, why: str = "", who: str = "", back: bool = False) -> Kept:
        """Put a thing away, or `back`: a further version that is archived, or is not. Nothing is deleted."""
        there = self.latest(kind, thing_id)
        if there is None:
            raise StoreError(thing_id, "is not in the library", "list what there is")
        thing = ToSave(kind, there.id, there.name, there.document, there.owner, there.note, why, not back)
        return self.save(thing, based_on=there.version, who=who)

    def close(self) -> None:
        """Let go of the database."""
        self._engine.dispose()

    @contextmanager
    def connected(self, *, writes: bool = False) -> Iterator[Connection]:
        """A transaction, for tables that are kept beside things. Errors of the database come in one line."""
        with (
            told_plainly(self.where), self._engine.connect() as connection,
            connection.execution_options(writes=writes).begin(),
        ):  # fmt: skip
            yield connection


def open_store(url: str | None = None) -> ShopStore:
    """The shop library at an address, made where it is missing, brought up to date where it is of an older program.

    Raises `StoreError` with what to try where it cannot be reached, is no library or is a newer program's.
    """
    address = url or library_url()
    try:
        parsed = make_url(address)
        where = parsed.render_as_string(hide_password=True)
        waits = {"timeout": _PATIENCE_S} if parsed.get_backend_name() == "sqlite" else {"connect_timeout": 5}
        if parsed.get_backend_name() == "sqlite" and parsed.database:
            Path(parsed.database).parent.mkdir(parents=True, exist_ok=True)
        engine = create_engine(parsed, connect_args=waits, pool_pre_ping=True)
    except (ArgumentError, NoSuchModuleError, ImportError, OSError) as problem:
        cure = "give a database URL, for example sqlite:////srv/shop/library.db"
        raise StoreError(address, f"is no address of a shop library ({_first_line(problem)})", cure) from None
    if parsed.get_backend_name() == "sqlite":
        _begin_by_ourselves(engine)
    with told_plainly(where), engine.connect() as connection, connection.execution_options(writes=True).begin():
        migrate(connection, where)
    return ShopStore(engine, where)


def user_name() -> str:
    """Who works here, as the computer knows them."""
    try:
        return getpass.getuser()
    except (KeyError, OSError, ImportError):
        return ""


@contextmanager
def told_plainly(where: str) -> Iterator[None]:
    """Errors of the database in one line."""
    try:
        yield
    except IntegrityError:
        raise
    except DBAPIError as problem:
        words = _first_line(problem.orig or problem)
        raise StoreError(where, f"cannot be used ({words})", "see whether it is there and may be written") from None
    except SQLAlchemyError as problem:
        raise StoreError(where, f"cannot be used ({_first_line(problem)})", "see whether it is a library") from None


def _begin_by_ourselves(engine: Engine) -> None:
    """SQLite begins a transaction when told to, and one that writes takes its lock at once: two never cross."""

    def connected(connection: Any, _record: Any) -> None:
        connection.isolation_level = None

    def begun(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    event.listen(engine, "connect", connected)
    event.listen(engine, "begin", begun)


def _latest(connection: Connection, kind: Kind, thing_id: str) -> Kept | None:
    wanted = select(VERSIONS).where(VERSIONS.c.kind == kind, VERSIONS.c.id == thing_id)
    row = connection.execute(wanted.order_by(VERSIONS.c.version.desc()).limit(1)).mappings().first()
    return None if row is None else _kept(row)


def _kept(row: RowMapping) -> Kept:
    return Kept(**{**row, "is_archived": bool(row["is_archived"])})


def _gone(thing: ToSave) -> StoreError:
    return StoreError(thing.name, "is no longer in the library", "save it as a new one")


def _first_line(problem: BaseException) -> str:
    return (str(problem).splitlines() or [type(problem).__name__])[0]

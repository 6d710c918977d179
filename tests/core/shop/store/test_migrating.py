"""Bringing libraries up to date, or leaving them as they are."""

from __future__ import annotations

import shutil

import pytest
from sqlalchemy import create_engine, text

from lean_trellis.core.shop.store import migrating
from lean_trellis.core.shop.store.kept import StoreError, ToSave
from lean_trellis.core.shop.store.migrating import migrate, step_of
from lean_trellis.core.shop.store.store import open_store


def library(tmp_path):
    """A library with a thing in it, its address and its content."""
    url = f"sqlite:///{tmp_path / 'library.db'}"
    store = open_store(url)
    store.save(ToSave("set", "one", "One", "a = 1"), based_on=0)
    store.close()
    return url


def rows(url):
    with create_engine(url).connect() as connection:
        return connection.execute(text("SELECT * FROM versions")).all(), step_of(connection)


def further_steps(tmp_path, body):
    """The migrations and one more."""
    steps = tmp_path / "steps"
    shutil.copytree(migrating._STEPS, steps)
    (steps / "versions" / "0003_more.py").write_text(
        "import sqlalchemy as sa\nfrom alembic import op\nrevision = '0003'\ndown_revision = '0002'\n"
        f"def upgrade():\n    op.add_column('versions', sa.Column('colour', sa.String(20)))\n    {body}\n"
    )
    return steps


def migrated(url, steps):
    from lean_trellis.core.shop.store.store import _begin_by_ourselves

    engine = create_engine(url)
    _begin_by_ourselves(engine)
    with engine.connect() as connection, connection.execution_options(writes=True).begin():
        return migrate(connection, url, steps, "0003")


def test_an_old_library_is_brought_up_to_date_once_and_keeps_what_it_holds(tmp_path):
    url = library(tmp_path)
    steps = further_steps(tmp_path, "pass")
    assert migrated(url, steps)
    found, step = rows(url)
    assert step == "0003"
    assert [tuple(row)[:3] for row in found] == [("set", "one", 1)]
    assert found[0].colour is None
    assert not migrated(url, steps), "once is enough"


def test_a_migration_that_fails_leaves_the_library_as_it_was(tmp_path):
    url = library(tmp_path)
    before = rows(url)
    with pytest.raises(ZeroDivisionError):
        migrated(url, further_steps(tmp_path, "1 / 0"))
    assert rows(url) == before
    assert [thing.id for thing in open_store(url).things("set")] == ["one"]


def test_a_newer_program_s_library_is_left_alone(tmp_path):
    url = library(tmp_path)
    migrated(url, further_steps(tmp_path, "pass"))
    before = rows(url)
    with pytest.raises(StoreError, match="newer version of this program; update the program here"):
        open_store(url)
    assert rows(url) == before

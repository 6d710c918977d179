"""A job that tests of several packages start from."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from checked_parts import job_of

from lean_trellis.core.job import Job, edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import Machine, Material


@pytest.fixture
def pair(metal: tuple[Machine, Material]) -> Job:
    """A slab and a ball, each with bars, apart from one another."""
    job = job_of(metal, box((20, 10, 5)), ball(6, subdivisions=2))
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return edits.move_part(job, "part-2", 40, 40).job


@pytest.fixture(params=["sqlite", "postgresql"])
def url(request: pytest.FixtureRequest, tmp_path: Path) -> str:
    """A shop library of its own: in a file, and on a server where one is named."""
    if request.param == "sqlite":
        return f"sqlite:///{tmp_path / 'shop' / 'library.db'}"
    server = os.environ.get("LEAN_TRELLIS_TEST_SERVER")
    if not server:
        pytest.skip("no PostgreSQL server is named by LEAN_TRELLIS_TEST_SERVER")
    from sqlalchemy import create_engine, text

    name = f"trellis_{os.getpid()}_{abs(hash(request.node.nodeid)) % 10**9}"
    engine = create_engine(server, isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text(f"DROP DATABASE IF EXISTS {name}"))
        connection.execute(text(f"CREATE DATABASE {name}"))
    engine.dispose()
    return engine.url.set(database=name).render_as_string(hide_password=False)

"""Boards in libraries of their own, and builds to be put there."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from checked_parts import job_of

from lean_trellis.core.board.board import Board
from lean_trellis.core.job import Job, edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import Machine, Material
from lean_trellis.core.shop.store.store import open_store


@pytest.fixture
def board(url: str) -> Iterator[Board]:
    store = open_store(url)
    yield Board(store)
    store.close()


@pytest.fixture
def job(metal: tuple[Machine, Material]) -> Job:
    """A slab of Otterbank's with bars and a waiver, and a ball of Tern's."""
    from lean_trellis.core.job.waivers import Waiver

    job = job_of(metal, box((20, 10, 5)), ball(6, subdivisions=2))
    job = edits.describe_part(job, "part-1", name="slab", owner="Otterbank").job
    job = edits.describe_part(job, "part-2", name="ball", owner="Tern").job
    job = edits.describe_parts(job, ["part-1"], order="O-1").job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    job = edits.change_support(job, job.supports[0].id, "spacing", 3.0).job
    job = edits.waive(job, [Waiver("warp", "part-1", "A. Rowan", "cut off")]).job
    return edits.rename_job(job, "Friday").job

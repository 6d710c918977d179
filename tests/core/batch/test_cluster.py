"""The same pieces on a cluster: a scheduler and two workers in processes of their own, one of them killed midway."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import time
from contextlib import ExitStack, contextmanager

import pytest

from lean_trellis.core.batch.batch import BatchWish, run_batch
from lean_trellis.core.batch.cluster import done_on
from lean_trellis.core.batch.piece import BatchPiece, Order, do_piece
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats.body import Named
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.export import write_bodies
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.core.shop import shipped_library

pytest.importorskip("distributed", reason="dask.distributed is an extra that is not installed")


@contextmanager
def running(*arguments):
    process = subprocess.Popen([sys.executable, "-m", *arguments], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        yield process
    finally:
        process.kill()
        process.wait()


def _address(said):
    """The scheduler's address, once it has been written whole."""
    try:
        return json.loads(said.read_text())["address"]
    except (OSError, ValueError):
        return None


@pytest.fixture(scope="module")
def cluster(tmp_path_factory):
    """The address of a scheduler and its two workers."""
    said = tmp_path_factory.mktemp("cluster") / "scheduler.json"
    with ExitStack() as stack:
        quiet = ("--scheduler-file", str(said), "--no-dashboard")
        stack.enter_context(running("distributed.cli.dask_scheduler", "--port", "0", "--host", "127.0.0.1", *quiet))
        one = ("distributed.cli.dask_worker", *quiet, "--nthreads", "1", "--no-nanny")
        workers = [stack.enter_context(running(*one, "--name", name)) for name in ("one", "two")]
        while (address := _address(said)) is None:
            assert all(worker.poll() is None for worker in workers)
            time.sleep(0.05)
        yield address, workers


@pytest.fixture
def order():
    library = shipped_library()
    machine, material = library.machine("metal-260"), library.material("steel-316l")
    return Order(shipped_recipes()["metal-standard"], {"bars-metal": shipped_sets()["bars-metal"]}, machine, material)


def test_a_worker_that_is_killed_midway_loses_no_piece_and_none_is_done_twice(cluster, order, tmp_path):
    address, workers = cluster
    parts = tmp_path / "parts"
    parts.mkdir()
    for number in range(8):
        write_bodies(parts / f"slab-{number}.stl", [Named("slab", box((6 + number, 5, 2)))])
    (parts / "bad.stl").write_text("solid nothing")
    seen = []

    def shown(row):
        seen.append(row.file)
        if len(seen) == 3:
            workers[0].send_signal(signal.SIGKILL)

    rows = run_batch(BatchWish(order, (parts,), tmp_path / "out", scheduler=address), shown=shown)
    assert len(seen) == len(set(seen)) == 9
    assert [row.ok for row in rows] == [False] + [True] * 8
    assert "is text that holds no mesh" in rows[0].reason
    here = do_piece(BatchPiece(order, parts / "slab-3.stl"))
    (far,) = (row for row in rows if row.file.endswith("slab-3.stl"))
    assert far.figures == dict(here.figures)
    assert (tmp_path / "out" / "slab-3.trellis").read_bytes() == here.job


def test_a_scheduler_that_does_not_answer_is_said(order):
    with pytest.raises(EditError, match="does not answer"):
        list(done_on("tcp://127.0.0.1:9", []))

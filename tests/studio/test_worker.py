"""The worker's process where it cannot be started."""

from __future__ import annotations

from multiprocessing.context import ForkServerProcess

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.progress import Watch
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.worker import Worker


class Doubled:
    """A request that needs nothing."""

    def __init__(self, number: int) -> None:
        self.number = number

    def answer(self, pipeline: Pipeline, watch: Watch) -> int:
        return 2 * self.number


@pytest.fixture
def asked(qapp):
    """Ask a worker and wait for what comes, answer or problem."""
    workers = []

    def ask(worker: Worker, number: int) -> object:
        workers.append(worker)
        came: list[object] = []
        worker.ask(Doubled(number), came.append, came.append)
        wait_until(lambda: bool(came))
        return came[0]

    yield ask
    for worker in workers:
        worker.close()


def test_a_process_that_cannot_be_started_is_said_and_tried_again_with_the_next_request(asked, monkeypatch):
    tries = []

    def refused(process: ForkServerProcess) -> None:
        tries.append(process)
        raise OSError(12, "Cannot allocate memory")

    with monkeypatch.context() as without_memory:
        without_memory.setattr(ForkServerProcess, "start", refused)
        worker = Worker(1_000_000)
        problem = asked(worker, 3)
        assert "computation was lost" in str(problem)
        assert "Cannot allocate memory" in str(problem)
        assert worker.task is None
        assert "Cannot allocate memory" in str(asked(worker, 3))
        assert len(tries) == 2, "once a request, not in a circle"
    assert asked(worker, 4) == 8

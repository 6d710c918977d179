"""The line between window and worker: meshes go once, and no more are kept than there is room for."""

from __future__ import annotations

from multiprocessing import Pipe

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import ball
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.worker import Channel


@pytest.fixture
def ends():
    """A line whose window has room for two balls of 320 faces."""
    ours, theirs = Pipe()
    mesh = ball(5, subdivisions=2)
    room = 2 * (mesh.vertices.nbytes + mesh.faces.nbytes) + 10
    yield Channel(ours, teaches=True, most_bytes=room), Channel(theirs, teaches=False)
    ours.close()
    theirs.close()


def passed(sender, receiver, message):
    sender.send(message)
    return receiver.receive()


def test_a_mesh_is_sent_once_and_comes_back_as_itself(ends):
    window, worker = ends
    mesh = ball(5, subdivisions=2)
    theirs = passed(window, worker, mesh)
    assert passed(window, worker, [mesh])[0] is theirs
    assert passed(worker, window, {"part": theirs})["part"] is mesh


def test_what_is_used_least_is_forgotten_at_both_ends_and_sent_again(ends):
    window, worker = ends
    balls = [ball(radius, subdivisions=2) for radius in (3.0, 4.0, 5.0)]
    for mesh in balls[:2]:
        passed(window, worker, mesh)
    passed(window, worker, balls[0])
    passed(window, worker, balls[2])
    assert set(window.known) == set(worker.known) == {balls[0].key, balls[2].key}
    again = passed(window, worker, balls)
    assert [mesh.key for mesh in again] == [mesh.key for mesh in balls]
    np.testing.assert_array_equal(again[1].vertices, balls[1].vertices)


def test_what_the_worker_makes_stays_with_neither(ends):
    window, worker = ends
    for radius in range(1, 20):
        made = ball(float(radius), subdivisions=2)
        assert passed(worker, window, made).key == made.key
    assert not window.known and not worker.known


def test_the_bounds_of_what_is_kept_are_settings(user):
    assert user.session.graph._kept.maxsize == 600_000_000
    assert Settings(window_memory_mb=80).window_memory_mb == 80
    with pytest.raises(ValueError, match="greater than or equal to 50"):
        Settings(worker_memory_mb=1)

"""The window answers while slow work runs, and Escape stops it."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import ball, wavy_torus
from lean_trellis.core.sets import shipped_sets
from lean_trellis.studio.pictures import wait_until

pytestmark = pytest.mark.fresh


class Heartbeat:
    """Beats every 5 ms on the interface thread and remembers the longest pause between beats."""

    def __init__(self) -> None:
        self.longest, self._last = 0.0, time.perf_counter()
        self._timer = QTimer(interval=5)
        self._timer.timeout.connect(self._beat)
        self._timer.start()

    def _beat(self) -> None:
        now = time.perf_counter()
        self.longest, self._last = max(self.longest, now - self._last), now

    def stop(self) -> float:
        self._timer.stop()
        return self.longest


@pytest.fixture(scope="module")
def large(tmp_path_factory):
    """871,200 triangles."""
    path = tmp_path_factory.mktemp("large") / "torus.stl"
    path.write_bytes(stl_bytes(wavy_torus()))
    return path


def longest_pause(user, path):
    """Read, examine, find overhangs and support a large part; give the longest pause of the window."""
    user.session.new_job()
    user.settle()
    heart = Heartbeat()
    user.window.files.take_files([path])
    wait_until(lambda: len(user.session.job.parts) == 1)
    part = user.session.job.parts[0]
    wait_until(lambda: user.session.regions(part) is not None)
    user.window.menus.run("support_all")
    wait_until(lambda: user.session.bars(user.session.job.supports[0]) is not None)
    return heart.stop()


@pytest.mark.alone
def test_the_window_answers_within_a_tenth_of_a_second_while_a_large_part_is_prepared(user, large):
    # Whatever else the machine does counts against the window, so it may try up to three times.
    pauses = []
    while len(pauses) < 3 and min(pauses, default=1.0) >= 0.1:
        pauses.append(longest_pause(user, large))
    part = user.session.job.parts[0]
    assert len(part.mesh.faces) == 871_200
    assert len(user.session.bars(user.session.job.supports[0])) > 300
    assert user.session.shown_part(part).shown.is_stand_in
    assert min(pauses) < 0.1, f"the window was held up for {pauses} s"
    user.session.cancel()
    wait_until(lambda: user.session.worker.task is None)


def test_escape_cancels_what_runs_and_loses_nothing(user, large):
    user.window.files.take_files([large])
    wait_until(lambda: user.session.worker.task is not None)
    begin = time.perf_counter()
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)
    wait_until(lambda: user.session.worker.task is None)
    assert time.perf_counter() - begin < 2.0
    assert "Cancelled" in user.window.status.message.text()
    assert user.session.job.parts == ()
    user.window.files.take_files([large])
    wait_until(lambda: len(user.session.job.parts) == 1)


def test_a_cancelled_result_is_marked_and_made_again_when_asked(with_parts):
    user = with_parts(ball(12, subdivisions=5))
    part = user.session.part
    values = shipped_sets()["bars-metal"].parameters.with_value("spacing", 0.31)
    from lean_trellis.core.job.edits import add_support

    user.session.do(lambda job: add_support(job, part.id, shipped_sets()["bars-metal"], None, values))
    wait_until(lambda: user.session.worker.task is not None)
    user.session.cancel()
    wait_until(lambda: user.session.worker.task is None)
    support = user.session.job.supports[0]
    if user.session.bars(support) is None:
        assert user.session.problem_of(support) is not None
        user.window.menus.run("recompute")
    user.settle()
    assert user.session.bars(support) is not None


def test_a_killed_worker_is_started_again(with_parts):
    user = with_parts(ball(6, subdivisions=2))
    killed = user.session.worker._process
    killed.kill()
    wait_until(lambda: user.session.worker._process is not killed)
    user.window.menus.run("support_all")
    user.settle()
    assert len(user.session.bars(user.session.job.supports[0])) > 0


def test_one_value_changed_fast_many_times_ends_with_the_last(with_parts):
    user = with_parts(ball(10, subdivisions=4))
    bench = user.station("supports")
    user.press(bench.support_all)
    for spacing in ("2.0", "2.5", "3.1", "3.7", "4.4"):
        user.type_into(user.field("parameter.spacing"), spacing)
    user.settle()
    support = user.session.support
    assert support.parameters.spacing == 4.4
    from lean_trellis.core.derive.pipeline import Pipeline

    expected = Pipeline().bars(support, user.session.job)
    np.testing.assert_array_equal(user.session.bars(support).centres, expected.centres)

"""A build as layers: bodies by number, paths laid a portion at a time."""

from __future__ import annotations

import numpy as np
import pytest
from layered_builds import layers_of, small_job

from lean_trellis.core.layers import laid as laid_module
from lean_trellis.core.layers.paths import Kind


@pytest.mark.parametrize("process", ["powder_bed", "extrusion"])
def test_paths_of_a_layer_are_the_same_in_whatever_order_they_are_asked_for(library, monkeypatch, process):
    monkeypatch.setattr(laid_module, "_AT_ONCE_MM", 3000.0)
    job = small_job(library, process)
    upward, downward = layers_of(job)[1], layers_of(job)[1]
    numbers = upward.assembly.numbers[:: max(1, len(upward.assembly.numbers) // 9)].tolist()
    by_number = {number: [upward.paths(body, number) for body in range(len(upward.bodies))] for number in numbers}
    for number in reversed(numbers):
        for body, paths in enumerate(by_number[number]):
            again = downward.paths(body, number)
            np.testing.assert_array_equal(paths.ways.points, again.ways.points)
            area = upward.bodies[body].layers.areas_mm2
            place = upward.bodies[body].place_of(number)
            assert (len(paths) > 0) == (place is not None and area[place] > 0)


def test_heights_follow_the_first_layer_and_supports_their_own_step(library):
    from dataclasses import replace

    job = replace(small_job(library, "powder_bed"), first_layer=0.1, support_every=2)
    build = layers_of(job)[1]
    assert build.top(0) == pytest.approx(0.1)
    assert build.top(3) == pytest.approx(0.1 + 3 * job.layer_height)
    support = next(body for body in build.bodies if body.is_support)
    assert set(np.diff(support.numbers).tolist()) == {2}
    assert build.thickness(5) == pytest.approx(job.layer_height)
    assert build.thickness(5, support) == pytest.approx(2 * job.layer_height)
    assert build.thickness(1, support) == pytest.approx(0.1 + job.layer_height)
    assert build.paths(build.bodies.index(support), 4).levels.tolist() == []
    assert Kind.FILL in build.paths(build.bodies.index(support), 5).kinds

"""Parts beside each other."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.arrange import GAP_MM


@pytest.mark.parametrize("count", [1, 2, 5, 12])
def test_parts_are_arranged_apart_round_the_middle(metal, count):
    sizes = np.random.default_rng(count).uniform(5, 30, (count, 2))
    job = edits.arrange_parts(job_of(metal, *[box((w, d, 4)) for w, d in sizes])).job
    boxes = np.array([part.bounds()[:, :2] for part in job.parts])
    for one in range(count):
        for other in range(one):
            gap = np.maximum(boxes[one, 0] - boxes[other, 1], boxes[other, 0] - boxes[one, 1]).max()
            assert gap >= GAP_MM - 1e-9
    middle = (boxes[:, 0].min(axis=0) + boxes[:, 1].max(axis=0)) / 2
    assert middle == pytest.approx(job.machine.plate.middle)


def test_a_new_part_lands_beside_the_others_at_the_nearest_free_place(metal):
    job = job_of(metal, box((20, 20, 5)))
    for number in range(8):
        job = edits.add_bodies(job, [Body(f"more {number}", box((20, 20, 5)), 12)]).job
    boxes = np.array([part.bounds()[:, :2] for part in job.parts])
    assert np.abs(boxes - np.array(job.machine.plate.middle)).max() <= 35 + 1e-6  # three rows of three
    for one in range(9):
        for other in range(one):
            gap = np.maximum(boxes[one, 0] - boxes[other, 1], boxes[other, 0] - boxes[one, 1]).max()
            assert gap >= GAP_MM - 1e-9

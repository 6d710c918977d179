"""How far supports look: nothing runs into a part out of sight, and results follow parts that come or leave."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, to_manifold
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.support import HandBar, HandWork


def job_of(shop, *placed: tuple[Mesh, float, float, float]) -> Job:
    bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, (mesh, *_) in enumerate(placed, start=1)]
    job = edits.add_bodies(new_job(*shop), bodies).job
    poses = [Pose(x=x, y=y, build_offset=z) for _, x, y, z in placed]
    return replace(job, parts=tuple(replace(part, pose=pose) for part, pose in zip(job.parts, poses, strict=True)))


def with_support(job: Job, set_name: str, **values) -> Job:
    job = edits.add_support(job, "part-1", shipped_sets()[set_name]).job
    return edits.change_values(job, "support-1", values, "values").job


def key(job: Job):
    return Graph().key(STRUCTURE, job.supports[0], job)


def without(job: Job, part_id: str) -> Job:
    return edits.remove_parts(job, [part_id]).job


def common_mm3(job: Job, part_id: str) -> float:
    """What a support's solids and a part have in common, by manifold3d."""
    made, part = Pipeline().structure(job.supports[0], job), job.part(part_id)
    other = to_manifold(part.placed)
    return sum(float((to_manifold(body) ^ other).volume()) for body in made.bodies)


def far_flank(metal) -> Job:
    """A panel with a flank wall 45 mm off, and a block 40 mm away that stands where the wall would run."""
    panel, other = box((60, 2, 50)), box((20, 12, 50))
    job = job_of(metal, (panel, 130, 110, 0), (other, 130, 110 - 1 - 40 - 6, 0))
    return with_support(job, "wall-flank", standoff=45.0, along_length=60.0, along_start=0.0, wall_thickness=1.5)


def test_a_flank_wall_far_off_keeps_clear_of_a_part_there(metal):
    job = far_flank(metal)
    assert [part.id for part in Neighbours(job).of_support(job.supports[0])] == ["part-1", "part-2"]
    assert common_mm3(job, "part-2") == 0.0
    assert "support_through_part" not in {finding.code for finding in Pipeline().findings(job)}
    alone = without(job, "part-2")
    made = Pipeline().structure(alone.supports[0], alone)
    other = to_manifold(job.part("part-2").placed)
    assert sum(float((to_manifold(body) ^ other).volume()) for body in made.bodies) > 1.0  # it was in the way


def test_a_flank_wall_is_another_when_the_part_there_moves(metal):
    job = far_flank(metal)
    assert key(job) != key(without(job, "part-2"))
    moved = edits.move_part(job, "part-2", 130, 60).job
    assert key(job) != key(moved)
    far = edits.move_part(job, "part-2", 20, 20).job
    assert key(far) == key(without(job, "part-2"))


def far_block(metal) -> Job:
    """A block 60 mm beside its part, inside another."""
    job = job_of(metal, (box((10, 10, 5)), 100, 110, 4), (box((12, 12, 8)), 160, 110, 0))
    return with_support(job, "block-plain", place_x=60.0, place_y=0.0, size_x=8.0, size_y=20.0, size_z=6.0)


def test_a_block_far_off_is_trimmed_by_the_part_it_stands_in(metal):
    job = far_block(metal)
    made = Pipeline().structure(job.supports[0], job)
    assert made.trimmed_mm3 == pytest.approx(8 * 12 * 6)
    assert common_mm3(job, "part-2") == pytest.approx(0.0, abs=1e-6)
    assert key(job) != key(without(job, "part-2"))
    alone = without(job, "part-2")
    assert Pipeline().structure(alone.supports[0], alone).trimmed_mm3 == pytest.approx(0.0)


def test_bars_see_as_far_as_they_lean_and_as_they_were_led(metal):
    far = 22.0 + 5.0
    slab, post = box((10, 10, 5)), box((4, 4, 9))
    near = with_support(job_of(metal, (slab, 100, 110, 6), (post, 100 + 5 + 2 + far - 8, 110, 0)), "bars-metal")
    assert len(Neighbours(near).of_support(near.supports[0])) == 2
    off = with_support(job_of(metal, (slab, 100, 110, 6), (post, 100 + 5 + 2 + 60, 110, 0)), "bars-metal")
    assert len(Neighbours(off).of_support(off.supports[0])) == 1
    led = HandWork((HandBar((5.0, 5.0, 0.0), foot=(60.0, 0.0)),))
    assert len(Neighbours(off).of_support(replace(off.supports[0], hand=led))) == 2


def test_neighbours_of_neighbours_are_one_cluster_and_others_are_not(metal):
    cube = box((6, 6, 4))
    job = job_of(metal, (cube, 20, 20, 0), (cube, 24, 20, 0), (cube, 29, 20, 0), (cube, 200, 20, 0))
    near = Neighbours(job)
    assert [part.id for part in near.of_part(job.parts[0])] == ["part-1", "part-2"]
    assert [part.id for part in near.cluster_of(job.parts[0])] == ["part-1", "part-2", "part-3"]
    assert [part.id for part in near.cluster_of(job.parts[3])] == ["part-4"]


def test_a_tie_stops_at_another_part_between_wall_and_panel(metal):
    """The other part hangs between the wall and the panel over part of its height: no tie goes through it."""
    panel, between = box((60, 2, 60)), box((8, 2, 60))
    job = job_of(metal, (panel, 130, 110, 0), (between, 130, 110 - 1 - 6, 0))
    job = with_support(job, "wall-flank", standoff=12.0, along_length=60.0, along_start=0.0, ties_from=10.0)
    made = Pipeline().structure(job.supports[0], job)
    alone = Pipeline().structure(job.supports[0], without(job, "part-2"))
    assert 0 < made.ties < alone.ties
    assert common_mm3(job, "part-2") == pytest.approx(0.0, abs=1e-6)
    assert np.isfinite(made.volume_mm3)

"""Poses and arrangements as edits of a job."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import Cancelled, EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.planning import (
    FIGURES,
    figures_of,
    search_poses,
)
from lean_trellis.core.progress import CountingWatch
from lean_trellis.core.proposals import ArrangeWishes, arrangement, further_plates, pose_request, take_pose
from lean_trellis.core.sets import shipped_sets

UP = np.eye(3)[2]


def test_a_pose_that_was_found_is_taken_and_keeps_its_offset(metal):
    mesh = metal_parts.exhaust_elbow()
    job = edits.add_bodies(new_job(*metal), [Body("elbow", mesh, len(mesh.faces))]).job
    found = search_poses(pose_request(job, "part-1", keeps_range=False))
    up = found.ups[found.best[0]]
    part = take_pose(job, "part-1", up).job.part("part-1")
    np.testing.assert_allclose(part.pose.matrix @ up, UP, atol=1e-9)
    assert part.bounds()[0, 2] == pytest.approx(4)
    assert part.bounds()[1, 2] == pytest.approx(found.figures[found.best[0], 2], rel=1e-4)


def apart(job):
    one, other = (job.part(part_id).pose for part_id in ("part-1", "part-2"))
    return np.hypot(one.x - other.x, one.y - other.y)


def test_a_job_is_arranged_with_its_groups_stacks_locks_and_offsets(metal):
    meshes = [box((30, 20, 5)), ball(8), cylinder(5, 30), box((12, 12, 12))]
    job = edits.add_bodies(new_job(*metal), [Body(f"p{n}", m, len(m.faces)) for n, m in enumerate(meshes)]).job
    job = edits.set_build_offset(job, ["part-2"], 7).job
    job = edits.stack_part(edits.group_parts(job, ["part-1", "part-2"]).job, "part-4", 3, 5).job
    job = edits.flag_parts(edits.move_part(job, "part-3", 30, 30).job, ["part-3"], is_locked=True).job
    before = {part.id: part.pose.build_offset for part in job.parts}
    found = arrangement(job, ArrangeWishes(clearance=4), Pipeline())
    after = found.edit.job
    assert not found.left_over
    assert {part.id: part.pose.build_offset for part in after.parts} == pytest.approx(before)
    assert after.part("part-3").pose == job.part("part-3").pose
    assert apart(after) == pytest.approx(apart(job))
    assert len({(round(after.part(i).pose.x, 6), round(after.part(i).pose.y, 6)) for i in after.stacks[0].parts}) == 1
    assert not {"parts_overlap", "outside_volume", "keep_out"} & {f.code for f in Pipeline().findings(after)}
    locked = edits.flag_parts(job, [part.id for part in job.parts], is_locked=True).job
    with pytest.raises(EditError, match="no part is free"):
        arrangement(locked, ArrangeWishes(), Pipeline())


def test_arranging_can_be_cancelled(metal):
    job = edits.add_bodies(new_job(*metal), [Body("a", ball(5), 1), Body("b", ball(5), 1)]).job
    with pytest.raises(Cancelled):
        arrangement(job, ArrangeWishes(), Pipeline(), CountingWatch(cancel_after=2))


def test_a_further_plate_takes_supports_and_stacks_with_its_parts(metal, library):
    bodies = [Body(name, box((150, 120, 5)), 12) for name in "ab"]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.add_support(job, "part-2", shipped_sets()["bars-metal"]).job
    job = edits.stack_part(job, "part-2", 2, 3, "layers", Separator(library.material("petg"))).job
    (plate,) = further_plates(job, ("part-2",), ArrangeWishes(), Pipeline())
    assert [part.name for part in plate.parts] == ["b", "b (2)"]
    assert (len(plate.supports), len(plate.stacks)) == (1, 1)
    assert plate.name == "Untitled, plate 2"


def test_further_plates_keep_groups_together_and_refuse_what_no_plate_holds(metal):
    bodies = [Body(f"p{n}", box((120, 100, 4)), 12) for n in range(5)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.move_part(job, "part-4", 130, 60).job
    job = edits.group_parts(edits.move_part(job, "part-5", 130, 162).job, ["part-4", "part-5"]).job
    pipeline, wishes = Pipeline(), ArrangeWishes(step_deg=90)
    first = arrangement(job, wishes, pipeline)
    plates = further_plates(first.edit.job, first.left_over, wishes, pipeline)
    on = [{part.id for part in plate.parts} for plate in plates]
    assert all({"part-4", "part-5"} <= ids or not {"part-4", "part-5"} & ids for ids in on)
    gone = {part_id for key in first.left_over for part_id in job.companions(key)}
    assert set().union(*on) == gone
    assert all(plate.machine == job.machine for plate in plates)
    large = edits.add_bodies(new_job(*metal), [Body("beam", box((300, 250, 4)), 12)]).job
    with pytest.raises(EditError, match="beam do not fit on an empty plate"):
        further_plates(large, ("part-1",), wishes, pipeline)


def test_the_pose_search_knows_what_is_protected(metal):
    mesh = box((24, 18, 5))
    job = edits.protect_faces(job_of(metal, mesh, offset=8), "part-1", np.flatnonzero(mesh.normals[:, 2] < -0.5), 1).job
    request = pose_request(job, "part-1", keeps_range=False)
    now, over = figures_of(request, np.array([[0.0, 0, 1], [0, 0, -1]]))[:, list(FIGURES).index("protected_area")]
    assert (now, over) == pytest.approx((432, 0))

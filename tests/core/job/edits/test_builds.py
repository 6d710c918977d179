"""Parts between builds."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from full_job import full_job
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def job(metal):
    job = job_of(metal, box((10, 10, 5)), box((8, 8, 5)))
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return edits.waive(job, [Waiver("warp", "part-1", "A. Rowan", "cut off")]).job


def test_parts_taken_out_keep_pose_supports_and_waivers(job):
    out = edits.taken_out(job, ["part-1"], "next")
    assert (out.name, [part.id for part in out.parts]) == ("next", ["part-1"])
    assert out.parts[0].pose == job.parts[0].pose
    assert out.supports == job.supports
    assert out.waivers == job.waivers
    assert edits.taken_out(job, ["part-2"], "next").waivers == ()
    with pytest.raises(EditError, match="no part is selected"):
        edits.taken_out(job, [], "next")


def test_two_builds_made_one_hold_everything_under_ids_of_its_own(job):
    merged = edits.merge_builds(job, job).job
    assert [part.name for part in merged.parts] == ["part 1", "part 2", "part 1 (2)", "part 2 (2)"]
    assert len({part.id for part in merged.parts}) == 4
    assert [one.part_id for one in merged.supports] == ["part-1", merged.parts[2].id]
    assert len({one.id for one in merged.supports}) == 2
    assert [one.part_id for one in merged.waivers] == ["part-1", merged.parts[2].id]


def test_stacks_groups_and_shared_supports_come_along():
    full = full_job()
    merged = edits.merge_builds(full, full).job
    count = len(full.parts)
    new = {old.id: one.id for old, one in zip(full.parts, merged.parts[count:], strict=True)}
    assert [stack.parts for stack in merged.stacks[2:]] == [tuple(new[one] for one in s.parts) for s in full.stacks]
    assert merged.supports[-1].others == (new["part-2"],)
    assert merged.parts[count].group == "full: pair"


@pytest.mark.parametrize(("change", "words"), [
    (lambda job: edits.set_layer_height(job, 0.06).job, "layers are 0.06 mm high, here 0.04 mm"),
    (lambda job: edits.choose_mode(job, "fine").job, "mode is fine, here it is usual"),
    (lambda job: edits.set_support_every(job, 2).job, "first layer or support layers are others"),
])  # fmt: skip
def test_what_does_not_go_together_is_named(job, change, words):
    with pytest.raises(EditError, match=words):
        edits.merge_builds(job, change(job))


def test_lots_and_materials_and_machines_that_differ(job, library):
    one, other = edits.set_lot(job, "L-1").job, edits.set_lot(job, "L-2").job
    assert edits.merge_conflicts(one, other) == ["its lot is L-2, here it is L-1"]
    assert edits.merge_conflicts(one, job) == []
    titanium = edits.choose_machine(job, job.machine, library.material("titanium-64")).job
    assert any("Titanium" in words for words in edits.merge_conflicts(job, titanium))
    vat = edits.choose_machine(job, library.machine("vat-150"), library.material("resin-model")).job
    assert edits.merge_conflicts(job, vat) == ["it is for Vat 150, this build for Metal 260"]

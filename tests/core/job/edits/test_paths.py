"""Edits of how parts are laid."""

from __future__ import annotations

import pytest
from layered_builds import layers_of, small_job

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.parts.path_values import PathValues


def test_own_values_go_with_the_part_and_come_back_with_undo_of_the_job(library):
    job = small_job(library, "extrusion")
    own = (PathValues(loops=5),)
    changed = edits.set_path_values(job, "part-1", own).job
    assert changed.part("part-1").path_values == own
    assert not edits.set_path_values(changed, "part-1", ()).job.part("part-1").path_values
    with pytest.raises(EditError, match="loops"):
        edits.set_path_values(job, "part-1", [PathValues(loops=99)])


def test_paths_of_a_part_follow_its_own_values_wherever_it_is_moved(library):
    job = small_job(library, "extrusion")
    plain = layers_of(job)[1]
    job = edits.set_path_values(job, "part-1", [PathValues(high=1.0, loops=0, fill_share=1.0)]).job
    job = edits.set_build_offset(job, ["part-1"], 5.0).job
    moved = edits.move_part(job, "part-1", job.part("part-1").pose.x + 7, job.part("part-1").pose.y).job
    build = layers_of(moved)[1]
    first = int(build.bodies[0].numbers[0])
    assert set(build.paths(0, first).kinds.tolist()) == {Kind.FILL}
    assert Kind.OUTLINE in build.paths(0, first + 8).kinds
    other = next(number for number, body in enumerate(build.bodies) if body.name == "pin")
    assert Kind.OUTLINE in build.paths(other, 2).kinds
    assert Kind.OUTLINE in plain.paths(0, int(plain.bodies[0].numbers[0])).kinds


def test_a_block_is_filled_by_its_density(library):
    from lean_trellis.core.sets import shipped_sets

    job = small_job(library, "extrusion")
    job = edits.remove_supports(job, [one.id for one in job.supports]).job
    block = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    thin = edits.change_support(block, block.supports[0].id, "density", 0.25).job
    masses = [layers_of(one)[0].material_grams for one in (job, block, thin)]
    assert masses[0] < masses[2] < masses[1]
    assert (masses[2] - masses[0]) / (masses[1] - masses[0]) < 0.6, "loops stay, the inside is a quarter full"


def test_the_tower_is_moved_and_stays_on_the_plate(library):
    job = small_job(library, "extrusion")
    tower = job.machine.purge_tower
    moved = edits.move_purge_tower(job, 30.0, 40.0).job
    assert (moved.machine.purge_tower.x, moved.machine.purge_tower.y) == (30.0, 40.0)
    far = edits.move_purge_tower(job, 1e5, -4.0).job.machine.purge_tower
    assert (far.x, far.y) == (job.machine.plate.width - tower.width, 0.0)
    purge = list(layers_of(moved)[1].assembly.purge.values())
    assert purge
    assert all(30.0 <= path.ways.points[:, 0].min() <= path.ways.points[:, 0].max() <= 30 + tower.width + 1e-6
               for path in purge)  # fmt: skip
    with pytest.raises(EditError, match="no purge tower"):
        edits.move_purge_tower(small_job(library, "vat"), 1.0, 1.0)
    with pytest.raises(EditError, match="no number"):
        edits.move_purge_tower(job, float("nan"), 1.0)

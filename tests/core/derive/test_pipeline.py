"""What follows from what: derived once, kept by its inputs, made anew only where they changed."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.demo import metal_build
from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import PART_LAYERS, SUPPORT_LAYERS
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.parts import ISLANDS, OVERHANGS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.size import size_of
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job import Job, edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts.arrange import GAP_MM
from lean_trellis.core.progress import CountingWatch, Stretch
from lean_trellis.core.release import ExportRequest, export_build
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick
from lean_trellis.core.supports.common.targets import pick_region, resolve_target


def overhangs_key(part, job):
    return Graph().key(OVERHANGS, part, job)


def islands_key(part, job):
    return Graph().key(ISLANDS, part, job)


def structure_key(support, job):
    return Graph().key(STRUCTURE, support, job)


def findings_key(job):
    return Graph().key(FINDINGS, None, job)


def obstacle_parts(support, job):
    return Neighbours(job).of_support(support)


def filled(metal, *meshes) -> Job:
    bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, mesh in enumerate(meshes, start=1)]
    return edits.add_bodies(new_job(*metal), bodies).job


@pytest.fixture
def pair(metal) -> Job:
    job = filled(metal, box((20, 10, 5)), ball(6, subdivisions=2))
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return edits.move_part(job, "part-2", 40, 40).job


def test_asking_twice_gives_the_same_object(pair):
    pipeline = Pipeline()
    part, support = pair.parts[0], pair.supports[0]
    assert pipeline.topology(part.mesh) is pipeline.topology(part.mesh)
    assert pipeline.overhangs(part, pair) is pipeline.overhangs(part, pair)
    assert pipeline.islands(part, pair) is pipeline.islands(part, pair)
    assert pipeline.bars(support, pair) is pipeline.bars(support, pair)
    assert pipeline.findings(pair) is pipeline.findings(pair)


def test_a_name_or_an_owner_changes_nothing_that_is_derived_from_the_shape(pair):
    renamed = edits.describe_part(pair, "part-1", name="Keel").job
    owned = edits.describe_part(renamed, "part-1", owner="Otterbank Survey").job
    one, other = pair.parts[0], owned.parts[0]
    assert overhangs_key(one, pair) == overhangs_key(other, owned)
    assert structure_key(pair.supports[0], pair) == structure_key(owned.supports[0], owned)
    assert findings_key(pair) != findings_key(renamed)  # findings name the part


@pytest.mark.parametrize(
    ("change", "regions", "islands", "bars"),
    [
        (lambda job: edits.turn_part(job, "part-1", "x", 10).job, True, True, True),
        (lambda job: edits.set_build_offset(job, ["part-1"], 9).job, True, True, True),
        (lambda job: edits.set_angles(job, ["part-1"], 30, None).job, True, False, True),
        (lambda job: edits.set_layer_height(job, 0.06).job, False, True, True),
        (lambda job: edits.change_support(job, "support-1", "spacing", 4.0).job, False, False, True),
        (lambda job: edits.change_support(job, "support-2", "spacing", 4.0).job, False, False, False),
        (lambda job: edits.turn_part(job, "part-2", "x", 10).job, False, False, False),
    ],
)
def test_each_result_is_made_anew_where_its_inputs_changed_and_only_there(pair, change, regions, islands, bars):
    changed = change(pair)
    one, other = pair.part("part-1"), changed.part("part-1")
    assert (overhangs_key(one, pair) != overhangs_key(other, changed)) is regions
    assert (islands_key(one, pair) != islands_key(other, changed)) is islands
    assert (
        structure_key(pair.support("support-1"), pair) != structure_key(changed.support("support-1"), changed)
    ) is bars
    if changed != pair:
        assert findings_key(pair) != findings_key(changed)


def test_a_part_that_comes_near_is_an_obstacle_and_a_far_one_is_not(pair):
    assert [part.id for part in obstacle_parts(pair.supports[0], pair)] == ["part-1"]
    pose = pair.parts[0].pose
    near = edits.move_part(pair, "part-2", pose.x + 15, pose.y).job
    assert {part.id for part in obstacle_parts(near.supports[0], near)} == {"part-1", "part-2"}
    assert structure_key(near.supports[0], near) != structure_key(pair.supports[0], pair)


def test_only_so_many_bytes_are_kept_and_the_latest_stay(pair):
    room = 3 * size_of(Pipeline().topology(ball(5, subdivisions=3)))
    pipeline = Pipeline(most_bytes=room)
    first = pipeline.topology(ball(5, subdivisions=3))
    for size in range(1, 6):
        last = pipeline.topology(ball(5 + size, subdivisions=3))
        assert pipeline.graph.bytes_kept <= room
    assert pipeline.topology(ball(10, subdivisions=3)) is last
    assert pipeline.topology(ball(5, subdivisions=3)) is not first


def test_every_step_can_be_cancelled_and_the_next_try_succeeds(pair):
    pipeline = Pipeline()
    for after in range(0, 30, 3):
        try:
            pipeline.findings(pair, CountingWatch(cancel_after=after))
        except Cancelled:
            continue
        break
    else:
        pytest.fail("never came to an end")
    assert after > 0
    assert pipeline.findings(pair) == Pipeline().findings(pair)


def test_progress_never_runs_backwards(pair):
    watch = CountingWatch()
    Pipeline().state(pair, watch)
    shares = [share for share, _ in watch.reports]
    assert shares == sorted(shares)
    assert 0 <= shares[0] <= shares[-1] <= 1
    Stretch(watch, 0.5, 1.0).at(0.5, "half of the second half")
    assert watch.reports[-1] == (0.75, "half of the second half")


def test_a_target_of_everything_means_every_region(pair):
    found = Pipeline().overhangs(pair.parts[1], pair)
    assert resolve_target(None, pair.parts[1], found) == tuple(range(len(found.regions)))


def test_a_selected_region_is_found_again_on_the_turned_and_moved_part(metal, table):
    job, pipeline = filled(metal, table), Pipeline()
    found = pipeline.overhangs(job.parts[0], job)
    for region in found.regions:
        pick = pick_region(region, job.parts[0])
        moved = edits.move_part(edits.turn_part(job, "part-1", "z", 77).job, "part-1", 60, 70).job
        again = pipeline.overhangs(moved.parts[0], moved)
        (number,) = resolve_target((pick,), moved.parts[0], again)
        assert again.regions[number].area_mm2 == pytest.approx(region.area_mm2)
        assert again.regions[number].kind == region.kind


def test_a_region_that_is_no_longer_there_is_not_replaced_by_another(metal):
    job, pipeline = filled(metal, box((20, 20, 5))), Pipeline()
    pick = pick_region(pipeline.overhangs(job.parts[0], job).regions[0], job.parts[0])
    over = edits.turn_part(job, "part-1", "x", 180).job
    assert resolve_target((pick,), over.parts[0], pipeline.overhangs(over.parts[0], over)) == ()
    stranger = RegionPick("point", (0.0, 0.0, 0.0))
    assert resolve_target((stranger,), job.parts[0], pipeline.overhangs(job.parts[0], job)) == ()
    support = edits.add_support(over, "part-1", shipped_sets()["bars-metal"], (pick,)).job.supports[0]
    with_it = edits.add_support(over, "part-1", shipped_sets()["bars-metal"], (pick,)).job
    assert len(pipeline.bars(support, with_it)) == 0


@pytest.mark.parametrize("count", [1, 2, 5, 12])
def test_parts_are_arranged_apart_round_the_middle(metal, count):
    sizes = np.random.default_rng(count).uniform(5, 30, (count, 2))
    job = edits.arrange_parts(filled(metal, *[box((w, d, 4)) for w, d in sizes])).job
    boxes = np.array([part.bounds()[:, :2] for part in job.parts])
    for one in range(count):
        for other in range(one):
            gap = np.maximum(boxes[one, 0] - boxes[other, 1], boxes[other, 0] - boxes[one, 1]).max()
            assert gap >= GAP_MM - 1e-9
    middle = (boxes[:, 0].min(axis=0) + boxes[:, 1].max(axis=0)) / 2
    assert middle == pytest.approx(job.machine.plate.middle)


def test_a_new_part_lands_beside_the_others_at_the_nearest_free_place(metal):
    job = filled(metal, box((20, 20, 5)))
    for number in range(8):
        job = edits.add_bodies(job, [Body(f"more {number}", box((20, 20, 5)), 12)]).job
    boxes = np.array([part.bounds()[:, :2] for part in job.parts])
    assert np.abs(boxes - np.array(job.machine.plate.middle)).max() <= 35 + 1e-6  # three rows of three
    for one in range(9):
        for other in range(one):
            gap = np.maximum(boxes[one, 0] - boxes[other, 1], boxes[other, 0] - boxes[one, 1]).max()
            assert gap >= GAP_MM - 1e-9


def test_the_demo_is_shared_by_two_owners_and_leaves_something_to_do(library):
    job = metal_build(library)
    assert {part.owner for part in job.parts} == {"Otterbank Survey", "Tern Street Organs"}
    findings = Pipeline().findings(job)
    bare = {part.name for part in job.parts if not job.supports_of(part.id)}
    assert {finding.part for finding in findings if finding.code == "in_the_air"} == bare


def test_layers_are_kept_by_part_and_support_and_only_what_changed_is_cut_again(metal):
    job = new_job(*metal)
    job = edits.add_bodies(job, [Body("a", box((10, 10, 4)), 12), Body("b", box((6, 6, 4)), 12)]).job
    job = edits.move_part(edits.move_part(job, "part-1", 60.0, 60.0).job, "part-2", 200.0, 180.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    pipeline = Pipeline()
    graph = pipeline.graph

    def cut(some):
        graph.made.clear()
        parts = [graph.get(PART_LAYERS, part, some) for part in some.parts]
        supports = [graph.get(SUPPORT_LAYERS, support, some) for support in some.supports]
        return parts, supports, [name for name, _ in graph.made if name.endswith("layers")]

    parts, supports, made = cut(job)
    assert made == ["part layers", "part layers", "support layers"]
    low, high = job.parts[0].bounds()[:, 2]
    assert parts[0].heights == pytest.approx(np.arange(np.ceil(low / 0.04 - 0.5), high / 0.04 - 0.5) * 0.04 + 0.02)
    assert parts[0].areas_mm2 == pytest.approx(100.0)
    assert supports[0].heights.min() < 0.04
    volume = supports[0].areas_mm2.sum() * job.layer_height
    assert volume == pytest.approx(pipeline.bars(job.supports[0], job).volume_mm3, rel=0.1)
    assert cut(edits.move_part(job, "part-2", 210.0, 180.0).job)[2] == ["part layers"]
    thicker = edits.change_support(job, "support-1", "shaft_diameter", 1.4).job
    assert cut(thicker)[2] == ["support layers"]
    assert len(cut(edits.set_layer_height(job, 0.03).job)[2]) == 3


@pytest.mark.parametrize("name", ["bars-metal-braced", "lattice-metal", "wall-flank", "raft-follow", "cradle-posts"])
def test_the_volume_told_is_that_of_a_merged_export(metal, name, tmp_path):
    job = edits.add_bodies(new_job(*metal), [Body("a", box((24, 16, 5)), 12)]).job
    job = edits.set_angles(edits.add_support(job, "part-1", shipped_sets()[name]).job, ["part-1"], 45.0, 50.0).job
    pipeline, (support,) = Pipeline(), job.supports
    told, made = pipeline.built_volume(support, job), pipeline.structure(support, job)
    path = tmp_path / "supports.stl"
    export_build(pipeline.state(job), ExportRequest(path, what="supports"))
    (body,) = read_bodies(path)
    if name == "lattice-metal":
        width = float(made.built_thickness)
        assert told == pytest.approx(body.mesh.area * width, rel=0.01), "sheets: area times the width of a scan line"
    else:
        assert told == pytest.approx(body.mesh.volume, rel=1e-4)
    assert told <= made.volume_mm3 + 1e-6
    if name == "bars-metal-braced":
        assert told < 0.95 * made.volume_mm3, "its braces run into its bars"

"""What follows from what: derived once, kept by its inputs, made anew only where they changed."""

from __future__ import annotations

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE, SUPPORT_SECONDS, SUPPORT_WORK
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.parts import ISLANDS, OVERHANGS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.size import size_of
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.progress import CountingWatch, Stretch


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
    for after in range(0, 400, 5):
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


@pytest.mark.parametrize(
    ("machine", "material", "chosen"),
    [("metal-260", "steel-316l", "bars-metal"), ("vat-200", "resin-model", "bars-resin-regular"),
     ("filament-320", "petg", "bars-extrusion")],
)  # fmt: skip
def test_how_much_longer_a_change_takes_is_as_whole_estimates_say(library, machine, material, chosen):
    shop = library.machine(machine), library.material(material)
    job = supported(job_of(shop, box((24, 16, 6)), offset=9.0), chosen)
    closer = edits.change_support(job, "support-1", "spacing", 4.2).job
    higher = edits.set_build_offset(job, ["part-1"], 14.0).job
    pipeline = Pipeline()

    def whole(one):
        return pipeline.graph.get(ESTIMATE, None, one).build_seconds

    def quick(one, **how):
        return pipeline.seconds(["part-1"], one, **how)

    for changed in (closer, higher):
        truth = whole(changed) - whole(job)
        assert quick(changed) - quick(job) == pytest.approx(truth, rel=0.25, abs=1.0)
        longer = quick(changed, with_parts=["part-1"]) - quick(job, with_parts=["part-1"])
        assert longer == pytest.approx(truth, rel=0.25, abs=1.0)
    assert whole(higher) > whole(job) + 60
    layers = quick(closer, within=())
    assert quick(closer, within=("support-1",)) == quick(closer)
    assert layers == pipeline.seconds([], closer), "the layers alone"
    assert layers <= quick(closer)


def test_seconds_of_sampled_layers_are_those_of_all_within_a_percent(library):
    shop = library.machine("metal-260"), library.material("steel-316l")
    job = supported(job_of(shop, box((24, 16, 6)), offset=21.0), "bars-metal")
    job = edits.set_layer_height(job, 0.03).job
    graph, support = Pipeline().graph, job.supports[0]
    everything = graph.get(SUPPORT_WORK, support, job)
    assert len(everything.seconds) > 600
    assert graph.get(SUPPORT_SECONDS, support, job) == pytest.approx(float(everything.seconds.sum()), rel=0.01)

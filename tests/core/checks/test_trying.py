"""What cures would bring: measured again on supports made anew."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported, the_finding

from lean_trellis.core.checks.changes import MoveMissed, SetValue, SupportRegions, TurnBy, cure_of_all
from lean_trellis.core.checks.finding import Cure
from lean_trellis.core.checks.trying import tried_cures
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import Cancelled
from lean_trellis.core.job.edits import turn_part
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.durations import more_in_words
from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.supports.common.targets import pick_region


def with_constants(job: Job, **values: float) -> Job:
    constants = job.material.constants | {
        key: Constant(value=value, unit="MPa", source="coupon") for key, value in values.items()
    }
    return replace(job, material=job.material.model_copy(update={"constants": constants, "processes": ()}))


@pytest.fixture(scope="module")
def weak(library) -> Job:
    shop = library.machine("vat-200"), library.material("resin-model")
    job = supported(job_of(shop, box((24, 16, 6)), offset=6.0), "bars-resin-regular")
    used = Pipeline().figures("part-1", job)["support-1"].used.max()
    return with_constants(job, strength=job.material.constants["strength"].value * used / 1.6, plate_bond=20.0)


def used_of(job: Job) -> float:
    return float(Pipeline().figures("part-1", job)["support-1"].used.max())


def test_each_cure_says_what_it_brings_and_brings_it(weak):
    finding = the_finding(weak, "held_too_little")
    cures = tried_cures(finding, weak, Pipeline())
    changes = [cure for cure in cures if cure.change is not None]
    assert any(isinstance(cure.change, SetValue) and cure.change.key == "spacing" for cure in changes)
    for cure in changes:
        healed = cure.change.edit(weak, Pipeline()).job
        said = float(cure.words.partition(": ")[2].split()[0])
        assert said == pytest.approx(used_of(healed), abs=0.006), cure.words
        assert said < finding.value
        more = len(Pipeline().bars(healed.supports[0], healed)) - len(Pipeline().bars(weak.supports[0], weak))
        assert (f"{more:+,d} contacts" if more else "contacts as before") in cure.words


def test_each_cure_says_how_much_longer_the_build_takes(weak):
    pipeline = Pipeline()
    cures = tried_cures(the_finding(weak, "held_too_little"), weak, pipeline)
    now = pipeline.graph.get(ESTIMATE, None, weak).build_seconds
    for cure in cures:
        if cure.change is not None:
            then = pipeline.graph.get(ESTIMATE, None, cure.change.edit(weak, pipeline).job).build_seconds
            assert cure.words.endswith(f", {more_in_words(then - now)}")  # of a vat: its layers
    assert sum(cure.words.endswith(", time as before") for cure in cures) >= 2
    turned = pipeline.seconds(["part-1"], TurnBy("part-1", "x", 30).edit(weak, pipeline).job, with_parts=["part-1"])
    assert turned > pipeline.seconds(["part-1"], weak, with_parts=["part-1"]) + 60


def test_values_are_moved_on_until_they_are_enough(weak):
    cures = tried_cures(the_finding(weak, "held_too_little"), weak, Pipeline())
    closer = [cure for cure in cures if isinstance(cure.change, SetValue)]
    assert closer
    assert min(used_of(cure.change.edit(weak, Pipeline()).job) for cure in closer) <= 0.8


def test_another_pose_is_tried_where_supports_follow_it(weak):
    cures = tried_cures(the_finding(weak, "held_too_little"), weak, Pipeline())
    turned = [cure for cure in cures if isinstance(cure.change, TurnBy)]
    assert len(turned) <= 1
    for cure in turned:
        assert used_of(cure.change.edit(weak, Pipeline()).job) < used_of(weak)


@pytest.fixture(scope="module")
def leaning(library) -> Job:
    """A disc that leans far on supports of a resin that is too weak for them; none is made for chosen regions."""
    shop = library.machine("vat-200"), library.material("resin-model")
    job = supported(turn_part(job_of(shop, cylinder(15, 3), offset=6.0), "part-1", "y", 60.0).job, "bars-resin-regular")
    return with_constants(job, strength=job.material.constants["strength"].value * used_of(job) / 1.6, plate_bond=20.0)


def test_another_pose_is_offered_where_it_helps_and_not_where_supports_are_for_chosen_regions(leaning):
    finding = the_finding(leaning, "held_too_little")
    (turned,) = [one for one in tried_cures(finding, leaning, Pipeline()) if isinstance(one.change, TurnBy)]
    helped = turned.change.edit(leaning, Pipeline()).job
    assert used_of(helped) < 0.9 * finding.value
    assert f"{used_of(helped):.2f} x" in turned.words
    part, (support,) = leaning.parts[0], leaning.supports
    regions = Pipeline().overhangs(part, leaning).regions
    chosen = replace(leaning, supports=(replace(support, target=tuple(pick_region(one, part) for one in regions)),))
    assert used_of(chosen) == pytest.approx(used_of(leaning))
    cures = tried_cures(the_finding(chosen, "held_too_little"), chosen, Pipeline())
    assert cures
    assert not any(isinstance(one.change, TurnBy) for one in cures)


def test_of_other_findings_it_is_said_what_a_cure_changes(metal):
    bare, pipeline = job_of(metal, box((20, 20, 5))), Pipeline()
    finding = the_finding(bare, "region_not_held")
    (cure,) = [one for one in tried_cures(finding, bare, pipeline) if isinstance(one.change, SupportRegions)]
    assert cure.words.startswith(finding.cures[0].words)
    healed = cure.change.edit(bare, pipeline).job
    support = healed.supports[0]
    count, volume = len(pipeline.bars(support, healed)), pipeline.built_volume(support, healed) / 1000
    used = pipeline.figures("part-1", healed)[support.id].used.max()
    assert f": +{count} elements, {volume:+.2f} cm³, utilisation {used:.2f}, " in cure.words
    assert cure.words.endswith("longer")


def test_a_cure_that_cannot_be_done_says_why(metal):
    bare = job_of(metal, box((20, 20, 5)))
    finding = the_finding(bare, "region_not_held")
    hopeless = replace(finding, cures=(Cure("Move it", MoveMissed("support-9", 1)),))
    (cure,) = tried_cures(hopeless, bare, Pipeline())
    assert cure.words == "Move it: no support of that name"
    assert cure.change == MoveMissed("support-9", 1)


def test_one_cure_for_all_is_offered_before_and_after_it_was_tried(metal):
    two = job_of(metal, from_manifold(to_manifold(box((8, 8, 5))) + to_manifold(box((8, 8, 5), corner=(20, 0, 3)))))
    found = [one for one in Pipeline().findings(two) if one.code == "region_not_held"]
    assert len(found) == 2
    tried = next(one for one in tried_cures(found[0], two, Pipeline()) if isinstance(one.change, SupportRegions))
    assert tried.words != found[0].cures[0].words
    before, after = (cure_of_all(one, found[0], found) for one in (found[0].cures[0], tried))
    assert before is not None
    assert before == after


def test_trying_can_be_cancelled(weak):
    class Stopped:
        def at(self, share: float, words: str) -> None:
            raise Cancelled

    with pytest.raises(Cancelled):
        tried_cures(the_finding(weak, "held_too_little"), weak, Pipeline(), Stopped())

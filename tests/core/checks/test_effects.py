"""What a change brings: which parts it concerns, sums before and after, words."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.checks.effects import MOST_PARTS, SupportSums, brought, concerned, in_words, sums_of
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box


@pytest.fixture(scope="module")
def pair(metal):
    job = job_of(metal, box((9, 7, 3)), box((9, 7, 3)), offset=4.0)
    job = edits.move_part(job, "part-2", 60.0, 60.0).job
    return supported(job, "bars-metal")


def test_a_change_concerns_the_parts_that_differ_and_those_whose_supports_do(pair):
    assert concerned(pair, pair) == ()
    assert concerned(pair, edits.move_part(pair, "part-2", 70.0, 60.0).job) == ("part-2",)
    assert concerned(pair, edits.change_support(pair, "support-1", "spacing", 1.2).job) == ("part-1",)
    assert concerned(pair, edits.set_layer_height(pair, 0.06).job) == ("part-1", "part-2")


def test_what_it_brings_is_the_difference_of_sums_that_are_made_anew(pair):
    pipeline = Pipeline()
    closer = edits.change_support(pair, "support-1", "spacing", 1.2).job
    now, then = (sums_of(job, ["support-1"], pipeline) for job in (pair, closer))
    bars = [pipeline.bars(job.support("support-1"), job) for job in (pair, closer)]
    assert [now.count, then.count] == [len(one) for one in bars]
    assert then.contact == pytest.approx(bars[1].contact_area_mm2)
    assert then.volume > now.volume
    assert then.seconds > now.seconds
    words = brought(pair, closer, pipeline)
    assert words.startswith(f"+{then.count - now.count} elements, {(then.volume - now.volume) / 1000:+.2f} cm³")
    assert f"utilisation {now.used:.2f} to {then.used:.2f}" in words
    assert brought(pair, edits.move_part(pair, "part-2", 70.0, 60.0).job, pipeline) == (
        "supports as before, time as before"
    )


def test_a_part_that_is_turned_counts_with_its_own_time(pair):
    pipeline = Pipeline()
    layers, then = (sums_of(pair, [], pipeline, with_parts=parts) for parts in ((), ("part-2",)))
    assert (layers.count, then.count) == (0, 0)
    assert then.seconds > layers.seconds
    assert "longer" in brought(pair, edits.turn_part(pair, "part-2", "x", 90.0).job, pipeline)


def test_of_supports_that_are_counted_only_those_that_are_timed_take_time(pair):
    pipeline, both = Pipeline(), ["support-1", "support-2"]
    alone, timed, every = (
        sums_of(pair, ids, pipeline, timed=those) for ids, those in ((both[:1], None), (both, both[:1]), (both, None))
    )
    none = sums_of(pair, both, pipeline, timed=())
    assert timed.count == every.count == none.count > alone.count
    assert every.seconds > timed.seconds > none.seconds


def test_what_concerns_no_part_or_many_is_not_worked_out(pair, metal):
    pipeline = Pipeline()
    assert brought(pair, pair, pipeline) == ""
    many = job_of(metal, *(box((3, 3, 3)) for _ in range(MOST_PARTS + 1)))
    assert brought(many, edits.set_layer_height(many, 0.06).job, pipeline) == ""
    assert brought(pair, edits.remove_parts(pair, ("part-2",)).job, pipeline) == ""


def test_words_say_one_element_and_leave_out_what_is_the_same():
    one = SupportSums(3, 100.0, 1.0, 0.0, 0.0)
    assert in_words(one, replace(one, count=4)) == "+1 element, time as before"
    assert in_words(replace(one, count=0, volume=0.0), replace(one, used=0.4, seconds=30.0)) == (
        "+3 elements, +0.10 cm³, utilisation 0.40, 30 s longer"
    )

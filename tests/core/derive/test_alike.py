"""What follows from a result that is made anew and holds what it held before is not made again."""

from __future__ import annotations

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.checks import Finding
from lean_trellis.core.derive.alike import Alike
from lean_trellis.core.derive.key import Key
from lean_trellis.core.derive.node import Node
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box

WORDS = Node("words of a test", "job", lambda reader: "", content=lambda made: made.encode())


def test_keys_follow_the_first_of_what_is_alike():
    alike = Alike()
    one, two, three = (Key("words of a test", (number,)) for number in range(3))
    alike.note(WORDS, one, "same")
    assert alike.is_empty
    alike.note(WORDS, two, "same")
    alike.note(WORDS, three, "another")
    assert alike.first_of(two) == one
    assert alike.first_of(three) is three
    deep = Key("c", (4, Key("b", (two, three)), two))
    assert alike.first_of(deep) == Key("c", (4, Key("b", (one, three)), one))
    assert alike.first_of(Key("b", (three,))) == Key("b", (three,))
    alike.clear()
    assert alike.first_of(two) is two


@pytest.fixture
def two(metal):
    """Two slabs on bars, 6 mm between them: each is within the reach of the other's supports."""
    job = supported(job_of(metal, box((20, 20, 5)), box((20, 20, 5)), offset=6.0))
    job = edits.move_part(job, "part-1", 60, 60).job
    return edits.move_part(job, "part-2", 86, 60).job


def made_since(pipeline: Pipeline, begin: int) -> set[tuple[str, str]]:
    return {(name, getattr(subject, "id", "")) for name, subject in pipeline.graph.made[begin:]}


def findings(job) -> tuple[Finding, ...]:
    return Pipeline(is_guarded=True).findings(job)


def test_a_neighbour_whose_supports_stay_as_they_were_is_not_reckoned_with_again(two):
    pipeline = Pipeline()
    pipeline.findings(two)
    moved = edits.move_part(two, "part-2", 87, 60).job
    begin = len(pipeline.graph.made)
    assert pipeline.findings(moved) == findings(moved)
    made = made_since(pipeline, begin)
    assert {("structure", "support-1"), ("statics", "part-2"), ("check: holding", "part-2")} <= made
    assert not made & {("statics", "part-1"), ("check: holding", "part-1"), ("contacts that carry", "support-1")}
    assert ("check: distance between parts", "part-1") in made, "that looks at the neighbour itself"


def test_a_neighbour_whose_supports_do_change_is(two):
    pipeline = Pipeline()
    pipeline.findings(two)
    lowered = edits.set_build_offset(edits.move_part(two, "part-2", 70, 60).job, ["part-2"], 0.5).job
    begin = len(pipeline.graph.made)
    assert pipeline.findings(lowered) == findings(lowered)
    assert {("structure", "support-1"), ("statics", "part-1")} <= made_since(pipeline, begin)


def test_back_where_it_was_everything_is_known(two):
    pipeline = Pipeline()
    before = pipeline.findings(two)
    pipeline.findings(edits.move_part(two, "part-2", 87, 60).job)
    again = edits.move_part(edits.move_part(two, "part-2", 88, 60).job, "part-2", 86, 60).job
    begin = len(pipeline.graph.made)
    assert pipeline.findings(again) == before
    assert made_since(pipeline, begin) == set()


def test_structures_tell_their_content(two):
    pipeline = Pipeline()
    made = pipeline.structure(two.supports[0], two)
    assert STRUCTURE.content is not None
    assert STRUCTURE.content(made) == STRUCTURE.content(Pipeline().structure(two.supports[0], two))
    assert STRUCTURE.content(made) != STRUCTURE.content(pipeline.structure(two.supports[1], two))

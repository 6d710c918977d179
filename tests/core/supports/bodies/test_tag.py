"""Tags: what they say, raised or sunk, joined to rafts and feet; the number follows the part's place in the build."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.lettering import text_shape
from lean_trellis.core.mesh.primitives import box, to_manifold
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bodies.tag import TagParameters, generate_tag

AROUND = shapely.box(0, 0, 20, 10)


def built(job, raft="raft-follow"):
    """Three slabs raised by 3 mm on bars; a raft under them if asked."""
    bodies = [Body(f"slab {number}", box((20, 10, 4)), 12) for number in range(3)]
    job = edits.add_bodies(job, bodies).job
    job = edits.set_build_offset(job, [part.id for part in job.parts], 3.0).job
    for number, part in enumerate(job.parts):
        job = edits.move_part(job, part.id, 60.0 + 60.0 * number, 100.0).job
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
        if raft:
            job = edits.add_support(job, part.id, shipped_sets()[raft], ()).job
    job = edits.add_support(job, job.parts[1].id, shipped_sets()["tag-number"], ()).job
    return edits.tag_every_part(job, job.supports[-1].id).job


def tags(job):
    return [support for support in job.supports if isinstance(support.parameters, TagParameters)]


@pytest.mark.parametrize("relief", ["raised", "sunk"])
def test_its_volume_is_the_plate_with_or_without_its_letters(relief):
    p = TagParameters(text="A8", relief=relief, letter_depth=0.5, thickness=1.5, rim=2.0, letter_height=6.0)
    tag = generate_tag(p, 1, (), AROUND)
    letters = text_shape("A8", 6.0)
    width, height = np.ptp(np.reshape(letters.bounds, (2, 2)), axis=0) + 4.0
    sign = 1 if relief == "raised" else -1
    assert tag.volume_mm3 == pytest.approx(width * height * 1.5 + sign * letters.area * 0.5, rel=1e-6)
    assert tag.mesh.bounds[1, 2] == pytest.approx(2.0 if relief == "raised" else 1.5)
    assert examine_mesh(tag.mesh).is_sound


@pytest.mark.parametrize(
    ("side", "axis", "end"), [("front", 1, 1), ("back", 1, 0), ("left", 0, 1), ("right", 0, 0)]
)  # fmt: skip
def test_without_anything_to_join_it_lies_beside_the_part_on_its_side(side, axis, end):
    tag = generate_tag(TagParameters(side=side), 4, (), AROUND)
    edge = np.reshape(AROUND.bounds, (2, 2))[1 - end, axis]
    assert not tag.is_joined
    assert (tag.mesh.bounds[end, axis] - edge) * (1 if end == 0 else -1) > 1.0
    other = 1 - axis
    middle = np.reshape(AROUND.bounds, (2, 2)).mean(axis=0)[other]
    assert tag.mesh.bounds.mean(axis=0)[other] == pytest.approx(middle)


@pytest.mark.parametrize("raft", ["raft-follow", "raft-rectangle", ""])
@pytest.mark.parametrize("side", ["front", "right"])
def test_it_is_one_body_with_the_raft_or_a_foot(metal, raft, side):
    job, pipeline = built(new_job(*metal), raft), Pipeline(is_guarded=True)
    tag = edits.change_support(job, tags(job)[0].id, "side", side)
    job = tag.job
    before, support = Pipeline().findings(built(new_job(*metal), raft)), tags(job)[0]
    made = pipeline.structure(support, job)
    assert made.is_joined
    family = "raft" if raft else "bars"
    ground = next(one for one in job.supports if one.part_id == support.part_id and one.family == family)
    standing = pipeline.structure(ground, job)
    common = (to_manifold(made.mesh) ^ to_manifold(standing.mesh)).volume()
    assert common > 0.05
    assert common < 0.2 * made.volume_mm3
    assert {one.code for one in pipeline.findings(job)} <= {one.code for one in before}


def test_the_number_is_the_place_in_the_build_and_follows_it(metal):
    job, pipeline = built(new_job(*metal)), Pipeline(is_guarded=True)
    says = {support.part_id: pipeline.structure(support, job).says for support in tags(job)}
    assert says == {part.id: str(number) for number, part in enumerate(job.parts, start=1)}
    fewer = edits.remove_parts(job, [job.parts[0].id]).job
    assert [pipeline.structure(support, fewer).says for support in tags(fewer)] == ["1", "2"]


def test_a_text_of_ones_own_says_the_same_wherever_the_part_stands(metal):
    job, pipeline = built(new_job(*metal)), Pipeline()
    support = tags(job)[0]
    job = edits.change_support(job, support.id, "text", "L-#/b").job
    assert pipeline.structure(job.support(support.id), job).says == "L-2/b"
    job = edits.change_support(job, support.id, "text", "LEFT").job
    before = pipeline.structure(job.support(support.id), job)
    fewer = edits.remove_parts(job, [job.parts[0].id]).job
    after = pipeline.structure(fewer.support(support.id), fewer)
    assert after.says == before.says == "LEFT"
    assert np.array_equal(after.mesh.vertices, before.mesh.vertices)


def test_a_raft_does_not_grow_under_its_tag(metal):
    job, pipeline = built(new_job(*metal)), Pipeline()
    raft = next(one for one in job.supports if one.family == "raft")
    alone = edits.remove_supports(job, [one.id for one in tags(job)]).job
    assert pipeline.structure(raft, job).area_mm2 == pipeline.structure(raft, alone).area_mm2


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"text": ""}, "1 to 24"), ({"text": "x" * 25}, "1 to 24"), ({"text": "☃"}, "no letter"),
        ({"text": "a\nb"}, "no letter"), ({"text": "a\rb"}, "no letter"),
        ({"text": "\u200b"}, "no letter"), ({"relief": "sunk", "letter_depth": 2.0}, "within the plate"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_refused_in_words(values, words):
    with pytest.raises(ParameterError, match=words):
        TagParameters().with_values(values)


def test_a_text_without_any_shape_is_refused():
    with pytest.raises(ParameterError, match="leaves nothing to write"):
        generate_tag(TagParameters(text="\u034f"), 1, (), AROUND)


def test_tags_are_given_to_parts_without_one_alone(metal):
    job = built(new_job(*metal))
    assert len(tags(job)) == 3
    with pytest.raises(EditError, match="every part has a tag"):
        edits.tag_every_part(job, tags(job)[0].id)
    with pytest.raises(EditError, match="is no tag"):
        edits.tag_every_part(job, job.supports[0].id)

"""What a row of the board holds."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from full_job import full_job
from lean_trellis.core.board.documents import (
    digest_of,
    mesh_keys,
    meshes_of_part,
    part_document,
    read_document,
    settings_document,
    with_own_ids,
    with_part_of,
    with_stacks_of,
)
from lean_trellis.core.errors import FormatError
from lean_trellis.core.job.edits import set_lot
from lean_trellis.core.job.job import Trial, new_job
from lean_trellis.core.job.stacks_kept import stack_kept
from lean_trellis.core.parts.stacking import Separator, Spacer


def stack_texts(job):
    return [stack_kept(stack).model_dump_json() for stack in job.stacks]


def test_ids_of_its_own_are_given_once_and_everything_follows_them():
    job = full_job()
    own = with_own_ids(job)
    ids = [part.id for part in own.parts]
    assert all(one.startswith("p-") and len(one) == 18 for one in ids)
    assert len(set(ids)) == len(ids)
    assert with_own_ids(own) == own
    by_old = dict(zip([part.id for part in job.parts], ids, strict=True))
    assert [one.part_id for one in own.supports] == [by_old[one.part_id] for one in job.supports]
    assert [one.others for one in own.supports] == [tuple(by_old[o] for o in one.others) for one in job.supports]
    assert [stack.parts for stack in own.stacks] == [tuple(by_old[o] for o in stack.parts) for stack in job.stacks]
    assert [one.part_id for one in own.waivers] == [by_old[one.part_id] for one in job.waivers]


@pytest.mark.parametrize("number", range(6))
def test_every_part_comes_back_as_it_was(number):
    job = full_job()
    part = job.parts[number]
    document = read_document(part_document(job, part.id), "here")
    meshes = meshes_of_part(job, part.id)
    assert mesh_keys(document) == set(meshes)
    alone = with_part_of(new_job(job.machine, job.material), document, meshes)
    without = replace(job, stacks=())  # a stack comes when all its parts are there
    assert with_stacks_of(alone, [document], meshes).stacks == ()
    assert part_document(alone, part.id) == part_document(without, part.id)
    again = with_part_of(job, document, meshes)
    assert [one.id for one in again.parts] == [one.id for one in job.parts]
    assert {one.id for one in again.supports} == {one.id for one in job.supports}


def test_a_stack_comes_back_with_its_lowest_part_and_what_fills_it():
    job = full_job()
    documents = [read_document(part_document(job, part.id), "here") for part in job.parts]
    meshes = {key: mesh for part in job.parts for key, mesh in meshes_of_part(job, part.id).items()}
    assert {document.part.id for document in documents if document.stack} == {stack.parts[0] for stack in job.stacks}
    again = with_stacks_of(replace(job, stacks=()), documents, meshes)
    assert stack_texts(again) == stack_texts(job)
    assert all(isinstance(stack.filling, Separator | Spacer) for stack in again.stacks)
    taken = [document.model_copy(update={"stack": None, "separator": None}) for document in documents]
    assert with_stacks_of(job, taken, meshes).stacks == ()
    others = [document for document in documents if document.part.id not in {s.parts[0] for s in job.stacks}]
    assert with_stacks_of(job, others, meshes).stacks == job.stacks


def test_a_separator_without_its_material_and_one_of_none_are_refused_in_words():
    job = full_job()
    lowest = next(s.parts[0] for s in job.stacks if isinstance(s.filling, Separator))
    document = read_document(part_document(job, lowest), "here")
    bare = document.model_copy(update={"separator": None})
    with pytest.raises(FormatError, match="put the stack on the board anew"):
        with_stacks_of(replace(job, stacks=()), [bare], meshes_of_part(job, lowest))
    content = json.loads(part_document(job, lowest)) | {"separator": {"id": "x"}}
    with pytest.raises(FormatError, match="cannot read"):
        read_document(json.dumps(content), "Friday")


def test_trials_stay_and_their_parts_are_the_same_ones():
    job = full_job()
    own = with_own_ids(replace(job, trials=(Trial("before", replace(job, trials=())),)))
    (trial,) = own.trials
    assert [part.id for part in trial.job.parts] == [part.id for part in own.parts]
    assert [one.id for one in trial.job.supports] == [one.id for one in own.supports]
    assert with_own_ids(own) == own


def test_settings_do_not_tell_of_parts_and_do_of_everything_else():
    job = full_job()
    assert settings_document(with_own_ids(job)) == settings_document(job)
    assert digest_of(settings_document(set_lot(job, "other").job)) != digest_of(settings_document(job))


@pytest.mark.parametrize("text", ["", "{}", '{"version": 2}', "[1]", '{"version": 1, "part": {"id": "x"}}'])
def test_rows_that_are_none(text):
    with pytest.raises(FormatError, match="cannot read"):
        read_document(text, "Friday")

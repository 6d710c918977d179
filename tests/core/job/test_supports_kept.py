"""Supports as job files keep them: what is written is read again."""

from __future__ import annotations

import pytest

from full_job import full_job
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job.supports_kept import support_kept, support_of


def test_every_support_comes_back_as_it_was():
    job = full_job()
    meshes = {support.body.key: support.body for support in job.supports if support.body is not None}
    assert meshes
    for support in job.supports:
        again = support_of(support_kept(support).model_validate(support_kept(support).model_dump()), meshes)
        assert again == support


def test_a_value_out_of_range_is_refused_with_its_key():
    kept = support_kept(full_job().supports[0])
    spoilt = kept.model_copy(update={"parameters": kept.parameters | {"spacing": -3.0}})
    with pytest.raises(ParameterError, match="spacing"):
        support_of(spoilt, {})

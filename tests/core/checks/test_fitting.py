"""Trays and vats that were not validated for the material."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.mesh.primitives import box


@pytest.mark.parametrize(("validated", "is_stop"), [((), False), (("deep",), True), (("deep", "flat"), False)])
def test_a_fitted_vat_must_be_one_of_those_validated(library, validated, is_stop):
    material = library.material("resin-model").model_copy(update={"validated_fittings": validated})
    job = replace(job_of((library.machine("vat-150"), material), box((20, 20, 5)), offset=0), fitting="flat")
    assert ("fitting_not_validated" in codes(job)) is is_stop
    if is_stop:
        found = the_finding(job, "fitting_not_validated")
        assert found.severity == "stop"
        assert found.cures[0].words == "Fit the deep"
        assert "fitting_not_validated" not in codes(replace(job, fitting=""))
        assert "fitting_not_validated" not in codes(replace(job, parts=()))

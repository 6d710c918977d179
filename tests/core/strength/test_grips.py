"""Contacts that carry: as many as there are, as large as they are told, on the pieces that footings number."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.strength.grips import Grips, upright
from lean_trellis.core.supports.common.spec import spec_of

FAMILIES = ("bars-metal", "bars-joined", "lattice-metal", "wall-line", "wall-flank", "cradle-posts", "block-plain")


@pytest.mark.parametrize("name", FAMILIES)
def test_every_family_gives_contacts_with_the_area_it_tells(metal, library, name):
    process = shipped_sets()[name].process
    shop = (library.machine("vat-150"), library.material("resin-model")) if process == "vat" else metal
    job = supported(job_of(shop, box((24, 16, 5)), offset=8.0), name)
    made = Pipeline().structure(job.supports[0], job)
    grips = spec_of(job.supports[0]).grips(made)
    assert len(grips) > 0
    assert grips.areas.sum() == pytest.approx(made.contact_area_mm2, rel=1e-6)
    assert np.allclose(np.linalg.norm(grips.axes, axis=1), 1.0)
    for stiffness in (grips.axial, grips.sideways, grips.turning, grips.half_widths):
        assert (stiffness > 0).all()
        assert np.isfinite(stiffness).all()
    pieces = made.footings().pieces
    assert set(np.unique(grips.pieces)) <= set(np.unique(pieces))


def test_contacts_without_any_are_empty():
    assert len(Grips()) == 0
    assert upright(2).tolist() == [[0, 0, 1], [0, 0, 1]]

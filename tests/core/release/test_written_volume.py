"""What a build says that its file holds, by closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.derive.layers import ESTIMATE, LAYERED_BUILD
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.release.written_volume import written_volume


def build(library, machine, mesh, **constants):
    kind = library.machine(machine)
    material = library.materials_for(kind)[0]
    usual = next(iter(material.constants.values()))
    more = {key: usual.model_copy(update={"value": value}) for key, value in constants.items()}
    material = material.model_copy(update={"constants": {**material.constants, **more}})
    job = job_of((kind, material), mesh, offset=0.0)
    graph = Pipeline().graph
    return graph.get(LAYERED_BUILD, None, job), graph.get(ESTIMATE, None, job)


@pytest.mark.parametrize("machine", ["metal-260", "vat-150"])
def test_a_box_and_a_cylinder(library, machine):
    assert written_volume(build(library, machine, box((10, 8, 6)))[0]) == pytest.approx(480.0, rel=1e-6)
    sides = 64
    round_area = sides / 2 * 25 * np.sin(2 * np.pi / sides)
    assert written_volume(build(library, machine, cylinder(5, 6))[0]) == pytest.approx(6 * round_area, rel=0.01)


def test_outlines_that_are_set_in_hold_less(library):
    made, _ = build(library, "metal-260", box((10, 8, 6)), outline_offset=0.1)
    assert written_volume(made) == pytest.approx(9.8 * 7.8 * 6, rel=1e-3)


def test_what_hardens_of_itself_is_left_dark(library):
    made, _ = build(library, "vat-150", box((10, 8, 6)), overcure_width=0.1)
    assert written_volume(made) == pytest.approx(9.8 * 7.8 * 6, rel=1e-3)


def test_beads_are_those_of_the_estimate(library):
    made, estimate = build(library, "filament-320", box((10, 8, 6)))
    used = estimate.grams_by["parts"] / made.constants["density"].value * 1000
    assert written_volume(made) == pytest.approx(used, rel=1e-6)

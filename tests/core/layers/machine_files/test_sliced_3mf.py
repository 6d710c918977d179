"""3MF with slices, read by other code."""

from __future__ import annotations

import numpy as np
import pytest
from layered_builds import layers_of, small_job
from machine_readers import read_slices

from lean_trellis.core.layers.machine_files import write_layers


@pytest.mark.parametrize("process", ["powder_bed", "vat", "extrusion"])
def test_slices_give_each_body_s_area(library, tmp_path, process):
    build = layers_of(small_job(library, process))[1]
    (path,) = write_layers(build, tmp_path / "small.3mf")
    read = read_slices(path)
    assert len(read) == len({body.name for body in build.bodies})
    for body in build.bodies:
        if [other.name for other in build.bodies].count(body.name) > 1:
            continue
        tops, areas = np.array(read[body.name]).T
        np.testing.assert_allclose(areas, body.layers.areas_mm2, rtol=1e-3, atol=1e-3)
        np.testing.assert_allclose(tops, (body.numbers + 1) * build.plan.height, rtol=1e-5)

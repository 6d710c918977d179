"""Islands layer by layer."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import CrossSection

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import from_manifold
from lean_trellis.core.overhang import find_islands
from lean_trellis.core.overhang.layer_islands import islands_by_layer
from lean_trellis.core.parts import Pose


@pytest.mark.parametrize("name", ["metal", "extrusion", "belt"])
def test_islands_of_the_sweep_are_those_of_the_layers(library, name):
    job = DEMOS[name].build(library)
    pipeline = Pipeline()
    for part in job.parts:
        swept = find_islands(
            pipeline.topology(part.mesh), pipeline.placed(part), 0.3, layer_normal=job.machine.layer_normal
        )
        cut = islands_by_layer(pipeline.placed(part), 0.3, layer_normal=job.machine.layer_normal)
        areas = [island.area_mm2 for island in cut]
        lasting = [island.area_mm2 for island in swept if island.joins_mm - island.z_mm >= 0.3]
        every = [island.area_mm2 for island in swept]
        for some, others in ((lasting, areas), (areas, every)):
            for area in some:
                assert np.isclose(others, area, rtol=1e-5).any(), f"{part.name}: {area}"


def test_a_cross_section_of_rings_is_parted_into_pieces_with_holes():
    tube = from_manifold((CrossSection.circle(10, 64) - CrossSection.circle(6, 64)).extrude(10))
    islands = islands_by_layer(Pose(build_offset=5).applied(tube), 1.0)
    assert len(islands) == 1
    assert islands[0].area_mm2 == pytest.approx(tube.volume / 10, rel=1e-6)

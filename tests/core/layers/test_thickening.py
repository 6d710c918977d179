"""Layers in which what is thin is built at the least width."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import ESTIMATE, PART_LAYERS
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.thickening import thickened
from lean_trellis.core.layers.thin_places import thin_of
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.mesh.topology import build_topology


def cut(mesh, height=0.5):
    return layered(build_topology(mesh), mesh.vertices, LayerPlan(height))


@pytest.mark.parametrize("width", [0.1, 0.25, 0.39])
def test_a_thin_wall_gets_the_least_width_and_what_that_adds_is_known(width):
    wall = cut(box((width, 20, 3)))
    thick = thickened(wall, 0.4)
    low, high = np.ptp(np.concatenate(thick.outlines(2)), axis=0)
    assert low == pytest.approx(0.4, rel=0.03)
    assert high == pytest.approx(20 + 0.4 - width, rel=0.01)
    assert thick.areas_mm2 - wall.areas_mm2 == pytest.approx(20 * (0.4 - width), rel=0.08)
    added = sum(ring_area for ring_area in thick.added.areas_mm2[thick.added.levels == 2])
    assert added == pytest.approx(thick.areas_mm2[2] - wall.areas_mm2[2], rel=1e-6)
    assert thin_of(thick.outlines(2), 0.39).is_empty()


@pytest.mark.parametrize("mesh", [box((5, 5, 3)), ball(4, subdivisions=4)])
def test_what_is_wide_enough_stays_as_it_is(mesh):
    plain = cut(mesh)
    thick = thickened(plain, 0.4)
    middle = slice(1, -1)  # the caps of a ball are small
    np.testing.assert_allclose(thick.areas_mm2[middle], plain.areas_mm2[middle], rtol=1e-4)
    assert not (thick.added.levels == len(plain.heights) // 2).any()


def test_a_fin_on_a_block_grows_and_the_block_does_not():
    both = from_manifold(to_manifold(box((6, 10, 2))) + to_manifold(box((0.2, 8, 4), corner=(3, 1, 1))))
    plain, thick = cut(both), thickened(cut(both), 0.4)
    assert thick.areas_mm2[1] == pytest.approx(plain.areas_mm2[1])
    assert thick.areas_mm2[-1] == pytest.approx(2 * plain.areas_mm2[-1], rel=0.08)


def test_only_parts_that_ask_for_it_in_processes_that_can_are_thickened(library):
    def layers_of(machine, material, *, thickens):
        job = new_job(library.machine(machine), library.material(material))
        job = edits.add_bodies(job, [Body("wall", box((0.2, 20, 6)), 12)]).job
        job = edits.thicken_parts(job, ["part-1"], is_on=thickens).job
        graph = Graph()
        return graph.get(PART_LAYERS, job.parts[0], job), graph.get(ESTIMATE, None, job)

    for machine, material in (("filament-320", "pla"), ("vat-150", "resin-model")):
        (plain, less), (thick, more) = (layers_of(machine, material, thickens=is_on) for is_on in (False, True))
        assert plain.added is None
        assert thick.areas_mm2[3] > 1.4 * plain.areas_mm2[3]
        assert more.volumes_mm3["parts"] > 1.4 * less.volumes_mm3["parts"]
    bed, _ = layers_of("metal-260", "steel-316l", thickens=True)
    assert bed.added is None

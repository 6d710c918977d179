"""Layers kept by part and support."""

from __future__ import annotations

import numpy as np
import pytest
from layered_builds import layers_of, small_job

from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.derive.layers import LAYERED_BODIES, PART_LAYERS, SUPPORT_LAYERS, paths_in_layer
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.sets import shipped_sets


def test_layers_are_kept_by_part_and_support_and_only_what_changed_is_cut_again(metal):
    job = new_job(*metal)
    job = edits.add_bodies(job, [Body("a", box((10, 10, 4)), 12), Body("b", box((6, 6, 4)), 12)]).job
    job = edits.move_part(edits.move_part(job, "part-1", 60.0, 60.0).job, "part-2", 200.0, 180.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    pipeline = Pipeline()
    graph = pipeline.graph

    def cut(some):
        graph.made.clear()
        parts = [graph.get(PART_LAYERS, part, some) for part in some.parts]
        supports = [graph.get(SUPPORT_LAYERS, support, some) for support in some.supports]
        return parts, supports, [name for name, _ in graph.made if name.endswith("layers")]

    parts, supports, made = cut(job)
    assert made == ["part layers", "part layers", "support layers"]
    low, high = job.parts[0].bounds()[:, 2]
    assert parts[0].heights == pytest.approx(np.arange(np.ceil(low / 0.04 - 0.5), high / 0.04 - 0.5) * 0.04 + 0.02)
    assert parts[0].areas_mm2 == pytest.approx(100.0)
    assert supports[0].heights.min() < 0.04
    volume = supports[0].areas_mm2.sum() * job.layer_height
    assert volume == pytest.approx(pipeline.bars(job.supports[0], job).volume_mm3, rel=0.1)
    assert cut(edits.move_part(job, "part-2", 210.0, 180.0).job)[2] == ["part layers"]
    thicker = edits.change_support(job, "support-1", "shaft_diameter", 1.4).job
    assert cut(thicker)[2] == ["support layers"]
    assert len(cut(edits.set_layer_height(job, 0.03).job)[2]) == 3


@pytest.mark.parametrize("process", ["powder_bed", "extrusion", "vat"])
@pytest.mark.parametrize("picked", [False, True])
def test_paths_of_one_layer_are_those_of_the_whole_build_and_need_no_other_kind_of_body(library, process, picked):
    job = small_job(library, process)
    if picked:
        own = [PathValues(at=(-6.0, -5.0, 1.0), loops=1), PathValues(low=1.0, high=1.6, fill_share=1.0)]
        job = edits.set_path_values(job, "part-1", own).job
    build = layers_of(job)[1]
    warm = Graph()
    warm.get(LAYERED_BODIES, None, job)
    for number in (1, 17, int(build.assembly.numbers[-1])):
        whole = [(body.kind, build.paths(place, number)) for place, body in enumerate(build.bodies)]
        for graph in (Graph(), warm):
            graph.made.clear()
            for kinds in (frozenset({"part"}), frozenset({"support", "separator"})):
                expected = [paths for kind, paths in whole if kind in kinds and len(paths)]
                found = paths_in_layer(graph, job, number, kinds)
                assert {kind for kind, _ in found} <= kinds
                laid = [paths for _, paths in found if len(paths)]
                for one, other in zip(laid, expected, strict=True):
                    np.testing.assert_allclose(one.ways.points, other.ways.points, atol=1e-9)
                    np.testing.assert_array_equal(one.kinds, other.kinds)
                if kinds == {"part"}:
                    assert "structure" not in {name for name, _ in graph.made}, "supports can come later"

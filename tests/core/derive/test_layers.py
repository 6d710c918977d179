"""Layers kept by part and support."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.derive.layers import PART_LAYERS, SUPPORT_LAYERS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
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

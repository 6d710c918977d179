"""The work that paths are, layer by layer."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.motion import Motion
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.layers.work import work_of

PLAIN = Motion((10.0, 10.0, 20.0, 10.0, 10.0, 10.0), 100.0)


def test_layers_are_summed_by_kind_with_the_ways_between_their_own_paths():
    lines = [np.array([[0, 0], [10, 0.0]]), np.array([[10, 5], [0, 5.0]]), np.array([[0, 0], [0, 4.0]])]
    ways = LayerWays.of_rings(lines, np.array([0, 0, 2]))
    paths = Paths(ways, np.array([Kind.OUTLINE, Kind.FILL, Kind.FILL]), np.array([0.4, 0.5, 0.5]))
    work = work_of(paths, np.array([7, 8, 9]), PLAIN)
    assert work.numbers.tolist() == [7, 9]
    assert work.seconds.tolist() == pytest.approx([10 / 10 + 10 / 20 + 5 / 100, 4 / 20])
    assert work.lengths[:, [Kind.OUTLINE, Kind.FILL]].tolist() == [[10, 10], [0, 4]]
    assert work.beads_mm2.tolist() == pytest.approx([9, 2])
    assert work.firsts.tolist() == [[0, 0], [0, 0]]
    assert work.lasts.tolist() == [[0, 5], [0, 4]]
    assert work_of(Paths.joined([]), np.arange(3), PLAIN).layers == 0

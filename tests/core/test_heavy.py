"""Whoever listens learns when heavy work begins."""

from __future__ import annotations

import sys

import numpy as np

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.heavy import EVENT, heavy
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree

HEARD: list[str] = []
sys.addaudithook(lambda event, args: HEARD.append(str(args[0])) if event == EVENT else None)


@heavy
def doubled(number: int, *, twice: bool = False) -> int:
    """Two or four times a number."""
    return number * (4 if twice else 2)


def test_a_heavy_function_is_told_and_does_what_it_did():
    HEARD.clear()
    assert (doubled(3), doubled(3, twice=True)) == (6, 12)
    assert HEARD == ["doubled", "doubled"]
    assert doubled.__doc__ == "Two or four times a number."


def test_rays_and_what_the_graph_makes_are_heavy_and_what_it_finds_is_not():
    mesh, pipeline = box((2, 3, 4)), Pipeline()
    HEARD.clear()
    RayTree(mesh).first_hits(np.array([[1.0, 1.0, -5.0]]), np.array([[0.0, 0.0, 1.0]]))
    pipeline.health(mesh)
    assert {"RayTree.first_hits", "health", "topology"} <= set(HEARD)
    HEARD.clear()
    pipeline.health(mesh)
    assert HEARD == []

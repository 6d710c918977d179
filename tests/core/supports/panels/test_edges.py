"""Edges of walls stay off a part by their gap between columns and between sides, too."""

from __future__ import annotations

import numpy as np
import pytest
from panel_cases import tab_places
from panel_requests import request_for
from sloping_parts import on_surface, signed_distances, sloping_parts

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.panels.edges import off_by_a_gap
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters

STEP = from_manifold(to_manifold(box((20, 10, 2))) + to_manifold(box((10, 10, 2), corner=(10, 0, 2))))
"""A floor at 2 mm that steps up to 4 mm at x = 10."""


def standing(mesh: Mesh) -> Obstacle:
    """A mesh as something in the way, where it is."""
    return Obstacle(RayTree(mesh), Pose(), mesh)


def spots(*places: tuple[float, float]) -> np.ndarray:
    """Columns of a thin wall along x at y = 5."""
    return np.array([[[x, 5.0, z]] for x, z in places])


def test_an_edge_over_a_step_is_lifted_where_it_would_cut_its_corner():
    obstacles = [standing(STEP)]
    wall = spots((8.0, 2.2), (9.6, 2.2), (10.4, 4.2), (12.0, 4.2))
    every = np.ones(3, bool)
    moved = off_by_a_gap(wall, every, 0.2, obstacles, is_below=False)
    assert moved[0] == pytest.approx(0.0, abs=0.02)
    assert moved[1] > 0.2, "the line up to the next would pass through the corner"
    lifted = wall[:, 0] + moved[:, None] * [0, 0, 1]
    between = lifted[1] + np.linspace(0, 1, 101)[:, None] * (lifted[2] - lifted[1])
    assert signed_distances(STEP, between).min() >= 0.19
    apart = off_by_a_gap(wall, np.array([True, False, True]), 0.2, obstacles, is_below=False)
    assert apart == pytest.approx(np.zeros(4), abs=0.02), "where no edge joins them each stays by itself"


def test_below_a_part_edges_are_let_down():
    hung = Mesh(STEP.vertices * [1, 1, -1] + [0, 0, 20], STEP.faces[:, ::-1])
    wall = spots((8.0, 17.8), (9.6, 17.8), (10.4, 15.8), (12.0, 15.8))
    moved = off_by_a_gap(wall, np.ones(3, bool), 0.2, [standing(hung)], is_below=True)
    assert moved[1] < -0.2


@pytest.mark.parametrize("number", [3, 7, 15, 23])
def test_thick_walls_keep_their_gap_over_steps_and_edges_of_the_floor_with_tabs_edges_and_sides(number):
    _, mesh, turn = list(sloping_parts(24, seed=2026))[number]
    values = LatticeParameters(
        contact="gap", gap_layers=4, thickness=0.5, cell_along=2.6, cell_across=2.6, inset=0.6, tab_free=0.3
    )
    request = request_for(Mesh(mesh.vertices @ turn.T, mesh.faces), values)
    panels = generate_lattice(request)
    ends = panels.tabs.places
    assert len(ends) > 20
    corners = np.concatenate([tab_places(panels, 0.5, upper=upper) for upper in (True, False)])
    assert signed_distances(request.overhangs.mesh, corners).min() >= 0.185
    assert signed_distances(request.overhangs.mesh, on_surface(panels.mesh, 20000)).min() >= 0.18

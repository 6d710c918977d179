"""Edges, the faces at them, shells."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.weld import weld

CUBE = box((4, 4, 4))


def test_a_box_has_eighteen_edges_of_two_faces_each():
    topology = build_topology(CUBE)
    assert (len(topology.face_count), topology.is_watertight, topology.shells) == (18, True, 1)
    assert (topology.edge_vertices[:, 0] < topology.edge_vertices[:, 1]).all()
    assert sorted(topology.pair_lengths) == pytest.approx([4.0] * 12 + [4 * np.sqrt(2)] * 6)
    for edge, (one, other) in zip(topology.pair_edges, topology.pair_faces, strict=True):
        shared = set(CUBE.faces[one]) & set(CUBE.faces[other])
        assert shared == set(topology.edge_vertices[edge])


def test_each_corner_knows_the_edge_that_begins_there():
    topology = build_topology(CUBE)
    for corner, edge in enumerate(topology.edge_of_corner):
        face, place = divmod(corner, 3)
        ends = {CUBE.faces[face, place], CUBE.faces[face, (place + 1) % 3]}
        assert ends == set(topology.edge_vertices[edge])


def test_open_crowded_and_turned_edges_are_told_apart():
    opened = build_topology(Mesh(CUBE.vertices, CUBE.faces[1:]))
    assert (len(opened.open_edges), len(opened.non_manifold_edges), opened.is_watertight) == (3, 0, False)
    touching = build_topology(weld(join([box((4, 4, 4)), box((4, 4, 4), corner=(4, 4, 0))])))
    assert len(touching.non_manifold_edges) == 1
    assert touching.shells == 1
    faces = CUBE.faces.copy()
    faces[0] = faces[0][::-1]
    assert len(build_topology(Mesh(CUBE.vertices, faces)).misoriented_edges) == 3


def test_collapsed_faces_take_no_part_and_an_empty_mesh_has_nothing():
    topology = build_topology(Mesh(CUBE.vertices, np.vstack([CUBE.faces, [[0, 0, 1]]]).astype(np.int32)))
    assert topology.edge_of_corner[-3:].tolist() == [-1, -1, -1]
    assert topology.is_watertight
    empty = build_topology(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)))
    assert (empty.shells, empty.is_watertight) == (0, False)

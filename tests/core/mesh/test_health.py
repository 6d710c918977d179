"""What is wrong with a mesh, counted."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from lean_trellis.core.mesh import Mesh, build_topology, examine, weld
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box


def test_awkward_meshes_are_examined_without_fail_and_as_trimesh_sees_them(awkward):
    health = examine(build_topology(awkward))
    assert health.triangles == len(awkward.faces)
    if len(awkward.faces) and not health.degenerate_faces:
        witness = trimesh.Trimesh(awkward.vertices, awkward.faces, process=False)
        assert health.watertight == witness.is_watertight
        assert health.area_mm2 == pytest.approx(witness.area)


def test_defects_are_counted():
    cube = box((10, 10, 10))
    assert examine_mesh(Mesh(cube.vertices, cube.faces[1:])).open_edges == 3
    assert examine_mesh(Mesh(cube.vertices, np.vstack([cube.faces, cube.faces[:2]]))).duplicate_faces == 2
    turned = Mesh(cube.vertices, np.vstack([cube.faces[:1, ::-1], cube.faces[1:]]))
    assert examine_mesh(turned).misoriented_edges == 3
    flat = Mesh(np.vstack([cube.vertices, [[5, 0, 0]]]), np.vstack([cube.faces, [[0, 0, 1]]]))
    assert examine_mesh(flat).degenerate_faces == 1
    assert examine_mesh(flat).watertight  # a collapsed face takes no part in the edges


def test_faults_are_said_as_one_or_as_more():
    cube, inward = box((10, 10, 10)), ball(2, subdivisions=1)
    inward = Mesh(inward.vertices + 30, inward.faces[:, ::-1])
    assert examine_mesh(cube).in_words == "sound"
    assert examine_mesh(inward).in_words == "1 shell turned inward"
    assert (examine_mesh(inward).enclosed_mm3, examine_mesh(cube).enclosed_mm3) == (None, pytest.approx(1000))
    both = examine_mesh(join([Mesh(cube.vertices, cube.faces[1:]), inward, Mesh(inward.vertices + 30, inward.faces)]))
    assert both.in_words == "3 open edges, 2 shells turned inward"


def test_a_cavity_is_no_inward_shell_but_a_lone_turned_shell_is():
    outer, inner = ball(5, subdivisions=2), ball(2, subdivisions=2)
    cavity = join([outer, Mesh(inner.vertices, inner.faces[:, ::-1])])
    assert examine_mesh(cavity).inward_shells == 0
    assert examine_mesh(cavity).volume_mm3 == pytest.approx(outer.volume - inner.volume)
    assert examine_mesh(Mesh(inner.vertices, inner.faces[:, ::-1])).inward_shells == 1
    beside = join([outer, Mesh(inner.vertices + 20, inner.faces[:, ::-1])])
    assert examine_mesh(beside).inward_shells == 1


def test_shells_are_counted_and_two_that_share_an_edge_are_told_from_one():
    apart = join([box((1, 1, 1)), box((1, 1, 1), corner=(5, 0, 0))])
    assert build_topology(apart).shells == 2
    touching = weld(join([box((1, 1, 1)), box((1, 1, 1), corner=(1, 1, 0))]))
    assert examine_mesh(touching).non_manifold_edges == 1

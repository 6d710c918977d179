"""Numbers of regions: faces first, then low edges and points, each number once and in order."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.overhang import detect
from lean_trellis.core.overhang.outline import trace_outlines
from lean_trellis.core.parts.pose import rotation_about


def many_kinds():
    """Two slabs, three bars on an edge, a ball and a cube on its corner, apart from each other and above the plate."""
    turned = box((6, 6, 6)).vertices @ rotation_about("x", 45).T
    corner = turned @ rotation_about("y", 35.26).T
    meshes = [box((5, 5, 2), corner=(20 * n, 0, 10)) for n in range(2)]
    shapes = [turned + [20 * n, 20, 20] for n in range(3)] + [corner + [0, 40, 20]]
    cube = box((6, 6, 6))
    meshes += [type(cube)(places, cube.faces) for places in shapes]
    little = ball(4)
    meshes.append(type(little)(little.vertices + [40, 40, 20], little.faces))
    return join(meshes)


def test_every_region_has_its_place_in_the_list_as_its_number():
    mesh = many_kinds()
    found = detect(build_topology(mesh), mesh, critical_angle=30)
    kinds = [region.kind for region in found.regions]
    assert {"face", "edge"} <= set(kinds)
    assert kinds.count("edge") >= 3
    assert [region.id for region in found.regions] == list(range(len(kinds)))
    assert kinds == sorted(kinds, key=["face", "edge", "point"].index)


def test_outlines_are_those_of_level_layers_unless_others_are_given():
    mesh = many_kinds()
    found = detect(build_topology(mesh), mesh, critical_angle=45)
    plain, level = trace_outlines(found.rim), trace_outlines(found.rim, (0.0, 0.0, 1.0))
    tilted = trace_outlines(found.rim, (0.0, 0.7071067811865476, 0.7071067811865476))
    areas = [sum(abs(loop_area(places)) for places, _ in one.of_region(0)) for one in (plain, level, tilted)]
    assert areas[0] == areas[1]
    assert len(plain.of_region(0)) == len(level.of_region(0)) == 1


def loop_area(places: np.ndarray) -> float:
    x, y = places[:, 0], places[:, 1]
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)

"""The layers of a body: what lies in one another counts once, lines have their width, layers of a belt are tilted."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box


def layers_of(mesh: Mesh, height: float, **options):
    return layered(build_topology(mesh), mesh.vertices, LayerPlan(height), **options)


def test_what_lies_in_one_another_counts_once_and_its_outline_is_that_of_both():
    one, other = box((10, 10, 4)), box((10, 10, 4), corner=(5, 0, 0))
    made = layers_of(join([one, other]), 1.0)
    assert made.areas_mm2 == pytest.approx([150.0] * 4)
    assert made.slices.areas == pytest.approx([200.0] * 4), "the rings by themselves"
    (outline,) = made.outlines(2)
    low, high = outline.min(axis=0), outline.max(axis=0)
    assert (high - low) == pytest.approx([15.0, 10.0])
    assert [piece.area for piece in made.pieces(2)] == pytest.approx([150.0])


def test_a_void_is_left_empty():
    void = box((4, 4, 2), corner=(3, 3, 1))
    made = layers_of(join([box((10, 10, 4)), Mesh(void.vertices, void.faces[:, ::-1])]), 1.0)
    assert made.areas_mm2 == pytest.approx([100.0, 84.0, 84.0, 100.0])
    assert len(made.outlines(1)) == 2


def test_areas_times_height_are_the_volume_within_one_layer():
    mesh = ball(10, subdivisions=5)
    raised = mesh.vertices + [0, 0, 3 - mesh.bounds[0, 2]]
    made = layered(build_topology(mesh), raised, LayerPlan(0.1))
    assert made.heights[0] == pytest.approx(3.05)
    assert abs(made.areas_mm2.sum() * 0.1 - mesh.volume) < made.areas_mm2.max() * 0.1


def sheet(length: float, height: float) -> Mesh:
    corners = np.array([[0, 0, 0], [length, 0, 0], [length, 0, height], [0, 0, height]], np.float64)
    return Mesh(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32))


def test_sheets_are_lines_as_wide_as_they_are_built():
    made = layers_of(join([sheet(12, 3), box((2, 2, 3), corner=(20, 0, 0))]), 1.0, line_mm=0.1)
    assert made.line_lengths_mm == pytest.approx([12.0] * 3)
    assert made.areas_mm2 == pytest.approx([4 + 1.2] * 3)
    (line,) = made.slices.lines(1)
    assert np.ptp(line[:, 0]) == pytest.approx(12)


def test_an_open_part_has_lines_that_fill_nothing_and_small_gaps_are_closed():
    mesh = box((10, 10, 4))
    side = mesh.normals[:, 0] > 0.9
    made = layers_of(Mesh(mesh.vertices, mesh.faces[~side]), 1.0)
    assert made.areas_mm2 == pytest.approx([0.0] * 4)
    assert made.line_lengths_mm == pytest.approx([30.0] * 4)
    apart = join([Mesh(mesh.vertices, mesh.faces[~side]), Mesh(mesh.vertices + [0.03, 0, 0], mesh.faces[side])])
    closed = layers_of(apart, 1.0)
    assert closed.areas_mm2 == pytest.approx([10 * 10.03 - 0.03 * 0] * 4, abs=0.2)
    assert closed.slices.gaps[:, 3] == pytest.approx([0.03] * 8)


def test_layers_of_a_belt_are_tilted():
    tilt = np.radians(45)
    mesh = box((8, 10, 6), corner=(0, 0, 0))
    made = layers_of(mesh, 0.5, layer_normal=(0.0, -np.sin(tilt), np.cos(tilt)))
    along = mesh.vertices @ [0.0, -np.sin(tilt), np.cos(tilt)]
    assert made.heights.min() == pytest.approx(np.ceil(along.min() / 0.5 - 0.5) * 0.5 + 0.25)
    assert made.heights.max() < along.max()
    assert made.areas_mm2.sum() * 0.5 == pytest.approx(mesh.volume, abs=made.areas_mm2.max() * 0.5)
    (outline,) = made.outlines(len(made.heights) // 2)
    assert np.ptp(outline[:, 0]) == pytest.approx(8.0), "the first direction runs across the belt"


@pytest.mark.parametrize(
    ("mesh", "volume"),
    [
        (box((10, 10, 4)), 400.0),
        (Mesh(box((10, 10, 4)).vertices, box((10, 10, 4)).faces[:, ::-1]), 400.0),
        (join([box((10, 10, 4)), box((10, 10, 4), corner=(5, 0, 0))]), 600.0),
        (join([box((10, 10, 4)), box((10, 10, 4), corner=(25, 0, 0))]), 800.0),
        (Mesh(box((10, 10, 4)).vertices, np.vstack([box((10, 10, 4)).faces, box((10, 10, 4)).faces[:1]])), 400.0),
    ],
    ids=["box", "inside out", "overlapping", "apart", "a face twice"],
)
def test_the_volume_is_what_is_filled_whatever_is_wrong_with_the_mesh(mesh, volume):
    made = layers_of(mesh, 0.5)
    assert made.volume_mm3(np.full(8, 0.5), mesh.volume) == pytest.approx(volume)
    assert (made.areas_mm2 > 0).all()

"""Blocks."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from bar_requests import distances_from
from body_cases import is_closed
from manifold3d import Manifold
from panel_requests import request_for

from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.supports.bodies.block import generate_block
from lean_trellis.core.supports.bodies.parameters import BlockParameters
from lean_trellis.core.supports.bodies.report import block_figures, block_in_words


@pytest.mark.parametrize("shape", ["box", "cylinder", "wedge"])
def test_a_block_is_trimmed_and_keeps_its_clearance(shape):
    values = BlockParameters(shape=shape, size_x=9, size_y=7, size_z=9, turn=20, trim_clearance=0.4)
    request = request_for(ball(8, subdivisions=3), values, offset=3.0)
    block = generate_block(request)
    assert is_closed(block.mesh)
    whole = {"box": 1, "cylinder": np.pi / 4, "wedge": 0.5}[shape] * 9 * 7 * 9
    assert block.volume_mm3 + block.trimmed_mm3 == pytest.approx(whole, rel=2e-3)
    assert (to_manifold(block.mesh) ^ to_manifold(request.overhangs.mesh)).volume() < 1e-9
    samples = trimesh.Trimesh(block.mesh.vertices, block.mesh.faces).sample(800, seed=3)
    distance = distances_from(request.overhangs.mesh, samples, samples, steps=1)
    assert distance.min() >= 0.4 - 1e-6
    assert distance.min() < 0.47  # no farther off than the flat sides of the ball make it
    assert block.contact_area_mm2 == 0


def test_a_block_goes_up_to_the_part_and_holds_it_unless_it_is_a_separator():
    under = generate_block(request_for(box((20, 12, 4)), BlockParameters(size_x=6, size_y=5), offset=7.0))
    assert under.size_mm[2] == pytest.approx(7.0, abs=0.03)
    assert under.volume_mm3 == pytest.approx(6 * 5 * 7)
    assert under.contact_area_mm2 == pytest.approx(30, rel=0.01)
    assert under.served == {0}
    apart = BlockParameters(size_x=6, size_y=5, acts_as="separator")
    assert generate_block(request_for(box((20, 12, 4)), apart, offset=7.0)).served == frozenset()
    with pytest.raises(ParameterError, match="nothing is left"):
        generate_block(request_for(box((20, 12, 30)), BlockParameters(size_x=3, size_y=3, size_z=2, place_z=10)))


def test_any_body_is_a_block_in_the_size_that_is_asked():
    values = BlockParameters(shape="own", size_x=4, size_y=4, size_z=6)
    block = generate_block(request_for(box((20, 12, 4)), values, offset=9.0), ball(5, subdivisions=3))
    assert np.ptp(block.mesh.bounds, axis=0).reshape(-1) == pytest.approx([4, 4, 6], abs=1e-6)
    broken = ball(5, subdivisions=1)
    with pytest.raises(EditError, match="is open"):
        generate_block(request_for(box((20, 12, 4)), values), broken.with_faces(np.arange(len(broken.faces) - 1)))
    with pytest.raises(ParameterError, match="no body of its own"):
        generate_block(request_for(box((20, 12, 4)), values))


def test_where_a_body_of_its_own_was_drawn_does_not_matter():
    values = BlockParameters(shape="own", size_x=4, size_y=5, size_z=6)
    request = request_for(box((20, 12, 4)), values, offset=9.0)
    here = box((3, 4, 5))
    there = here.moved(np.eye(3), np.array([40.0, -25.0, 7.0]))
    blocks = [generate_block(request, body) for body in (here, there)]
    assert blocks[0].mesh.bounds == pytest.approx(blocks[1].mesh.bounds, abs=1e-6)
    assert blocks[0].volume_mm3 == pytest.approx(4 * 5 * 6)


def test_a_block_round_a_whole_part_keeps_its_hollow():
    values = BlockParameters(size_x=24, size_y=24, size_z=24, place_z=0)
    request = request_for(ball(6, subdivisions=3), values, offset=5.0)
    block = generate_block(request)
    part = request.overhangs.mesh.volume
    assert block.counted.number == 1
    assert block.volume_mm3 == pytest.approx(24**3 - part)
    assert (to_manifold(block.mesh) ^ to_manifold(request.overhangs.mesh)).volume() < 1e-6


def test_a_block_that_a_wall_of_the_part_cuts_in_two_supports_with_both_halves():
    roof = Manifold.cube((30, 30, 3), True).translate((0, 0, 13.5)) + Manifold.cube((1, 30, 12)).translate(
        (-0.5, -15, 0)
    )
    request = request_for(from_manifold(roof), BlockParameters(size_x=10, size_y=10), offset=0.0)
    block = generate_block(request)
    assert len(block.bodies) == 2
    assert block.contact_area_mm2 == pytest.approx(9 * 10, rel=0.02)


@pytest.mark.parametrize("overlap", [0.3, 0.8])
def test_a_block_runs_into_a_part_on_purpose_as_deep_as_asked(overlap):
    values = BlockParameters(size_x=8, size_y=6, size_z=12, trim_clearance=-overlap)
    request = request_for(ball(8, subdivisions=3), values, offset=3.0)
    block = generate_block(request)
    assert is_closed(block.mesh)
    common = to_manifold(block.mesh) ^ to_manifold(request.overhangs.mesh)
    inside = from_manifold(common)
    inside = trimesh.Trimesh(inside.vertices, inside.faces)
    places = inside.sample(600, seed=5)
    deep = distances_from(request.overhangs.mesh, places, places, steps=1)
    assert deep.max() <= overlap + 0.02
    assert deep.max() > 0.8 * overlap
    touching = block.touching
    assert len(touching.places) == 1
    assert touching.areas[0] > 40
    assert 0.75 * overlap < touching.depths[0] <= 1.1 * overlap
    assert len(block.grip.holds) > 50


def test_each_contact_of_a_body_of_its_own_is_told_with_place_area_and_depth():
    legs = to_manifold(box((2, 3, 9), corner=(0, 0, 0))) + to_manifold(box((4, 3, 9), corner=(10, 0, 0)))
    body = from_manifold(legs + to_manifold(box((14, 3, 1))))
    values = BlockParameters(shape="own", size_x=14, size_y=3, size_z=9)
    block = generate_block(request_for(box((30, 20, 4)), values, offset=8.0), body)
    order = np.argsort(block.touching.areas)
    np.testing.assert_allclose(block.touching.areas[order], [6, 12], rtol=1e-3)
    np.testing.assert_allclose(block.touching.depths, [0, 0], atol=1e-6)
    assert block.touching.places[:, 2] == pytest.approx([8, 8])
    words = block_in_words(block)
    assert "contact 1: " in words and "contact 2: " in words
    assert len(block_figures(block)["touches"]) == 2

"""Bodies as contacts: blocks by what touches, cradles by posts, flank walls by ties."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.supports.bodies.bodies import Bodies
from lean_trellis.core.supports.bodies.grips import grips_of_bodies, grips_of_cradle, grips_of_flank


def made(metal, mesh, name, **values):
    job = supported(job_of(metal, mesh, offset=8.0), name, **values)
    return Pipeline().structure(job.supports[0], job)


def test_a_block_bears_with_all_that_touches_it_and_is_as_stiff_as_a_column_of_that(metal):
    block = made(metal, box((24, 16, 5)), "block-plain", size_x=6.0, size_y=6.0)
    grips = grips_of_bodies(block)
    assert grips.areas.sum() == pytest.approx(block.contact_area_mm2)
    assert grips.lengths == pytest.approx(8.0, abs=0.5)
    assert grips.axial.sum() == pytest.approx(block.contact_area_mm2 / 8.0, rel=0.05)
    assert grips.moments.sum() == pytest.approx(block.contact_area_mm2**2 / 12, rel=1e-6)
    assert set(grips.pieces.tolist()) == {0}


def test_each_post_of_a_cradle_is_a_contact_on_a_body_of_its_own(metal):
    cradle = made(metal, ball(9), "cradle-posts")
    grips = grips_of_cradle(cradle)
    assert len(grips) == cradle.posts.carries.sum() > 3
    assert grips.areas == pytest.approx(cradle.posts.areas[cradle.posts.carries])
    assert len(np.unique(grips.elements)) == len(grips)
    assert len(np.unique(grips.pieces)) == len(grips)


def test_ties_of_a_flank_wall_lie_level_and_push_back_along_themselves(metal):
    wall = made(metal, box((24, 4, 30)), "wall-flank")
    grips = grips_of_flank(wall)
    assert len(grips) == wall.ties > 2
    assert grips.axes[:, 2] == pytest.approx(0)
    assert np.linalg.norm(grips.axes, axis=1) == pytest.approx(1)
    assert (grips.axial > grips.sideways).all()


def test_what_touches_nothing_has_no_contacts():
    assert len(grips_of_bodies(Bodies((box((2, 2, 2)),), "block", "blocks"))) == 0

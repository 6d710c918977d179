"""Copies, grids, stacks."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import low

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import cylinder
from lean_trellis.core.parts.stacking import Separator, Spacer


def test_a_grid_of_copies_stands_apart_by_the_gap(trio):
    grid = edits.copy_in_grid(trio, "part-1", 3, 2, 4.0).job
    copies = [grid.part("part-1"), *grid.parts[3:]]
    assert len(copies) == 6
    places = np.array([part.bounds()[0, :2] for part in copies]) - copies[0].bounds()[0, :2]
    np.testing.assert_allclose(places, [[0, 0], [24, 0], [48, 0], [0, 14], [24, 14], [48, 14]])
    with pytest.raises(EditError, match="no grid"):
        edits.copy_in_grid(trio, "part-1", 1, 1, 4)


def test_a_stack_keeps_its_gap_in_layers_when_the_layer_height_changes(trio):
    stacked = edits.stack_part(trio, "part-1", 3, 4, "layers").job
    ids = stacked.stacks[0].parts
    assert [low(stacked, part_id) for part_id in ids] == pytest.approx([4, 4 + 5.16, 4 + 10.32])
    thicker = edits.set_layer_height(stacked, 0.06).job
    assert [low(thicker, part_id) for part_id in ids] == pytest.approx([4, 4 + 5.24, 4 + 10.48])
    lifted = edits.set_build_offset(thicker, [ids[2]], 10).job
    assert [low(lifted, part_id) for part_id in ids] == pytest.approx([10, 15.24, 20.48])
    moved = edits.move_part(lifted, ids[1], 50, 60).job
    assert {(moved.part(i).pose.x, moved.part(i).pose.y) for i in ids} == {(50, 60)}
    stood = edits.turn_part(moved, ids[0], "y", 90).job
    assert [low(stood, part_id) for part_id in ids] == pytest.approx([10, 30.24, 50.48])
    closed = edits.remove_parts(stood, [ids[1]]).job
    assert low(closed, ids[2]) == pytest.approx(30.24)
    assert edits.ungroup_parts(closed, [ids[0]]).job.stacks == ()


def test_a_spacer_and_a_separator_make_the_gap_at_least_as_high_as_they_are(trio, library):
    spacer = edits.stack_part(trio, "part-1", 2, 1, "mm", Spacer("ring", cylinder(8, 3.5))).job
    assert low(spacer, spacer.stacks[0].parts[1]) == pytest.approx(4 + 5 + 3.5)
    parted = edits.stack_part(trio, "part-1", 2, 0, "mm", Separator(library.material("pla"), 0.5, 3)).job
    assert low(parted, parted.stacks[0].parts[1]) == pytest.approx(4 + 5 + 3 * 0.04)
    with pytest.raises(EditError, match="cannot be built"):
        edits.stack_part(trio, "part-1", 2, 1.5, "layers")

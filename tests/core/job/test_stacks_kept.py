"""Stacks as files keep them."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.job.stacks_kept import stack_kept, stack_of
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack


def test_a_stack_comes_back_with_its_filling(library):
    disc, petg = box((8, 8, 2)), library.material("petg")
    for filling in (None, Separator(petg, -0.4, 3), Spacer("disc", disc)):
        stack = Stack("stack-1", ("part-1", "part-2"), 2.5, "mm", filling)
        assert stack_of(stack_kept(stack), {disc.key: disc}, library.material) == stack


def test_a_separator_s_material_has_to_be_known(library):
    kept = stack_kept(Stack("stack-1", ("a", "b"), 2, "layers", Separator(library.material("petg"), 0.0, 2)))
    unknown = kept.model_copy(update={"filling": kept.filling.model_copy(update={"material": "wax"})})
    with pytest.raises(UnknownNameError, match="wax"):
        stack_of(unknown, {}, library.material)

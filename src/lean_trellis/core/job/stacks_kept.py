"""A stack as files and the board keep it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from lean_trellis.core.job.schema import SeparatorKept, SpacerKept, StackKept
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.shop.material import Material


def stack_kept(stack: Stack) -> StackKept:
    """A stack as it is kept: a separator with the id of its material, a spacer with the key of its mesh."""
    filling: SeparatorKept | SpacerKept | None = None
    if isinstance(stack.filling, Separator):
        separator = stack.filling
        filling = SeparatorKept(
            kind="separator", material=separator.material.id, inset=separator.inset, layers=separator.layers
        )
    elif isinstance(stack.filling, Spacer):
        filling = SpacerKept(kind="spacer", name=stack.filling.name, mesh=stack.filling.mesh.key)
    return StackKept(id=stack.id, parts=list(stack.parts), gap=stack.gap, gap_unit=stack.gap_unit, filling=filling)


def stack_of(kept: StackKept, meshes: Mapping[str, Mesh], material: Callable[[str], Material]) -> Stack:
    """The stack that was kept; `material` finds that of a separator by its id."""
    filling: Separator | Spacer | None = None
    match kept.filling:
        case SeparatorKept():
            filling = Separator(material(kept.filling.material), kept.filling.inset, kept.filling.layers)
        case SpacerKept():
            filling = Spacer(kept.filling.name, meshes[kept.filling.mesh])
    return Stack(kept.id, tuple(kept.parts), kept.gap, kept.gap_unit, filling)

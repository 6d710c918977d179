"""What most families answer alike: members of a `FamilySpec` for structures that are one closed mesh."""

from __future__ import annotations

from collections.abc import Sequence

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.figures import GripFigures, figures_of_grips
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.footprint import Patches, patches_of_solid
from lean_trellis.core.supports.common.outlines import shadow
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support


def follows_nothing(_support: Support, _others: Sequence[Support]) -> tuple[Support, ...]:
    """It follows from no other support."""
    return ()


def shadow_of_mesh(made: Structure) -> Shape:
    """What its mesh covers as seen from above."""
    return shadow(made.mesh)


def footprint_of_mesh(made: Structure) -> Patches:
    """What of its mesh lies on the plate."""
    return patches_of_solid(made.mesh)


def figures_by_contact(_made: Structure, grips: Grips, loads: GripLoads, actions: Actions) -> GripFigures:
    """Figures of its contacts and the columns below them."""
    return figures_of_grips(grips, loads, actions)


def mesh_itself(made: Structure) -> Mesh:
    """Its mesh, which is closed."""
    return made.mesh

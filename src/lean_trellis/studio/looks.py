"""What the window has to know of a family, as one object, and the registry of all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import AnySpec, families
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.shown import ShownStructure
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.map_sheet import SolidSheet

if TYPE_CHECKING:
    from lean_trellis.studio.family_tools import MakeTools


@dataclass(frozen=True)
class Sketching:
    """What a sketch of values is drawn on and from: painter, area, colours, values, the key in focus, layer height.

    Without a key the shape alone is drawn.
    """

    painter: QPainter
    area: QRectF
    tokens: Tokens
    values: Any
    key: str
    layer_height: float


@dataclass(frozen=True, kw_only=True)
class FamilyLook:
    """One family in the window. No member has a default."""

    spec: AnySpec
    colour: Callable[[Tokens], str]
    """The colour that it is drawn in."""
    sketch: Callable[[Sketching], None]
    """Draw its values, the one in focus dimensioned."""
    on_map: Callable[[SolidSheet, ShownStructure], None] | None
    """Put its structures on the sheet of the map; None where the map draws them as bars."""
    grips: Callable[[Support, Structure, Part], list[Pull]]
    """The handles by which a support of it is pulled on the map."""
    tools: MakeTools
    """What is done to it by hand, as a section of the bench."""

    @property
    def is_drawn_as_bars(self) -> bool:
        """Whether view and map draw it strut by strut."""
        return self.on_map is None


_LOOKS: dict[tuple[str, str], FamilyLook] = {}


def register_look(look: FamilyLook) -> None:
    """Enter what the window knows of a family."""
    _LOOKS[look.spec.model.family, look.spec.model.form] = look


def unregister_look(look: FamilyLook) -> None:
    """Take it out again."""
    del _LOOKS[look.spec.model.family, look.spec.model.form]


def look_for(parameters: FamilyParameters) -> FamilyLook:
    """The look of the family of some parameters."""
    return _LOOKS[parameters.family, parameters.form]


def look_of(support: Support) -> FamilyLook:
    """The look of a support's family."""
    return look_for(support.parameters)


def looks() -> tuple[FamilyLook, ...]:
    """All that are there."""
    return tuple(_LOOKS.values())


def require_looks() -> None:
    """Raise `LookupError` where a family of the core has no look."""
    missing = [spec.title for spec in families() if (spec.model.family, spec.model.form) not in _LOOKS]
    if missing:
        raise LookupError(f"the window does not know the families {', '.join(missing)}")

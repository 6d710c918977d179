"""As what a body is laid: part or support, how full, and where values of its own hold."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.parts.path_values import PathValues


@dataclass(frozen=True)
class LaidAs:
    """A part, or a support whose inside is filled to a share; `own` values hold in the layers' frame, the last wins."""

    is_support: bool = False
    share: float = 1.0
    own: tuple[PathValues, ...] = ()


PART, SUPPORT = LaidAs(), LaidAs(is_support=True)

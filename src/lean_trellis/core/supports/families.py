"""The families of supports: which parameters each has. A new one is entered here."""

from __future__ import annotations

import math
from typing import Any

from lean_trellis.core.errors import ParameterError, UnknownNameError
from lean_trellis.core.supports.bar_parameters import BarParameters, require_self_holding
from lean_trellis.core.supports.body_parameters import BlockParameters, CradleParameters, RaftParameters
from lean_trellis.core.supports.flank_parameters import FlankParameters
from lean_trellis.core.supports.panel_parameters import LatticeParameters, WallParameters
from lean_trellis.core.supports.parameters import FamilyParameters, validated

MODELS: tuple[type[FamilyParameters], ...] = (
    BarParameters,
    LatticeParameters,
    WallParameters,
    FlankParameters,
    RaftParameters,
    BlockParameters,
    CradleParameters,
)


def model_of(family: str, form: str = "") -> type[FamilyParameters]:
    """The parameters of a family; of one that has several forms, those of the form.

    Raises `UnknownNameError` where there is none.
    """
    for model in MODELS:
        if (model.family, model.form) == (family, form):
            return model
    named = {f"{model.family}{f', {model.form}' if model.form else ''}": model for model in MODELS}
    raise UnknownNameError.among("support family", f"{family}{f', {form}' if form else ''}", named)


def parameters_of(family: str, form: str, values: dict[str, Any]) -> FamilyParameters:
    """Parameters from values as they are kept. Raises `ParameterError` where one is out of range."""
    return validated(model_of(family, form), values)


def require_buildable(parameters: FamilyParameters, critical_angle: float, part_height: float = math.inf) -> None:
    """Raise `ParameterError` where values contradict the material or the part.

    Something would hang over more than the critical angle allows, or a bite would go through a part of that height.
    """
    if isinstance(parameters, BarParameters):
        require_self_holding(parameters, critical_angle)
    for key in ("bite_depth", "lower_bite_depth", "tie_bite", "seat_depth"):
        bite = getattr(parameters, key, 0.0)
        if bite >= part_height:
            raise ParameterError(
                key, f"{bite:g} mm is deeper than the part is high", f"give less than {part_height:.4g} mm"
            )

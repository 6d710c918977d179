"""The families of supports: which parameters each has. A new one is entered here."""

from __future__ import annotations

from typing import Any

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.supports.bar_parameters import BarParameters, require_self_holding
from lean_trellis.core.supports.panel_parameters import LatticeParameters
from lean_trellis.core.supports.parameters import FamilyParameters, validated

MODELS: tuple[type[FamilyParameters], ...] = (BarParameters, LatticeParameters)


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


def require_buildable(parameters: FamilyParameters, critical_angle: float) -> None:
    """Raise `ParameterError` where something of it would hang over more than the critical angle allows."""
    if isinstance(parameters, BarParameters):
        require_self_holding(parameters, critical_angle)

"""How a parameter is declared: once, with all that form, file, help and command line need."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, ClassVar, Literal, Self, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

from lean_trellis.core.errors import ParameterError, UnknownNameError
from lean_trellis.core.supports.common.consequences import CONSEQUENCES

_SPARE_DEG = 1.0
Question = Literal["where", "holds", "carries", "stands", "comes_off", "empties"]
QUESTIONS: dict[Question, str] = {
    "where": "Where",
    "holds": "Contact",
    "carries": "Shape",
    "stands": "Base",
    "comes_off": "Removal",
    "empties": "Openings",
}


@dataclass(frozen=True)
class Declared:
    """What is known of one parameter besides its value."""

    key: str
    label: str
    unit: str
    help: str
    question: Question
    kind: Literal["number", "count", "choice", "switch", "optional_number", "text"]
    choices: tuple[str, ...]
    choice_words: tuple[str, ...]
    least: float | None
    most: float | None
    default: Any
    applies_when: Callable[[Any], bool]
    follows: Callable[[Any], float] | None = None
    """For a value that follows from others unless it is typed: what it is then."""
    too_small: str = ""
    too_large: str = ""
    cost: str = ""
    """What goes wrong when it is too small or too large, and what more of it costs; nothing for choices."""


def parameter(
    default: Any,
    label: str,
    *,
    question: Question,
    help: str,  # noqa: A002 - it is what it is called everywhere
    unit: str = "",
    least: float | None = None,
    most: float | None = None,
    words: dict[str, str] | None = None,
    applies_when: Callable[[Any], bool] = lambda _: True,
    follows: Callable[[Any], float] | None = None,
) -> Any:
    """Declare a parameter as a pydantic field. `words` name the choices for people.

    A value that `follows` from others is None until it is typed over.
    """
    extra: Any = {
        "label": label,
        "unit": unit,
        "question": question,
        "words": words or {},
        "applies_when": applies_when,
        "follows": follows,
    }
    return Field(default, ge=least, le=most, description=help, json_schema_extra=extra)


@dataclass(frozen=True)
class Renamed:
    """What a value is called now, and by what a number is multiplied to be in today's unit."""

    key: str
    factor: float = 1.0


class FamilyParameters(BaseModel):
    """Base of every family's parameters. Values are frozen; unknown keys are refused.

    `form` tells apart what one family has several of.
    """

    family: ClassVar[str]
    form: ClassVar[str] = ""
    renamed: ClassVar[Mapping[str, Renamed]] = {}
    """Keys of earlier versions, in files and on the command line, by what they were called."""
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @property
    def fill_share(self) -> float:
        """How much of its inside is filled where it is extruded."""
        return 1.0

    @property
    def is_numbered(self) -> bool:
        """Whether what is made of them shows the number of its part in the build."""
        return False

    @classmethod
    def declared(cls) -> tuple[Declared, ...]:
        """All parameters in the order of declaration."""
        return tuple(_declared_by_key(cls).values())

    @classmethod
    def declared_as(cls, key: str) -> Declared:
        """What is declared of one parameter. Raises `KeyError` where there is none."""
        return _declared_by_key(cls)[key]

    def with_value(self, key: str, value: Any) -> Self:
        """The same parameters with one value changed and all checked again.

        Raises `ParameterError` naming the key, what is wrong and the range.
        """
        return self.with_values({key: value})

    def with_values(self, values: Mapping[str, Any]) -> Self:
        """The same parameters with some values changed together and all checked once. Raises as `with_value`."""
        today = with_todays_keys(type(self), values)
        for key in today:
            if key not in type(self).model_fields:
                raise UnknownNameError.among("parameter", key, type(self).model_fields)
        return validated(type(self), {**self.model_dump(), **today}) if today else self

    def differences(self, other: FamilyParameters) -> dict[str, tuple[Any, Any]]:
        """Keys whose values differ: (here, there)."""
        here, there = self.model_dump(), other.model_dump()
        return {key: (here[key], there[key]) for key in here if here[key] != there.get(key)}


_Model = TypeVar("_Model", bound=FamilyParameters)


def validated(model: type[_Model], values: dict[str, Any]) -> _Model:
    """Build parameters from values; pydantic's faults become one `ParameterError`."""
    try:
        return model.model_validate(with_todays_keys(model, values))
    except ValidationError as problem:
        fault = problem.errors()[0]
        key = str(fault["loc"][0]) if fault["loc"] else ""
        what = fault["msg"].removeprefix("Value error, ")
        raise ParameterError(key or "parameters", what, _range_words(model, key)) from None


def with_todays_keys(model: type[FamilyParameters], values: Mapping[str, Any]) -> dict[str, Any]:
    """Values by the keys of today; a value under an earlier key counts where there is none under today's."""
    renamed = {key: value for key, value in values.items() if key not in model.renamed}
    for old, now in model.renamed.items():
        if old in values and now.key not in renamed:
            value = values[old]
            is_number = isinstance(value, (int, float)) and not isinstance(value, bool) and now.factor != 1.0
            renamed[now.key] = value * now.factor if is_number else value
    return renamed


def _range_words(model: type[FamilyParameters], key: str) -> str:
    for known in model.declared():
        if known.key == key and known.choices:
            return f"choose one of {', '.join(known.choices)}"
        if known.key == key and known.least is not None:
            most = "or more" if known.most is None else f"to {known.most:g}"
            return f"give {known.least:g} {most} {known.unit}".rstrip()
    return "change one of the values"


@cache
def _declared_by_key(model: type[FamilyParameters]) -> dict[str, Declared]:
    return {key: _declared(key, info) for key, info in model.model_fields.items()}


def _declared(key: str, info: FieldInfo) -> Declared:
    extra: dict[str, Any] = dict(info.json_schema_extra) if isinstance(info.json_schema_extra, dict) else {}
    limits = {name: getattr(rule, name) for rule in info.metadata for name in ("ge", "le") if hasattr(rule, name)}
    choices = tuple(str(choice) for choice in get_args(info.annotation) if isinstance(choice, str))
    words = extra["words"]
    return Declared(
        key=key,
        label=extra["label"],
        unit=extra["unit"],
        help=info.description or "",
        question=extra["question"],
        kind=_kind(info, choices),
        choices=choices,
        choice_words=tuple(words.get(choice, choice) for choice in choices),
        least=limits.get("ge"),
        most=limits.get("le"),
        default=info.default,
        applies_when=extra["applies_when"],
        follows=extra["follows"],
        **_consequences(key),
    )


def _consequences(key: str) -> dict[str, str]:
    known = CONSEQUENCES.get(key)
    return {} if known is None else vars(known)


def _kind(info: FieldInfo, choices: tuple[str, ...]) -> Any:
    if choices:
        return "choice"
    if info.annotation is bool:
        return "switch"
    if info.annotation is int:
        return "count"
    if info.annotation is str:
        return "text"
    return "optional_number" if type(None) in get_args(info.annotation) else "number"


def require_shallow(parameters: FamilyParameters, keys: tuple[str, ...], part_height: float) -> None:
    """Raise `ParameterError` where a bite, one of the values `keys`, would go through a part of that height."""
    values = parameters.model_dump(include=set(keys))
    for key in keys:
        if values[key] >= part_height:
            raise ParameterError(
                key, f"{values[key]:g} mm is deeper than the part is high", f"give less than {part_height:.4g} mm"
            )


def self_supporting_lean(critical_angle: float, tilt: float = 0.0) -> float:
    """How far sides may lean from vertical and still support themselves, degrees: a little less than the angle lets.

    On a belt layers have a `tilt`, by which a side may lean the less.
    """
    return max(90 - critical_angle - tilt - _SPARE_DEG, 1.0)

"""The family of a support as one object, and the registry of all families.

Everything that differs by family is a member here, and none has a default: what a family lacks fails when its module is
imported. Nothing else asks which family a support has.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.formats.body import Named
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.overhang.region import RegionKind
from lean_trellis.core.progress import Watch
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.supports.common.faults import FamilyView, Fault
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.footprint import Patches
from lean_trellis.core.supports.common.parameters import FamilyParameters, validated
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.structure import Drawn, Structure
from lean_trellis.core.supports.common.support import Support

P = TypeVar("P", bound=FamilyParameters)
S = TypeVar("S", bound=Structure)


@dataclass(frozen=True)
class FirstStep(Generic[P]):
    """A first step whose result is kept by fewer values than the whole.

    `reduced` gives the parameters with all values that make no difference at their defaults (it also knows whether
    surfaces of the part are protected); `make` makes it from a request with these.
    """

    reduced: Callable[[P, bool], P]
    make: Callable[[Request[P]], Any]


@dataclass(frozen=True)
class Surroundings:
    """What a family's reach may follow from besides its values: the part's box (2, 3) and the material's constants."""

    bounds: Floats
    constants: Mapping[str, Constant]
    process: Process


@dataclass(frozen=True)
class ExportWish:
    """How structures are wanted: united, each element apart, as beams."""

    united: bool
    each_element: bool = False
    as_beams: bool = False


@dataclass(frozen=True, kw_only=True)
class FamilySpec(Generic[P, S]):
    """One family, or one form of a family that has several."""

    title: str
    model: type[P]
    """Its parameters; they name family and form."""
    structure: type[S]
    """What it generates."""
    region_kinds: tuple[RegionKind, ...]
    """Which kinds of region it is for, those that it suits best first; none where it is for the part."""
    is_ground: bool
    """Whether other supports of its parts stand on it."""
    joins: bool
    """Whether it is built onto other supports on purpose: no raft goes under it, and meeting them is no fault."""
    gets_room: bool
    """Whether walls keep clear of it where they are set to."""
    first_step: FirstStep[P] | None
    generate: Callable[[Request[P], Any, Watch], S]
    """The structures of a request; the second is what the first step made. Raises `ParameterError` for values that
    contradict each other, the part or the material."""
    require: Callable[[P, float, float], None]
    """Raise `ParameterError` where values contradict a critical angle or a part of that height."""
    reach_mm: Callable[[Support, Surroundings], float]
    """How far beyond the part's box, in plan, other parts make a difference to it."""
    follows: Callable[[Support, Sequence[Support]], tuple[Support, ...]]
    """Of the supports of a job those whose structures it follows from."""
    keeps_clear_of: Callable[[Support, Sequence[Support]], tuple[Support, ...]]
    """Of the supports of a job those that it keeps clear of: their structures come first."""
    shadow: Callable[[S], Shape]
    """What it covers as seen from above."""
    footprint: Callable[[S], Patches]
    """What of it lies on the plate."""
    solid: Callable[[S], Mesh]
    """All of it as closed solids, for volumes in common with others."""
    drawn: Callable[[S, int], Drawn | None]
    """What a view draws of it, of about so many faces for a whole part; None where its view knows better."""
    export: Callable[[S, str, ExportWish], list[Named]]
    """The bodies that leave, under a name."""
    figures: Callable[[S], dict[str, Any]]
    """Its own figures by name, for the command line: lengths mm, areas mm²."""
    words: Callable[[S], str]
    """Counts and what else a person wants to know besides volume and contact, a line each."""
    trouble: Callable[[S], str]
    """What could not be made as meant; empty where all could."""
    grips: Callable[[S], Grips]
    """Its contacts that carry the part, with the columns below them."""
    faults: Callable[[FamilyView[P, S]], Iterator[Fault]]
    """What is wrong with a support of it."""
    loads: Callable[[S, Grips, GripLoads, Actions], Any]
    """Figures of its elements under what its contacts carry."""

    @property
    def serves_regions(self) -> bool:
        """Whether it is for regions; else it is for the part."""
        return bool(self.region_kinds)


AnySpec = FamilySpec[Any, Any]
_FAMILIES: dict[tuple[str, str], AnySpec] = {}


def register(spec: AnySpec) -> None:
    """Enter a family. Raises `ValueError` where it is there already."""
    key = (spec.model.family, spec.model.form)
    if key in _FAMILIES and _FAMILIES[key] is not spec:
        raise ValueError(f"{key} is entered twice")
    _FAMILIES[key] = spec


def unregister(spec: AnySpec) -> None:
    """Take a family out again."""
    del _FAMILIES[(spec.model.family, spec.model.form)]


def families() -> tuple[AnySpec, ...]:
    """All families, in the order in which they were entered."""
    return tuple(_FAMILIES.values())


def spec_named(family: str, form: str = "") -> AnySpec:
    """A family by its name and form. Raises `UnknownNameError` where there is none."""
    if (family, form) in _FAMILIES:
        return _FAMILIES[family, form]
    names = [f"{family}{f', {form}' if form else ''}" for family, form in _FAMILIES]
    raise UnknownNameError.among("support family", f"{family}{f', {form}' if form else ''}", names)


def spec_of(support: Support) -> AnySpec:
    """The family of a support."""
    return spec_for(support.parameters)


def spec_for(parameters: FamilyParameters) -> AnySpec:
    """The family of some parameters."""
    return spec_named(parameters.family, parameters.form)


def parameters_of(family: str, form: str, values: dict[str, Any]) -> FamilyParameters:
    """Parameters from values as they are kept. Raises `ParameterError` where one is out of range."""
    parameters: FamilyParameters = validated(spec_named(family, form).model, values)
    return parameters


def require_buildable(parameters: FamilyParameters, critical_angle: float, part_height: float = float("inf")) -> None:
    """Raise `ParameterError` where values contradict the material or the part."""
    spec_for(parameters).require(parameters, critical_angle, part_height)

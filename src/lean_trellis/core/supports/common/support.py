"""A support: what it is for, with which values, where those come from, and what was done to it by hand."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.parameters import FamilyParameters

Place = tuple[float, float, float]


@dataclass(frozen=True)
class RegionPick:
    """A selected region, remembered by a place on it in the part's own coordinates and by its kind."""

    kind: Literal["face", "edge", "point"]
    anchor_mm: tuple[float, float, float]


@dataclass(frozen=True)
class HandBar:
    """A bar that was added or changed by hand. `place` is its support point in the part's own coordinates, mm.

    Values that are None are the support's. `foot` (x, y) and `bend` (x, y, z) are where it stands and bends, from the
    support point, along the plate's axes. `on_any_slope`: it was set where nothing needs holding, and stays there.
    """

    place: Place
    shaft_diameter: float | None = None
    tip_diameter: float | None = None
    tip_length: float | None = None
    foot: tuple[float, float] | None = None
    bend: Place | None = None
    is_locked: bool = False
    on_any_slope: bool = False

    @property
    def is_routed(self) -> bool:
        """Whether its way was drawn by hand."""
        return self.foot is not None or self.bend is not None


@dataclass(frozen=True)
class Removed:
    """No generated bar touches the part within `radius` mm of a place of the part's own coordinates."""

    place: Place
    radius: float


@dataclass(frozen=True)
class Tie:
    """A bar between two places of one part, against distortion; it carries nothing. Own coordinates, mm."""

    start: Place
    stop: Place
    diameter: float


@dataclass(frozen=True)
class Line:
    """Places one after the other in the part's own coordinates: the path of a wall, or what a lasso goes round."""

    places: tuple[Place, ...]


@dataclass(frozen=True)
class Gone:
    """A wall, or a whole piece, that was deleted: a place on it in the part's own coordinates."""

    place: Place
    what: Literal["wall", "piece"]


@dataclass(frozen=True)
class Extended:
    """A wall that goes on beyond its end, a place in the part's own coordinates, by `by` mm."""

    place: Place
    by: float


@dataclass(frozen=True)
class HandWork:
    """All that was done to a support by hand: on bars, and on walls."""

    bars: tuple[HandBar, ...] = ()
    removed: tuple[Removed, ...] = ()
    ties: tuple[Tie, ...] = ()
    paths: tuple[Line, ...] = ()
    cut_out: tuple[Line, ...] = ()
    gone: tuple[Gone, ...] = ()
    extended: tuple[Extended, ...] = ()

    @property
    def is_empty(self) -> bool:
        """Whether there are no manual edits."""
        return self == HandWork()


@dataclass(frozen=True)
class MadeBy:
    """The recipe and its version, the rule and which of its sets, counted from 0, that a support was made by.

    `values` are those that the rule has otherwise than the set: what differs besides was changed on the support.
    """

    recipe: str
    version: int
    rule: str
    use: int = 0
    values: tuple[tuple[str, float | int | bool | str], ...] = ()


@dataclass(frozen=True)
class Support:
    """One set of structures for one target with one parameter set.

    `target` None means every region of the part; otherwise the selected regions, none of them where all is by hand.
    `set_name` and `set_version` tell where the values came from; values that differ from the set's are the differences.
    `others` are further parts that a raft is for; `body` is the shape of a block that has one of its own.
    """

    id: str
    part_id: str
    parameters: FamilyParameters
    set_name: str
    set_version: int
    target: tuple[RegionPick, ...] | None = None
    hand: HandWork = field(default_factory=HandWork)
    others: tuple[str, ...] = ()
    body: Mesh | None = None
    made_by: MadeBy | None = None

    @property
    def parts(self) -> tuple[str, ...]:
        """Every part it is for, its own first."""
        return (self.part_id, *self.others)

    @property
    def family(self) -> str:
        """The family of its structures."""
        return self.parameters.family

    def scaled(self, factors: Floats) -> Support:
        """The same with every place in the part's own coordinates multiplied by (3,) factors."""

        def moved(place: Place) -> Place:
            x, y, z = (value * factor for value, factor in zip(place, factors.tolist(), strict=True))
            return x, y, z

        hand = HandWork(
            tuple(replace(bar, place=moved(bar.place)) for bar in self.hand.bars),
            tuple(replace(entry, place=moved(entry.place)) for entry in self.hand.removed),
            tuple(replace(tie, start=moved(tie.start), stop=moved(tie.stop)) for tie in self.hand.ties),
            tuple(Line(tuple(moved(place) for place in line.places)) for line in self.hand.paths),
            tuple(Line(tuple(moved(place) for place in line.places)) for line in self.hand.cut_out),
            tuple(replace(entry, place=moved(entry.place)) for entry in self.hand.gone),
            tuple(replace(entry, place=moved(entry.place)) for entry in self.hand.extended),
        )
        target = self.target
        if target is not None:
            target = tuple(replace(pick, anchor_mm=moved(pick.anchor_mm)) for pick in target)
        return replace(self, target=target, hand=hand)

"""What is done with the mouse in the views: a place selected, a shape drawn, a handle pulled."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.bars.struts import BEND, LOWER_END, ON_PLATE

Handle = Literal["hold", "foot", "bend", "path", "block", "flank"]
_FOOT_BELOW, _HOLD_ABOVE = 0.3, 0.7


@dataclass(frozen=True)
class Pull:
    """What is pulled by a handle: a bar by its support point, its foot or its bend.

    Of other supports `bar` is the handle's number: a point of a drawn path, a block's middle or corner, an end of a
    flank wall.

    `place` is where it is now on the plate's frame, with the `face` there; a face of -1 stands for what is first met
    from straight below. `is_over`: it was let go there.
    """

    support: str
    bar: int
    handle: Handle
    place: tuple[float, float, float]
    face: int = -1
    is_over: bool = False


def handle_at(bars: Bars, bar: int, z: float) -> Handle:
    """Which handle of a bar is meant at a height: its upper end, its foot where it stands on the plate, its bend."""
    low, high = bars.centres[bar, LOWER_END, 2], bars.holds[bar, 2]
    share = (z - low) / max(high - low, 1e-9)
    if share >= _HOLD_ABOVE or bars.landings[bar] != ON_PLATE:
        return "hold"
    return "foot" if share <= _FOOT_BELOW else "bend"


def bend_of(bars: Bars, bar: int) -> tuple[float, float, float]:
    """Where a bar bends; the middle of its shaft where it is straight."""
    x, y, z = bars.centres[bar, BEND].tolist()
    return x, y, z


@dataclass(frozen=True)
class Pick:
    """What is under the pointer: a part's face, or a support's bar, and where."""

    part: str = ""
    face: int = -1
    support: str = ""
    bar: int = -1
    place: tuple[float, float, float] | None = None


@dataclass(frozen=True, eq=False)
class Stroke:
    """What was drawn with a tool: `places` on the plate (map) or on the picture (3D view), `picks` of a brush.

    `matrix` and `eye` tell how the 3D view looks; None on the map.
    """

    places: tuple[tuple[float, float], ...] = ()
    picks: tuple[Pick, ...] = ()
    matrix: tuple[float, ...] | None = None
    eye: tuple[float, float, float] | None = None

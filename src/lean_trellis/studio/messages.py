"""What a bench asks the window to do in its views and with files: one class a message, so that each is checked."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.job import Job
from lean_trellis.core.job.job import Trial
from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.supports import Bars
from lean_trellis.studio.part_requests import SpreadRest


@dataclass(frozen=True)
class Fly:
    """Bring a place on the plate, in mm, into sight: from below, unless it is no underside."""

    place: tuple[float, float, float]
    is_underside: bool = True


@dataclass(frozen=True)
class PreviewAngles:
    """Colour faces by angles (critical, watch) in degrees that are not set yet; None ends it."""

    angles: tuple[float, float] | None


@dataclass(frozen=True)
class ShowFault:
    """Mark a fault of a part's mesh; None ends it."""

    fault: tuple[str, MeshFault] | None


@dataclass(frozen=True)
class Ghost:
    """Show bars that are not made yet, and whether they may be; None ends it."""

    bars: Bars | None
    is_way: bool = True


@dataclass(frozen=True)
class ColourBy:
    """Colour bars by a figure; an empty one ends it."""

    figure: str


@dataclass(frozen=True)
class ShowPoints:
    """Mark points, in mm."""

    points: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True)
class CutAbove:
    """Lift away what lies above a height, in mm; None puts it back."""

    height_mm: float | None


@dataclass(frozen=True)
class ShowBeside:
    """Show a trial beside the job as it is now; None ends it."""

    trial: Trial | None


@dataclass(frozen=True)
class Measure:
    """Begin to measure."""


@dataclass(frozen=True)
class SaveRest:
    """Save what found no room as jobs of its own."""

    request: SpreadRest


@dataclass(frozen=True)
class OpenSecond:
    """Open a job that was made from this one."""

    job: Job


@dataclass(frozen=True)
class NewBuildOf:
    """Make a further build of a released one."""


@dataclass(frozen=True)
class ShowBoard:
    """Show the build board of the shop."""


ViewMessage = CutAbove | ShowBeside | Fly | PreviewAngles | ShowFault | Ghost | ColourBy | ShowPoints | Measure
FileMessage = SaveRest | OpenSecond | NewBuildOf | ShowBoard
Message = ViewMessage | FileMessage

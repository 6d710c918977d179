"""What a ticket says, as plain values that can be kept as JSON."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore")


Place2 = tuple[float, float]


class Ring(_Plain):
    """An area bounded by rings (holes by the even-odd rule), mm in the drawing's frame, y upwards."""

    rings: tuple[tuple[Place2, ...], ...]
    fill: str = ""
    line: str = ""
    width: float = 0.3


class Dot(_Plain):
    """A place that is marked."""

    at: Place2
    radius: float
    fill: str


class Words(_Plain):
    """Words whose middle stands at a place; `size` mm high in the drawing's frame."""

    at: Place2
    text: str
    size: float
    color: str = "#22302B"


class TicketDrawing(_Plain):
    """A drawing to scale: between two corners of its frame, mm."""

    title: str
    low: Place2
    high: Place2
    areas: tuple[Ring, ...] = ()
    dots: tuple[Dot, ...] = ()
    words: tuple[Words, ...] = ()


class TicketDifference(_Plain):
    """A value of a support that is not its set's."""

    label: str
    here: str
    there: str


class TicketSupport(_Plain):
    """A support of a part: with which set and version, what differs, what it comes to."""

    set_id: str
    set_name: str
    version: int
    family: str
    count: int
    element: str
    volume_mm3: float
    utilisation: float
    by_hand: int
    differences: tuple[TicketDifference, ...] = ()


class TicketPart(_Plain):
    """A part with its number on the plan."""

    number: int
    name: str
    owner: str
    order: str
    lot: str
    size_mm: tuple[float, float, float]
    end_size_mm: tuple[float, float, float]
    volume_mm3: float
    place_mm: tuple[float, float]
    turned_deg: tuple[float, float, float]
    build_offset_mm: float
    supports: tuple[TicketSupport, ...] = ()


class TicketFinding(_Plain):
    """A finding, and the waiver that covers it as name, reason and last day."""

    severity: str
    code: str
    title: str
    part: str
    number: int
    message: str
    place: str
    waiver: str = ""


class TicketOwner(_Plain):
    """An owner's share."""

    owner: str
    orders: tuple[str, ...]
    numbers: tuple[int, ...]
    volume_mm3: float
    time_share: float
    cost: float
    threatens: tuple[str, ...]


class TicketFile(_Plain):
    """A file that goes to the machine."""

    name: str
    bytes: int
    sha256: str


class TicketContents(_Plain):
    """All that a ticket says."""

    format: Literal["lean-trellis-ticket"] = "lean-trellis-ticket"
    version: int = 1
    job: str
    due: str
    machine: str
    machine_id: str
    process: str
    material: str
    material_id: str
    lot: str
    layer_height: float
    first_layer: float | None
    mode: str
    surface: str
    fitting: str
    layers: int
    build_seconds: float
    warm_seconds: float
    part_volume_mm3: float
    support_volume_mm3: float
    grams: float
    loaded_grams: float | None
    cost: float
    material_changes: int
    height_mm: float
    parts: tuple[TicketPart, ...]
    owners: tuple[TicketOwner, ...]
    findings: tuple[TicketFinding, ...]
    drawings: tuple[TicketDrawing, ...]
    after: tuple[str, ...]
    files: tuple[TicketFile, ...] = ()
    released_by: str = ""
    picture: str = ""
    """A PNG of the build as base64, where the window took one."""

    def whose(self) -> str:
        """Parts and owners on one line, for the head of pages that are about all of them."""
        return "; ".join(f"{one.owner} {_ranges(one.numbers)}" for one in self.owners)


def _ranges(numbers: tuple[int, ...]) -> str:
    """`1-3, 7` of 1, 2, 3, 7."""
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(first) if first == last else f"{first}-{last}" for first, last in runs)

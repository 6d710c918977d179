"""The regions of a part as a table: for the list at hand, for the command line, as CSV for a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import asdict, dataclass

from lean_trellis.core.derive.pipeline import RegionFacts
from lean_trellis.core.overhang.region import Region


@dataclass(frozen=True)
class RegionRow:
    """All that is reported of one region; lengths mm, areas mm², angles in degrees from the layer plane."""

    region: int
    kind: str
    area_mm2: float
    projected_area_mm2: float
    worst_angle_deg: float
    mean_angle_deg: float
    lowest_mm: float
    highest_mm: float
    greatest_span_mm: float
    beneath: str
    rim_free_mm: float
    rim_wall_mm: float
    rim_fading_mm: float
    by_hand: bool
    left_out: str
    held_by: str
    held_mm2: float
    not_held_mm2: float


def region_rows(regions: Sequence[Region], facts: RegionFacts, held_by: dict[int, str]) -> tuple[RegionRow, ...]:
    """A row for each region; `held_by` names the supports that serve it."""
    rows = []
    for region in regions:
        share = float(facts.supported[region.id])
        free, wall, fading = region.rim_mm
        rows.append(
            RegionRow(
                region.id + 1,
                region.kind,
                region.area_mm2,
                region.projected_area_mm2,
                region.min_angle_deg,
                region.mean_angle_deg,
                region.lowest_mm,
                region.highest_mm,
                float(facts.spans_mm[region.id]),
                facts.beneath[region.id],
                free,
                wall,
                fading,
                region.is_by_hand,
                region.left_out,
                held_by.get(region.id, ""),
                share * region.area_mm2,
                (1 - share) * region.area_mm2,
            )
        )
    return tuple(rows)


def rows_as_csv(rows: Sequence[RegionRow]) -> str:
    """The rows as CSV with a line of names; numbers with a decimal point, to a thousandth."""
    text = io.StringIO()
    names = list(RegionRow.__dataclass_fields__)
    writer = csv.DictWriter(text, names, lineterminator="\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({key: _cell(value) for key, value in asdict(row).items()})
    return text.getvalue()


def _cell(value: object) -> object:
    if isinstance(value, bool):
        return "yes" if value else ""
    return f"{value:.3f}" if isinstance(value, float) else value

"""The list of regions."""

from __future__ import annotations

import csv

import numpy as np
import pytest

from lean_trellis.core.derive.pipeline import RegionFacts
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.region_list import region_rows, rows_as_csv


def test_regions_are_told_in_a_table_that_a_spreadsheet_reads():
    nothing = np.zeros(0, np.int64)
    face = Region(0, "face", nothing, nothing, 12.5, 12.0, 3.0, 4.0, 5.0, (0, 0, 4), (0, 0, 4), 7.0, (1.0, 2.0, 3.0))
    point = Region(1, "point", nothing, nothing, 0, 0, 0, 9.0, 9.0, (1, 1, 9), (1, 1, 9), left_out="so, it is")
    facts = RegionFacts(np.array([2.5, 0.0]), ("plate", "same part"), np.array([0.8, 1.0]))
    rows = region_rows((face, point), facts, {0: "bars-metal"})
    assert rows[0].held_mm2 == pytest.approx(10.0)
    assert rows[0].not_held_mm2 == pytest.approx(2.5)
    read = list(csv.DictReader(rows_as_csv(rows).splitlines()))
    assert [row["region"] for row in read] == ["1", "2"]
    assert read[0]["mean_angle_deg"] == "7.000"
    assert (read[0]["held_by"], read[1]["held_by"]) == ("bars-metal", "")
    assert read[1]["left_out"] == "so, it is", "a comma is no new column"
    assert (read[0]["rim_free_mm"], read[0]["rim_wall_mm"], read[0]["rim_fading_mm"]) == ("1.000", "2.000", "3.000")


def test_a_table_without_regions_has_its_line_of_names():
    assert rows_as_csv(()).splitlines() == [",".join(region_names())]


def region_names():
    from lean_trellis.core.region_list import RegionRow

    return list(RegionRow.__dataclass_fields__)

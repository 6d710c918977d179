"""What a sheet is built with."""

from __future__ import annotations

import pytest

from lean_trellis.core.shop.material import Constant
from lean_trellis.core.supports.common.request import line_width


def constant(value: float) -> Constant:
    return Constant(value=value, unit="mm", source="assumed")


@pytest.mark.parametrize(
    ("keys", "width"),
    [({}, 0.1), ({"least_wall": 0.3}, 0.3), ({"least_wall": 0.3, "path_width": 0.45}, 0.45),
     ({"least_wall": 0.3, "path_width": 0.45, "hatch_distance": 0.12}, 0.12)],
)  # fmt: skip
def test_a_scan_line_is_as_wide_as_the_process_makes_it(keys, width):
    assert line_width({key: constant(value) for key, value in keys.items()}) == width

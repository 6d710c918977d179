"""Bodies and their units."""

from __future__ import annotations

import pytest

from lean_trellis.core.formats import read_bodies, stl
from lean_trellis.core.mesh.primitives import box


@pytest.mark.parametrize(
    ("size", "unit"),
    [(60, "mm"), (5, "mm"), (0.8, "in"), (2.0, "in"), (0.06, "m"), (0.9e5, "micron"), (1e-9, "mm")],
)
def test_a_unit_that_no_file_names_is_guessed_from_the_size(tmp_path, size, unit):
    path = tmp_path / "part.stl"
    path.write_bytes(stl.stl_bytes(box((size, size / 2, size / 3))))
    (body,) = read_bodies(path, unit=None)
    assert (body.unit, body.unit_is_from) == (unit, "guess")


def test_a_unit_that_is_given_is_no_guess(tmp_path):
    path = tmp_path / "part.stl"
    path.write_bytes(stl.stl_bytes(box((1, 1, 1))))
    (body,) = read_bodies(path, unit="cm")
    assert (body.unit, body.unit_is_from) == ("cm", "user")
    assert body.mesh.volume == pytest.approx(1000)

"""`paths`: values of their own that parts are laid with."""

from __future__ import annotations

import pytest

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def job(call, tmp_path):
    (tmp_path / "plate.stl").write_bytes(stl_bytes(box((20, 20, 4))))
    path = tmp_path / "plate.trellis"
    shop = "--machine", "filament-320", "--material", "pla"
    status, _, err = call("prepare", tmp_path / "plate.stl", "-o", path, *shop, "--build-offset", 0)
    assert status == 0, err
    return path


def test_values_are_listed_added_replaced_and_taken_away(call, job):
    assert call("paths", job, "--json")[1] == []
    assert "as their material says" in call("paths", job)[1]
    seconds = call("estimate", job, "--json")[1]["build_seconds"]
    top = "paths", job, "--part", "plate", "--from", 2, "--to", 4
    (one,) = call(*top, "--fill-share", 0.1, "--json")[1]
    assert (one["part"], one["low"], one["high"], one["at"], one["fill_share"], one["loops"]) == (
        "plate", 2.0, 4.0, None, 0.1, None,
    )  # fmt: skip
    sparse = call("estimate", job, "--json")[1]["build_seconds"]
    assert sparse < 0.97 * seconds
    (again,) = call(*top, "--fill-share", 1.0, "--loops", 1, "--json")[1]
    assert (again["fill_share"], again["loops"]) == (1.0, 1)
    both = call("paths", job, "--part", "part-1", "--at", 0, 0, 1, "--path-width", 0.6, "--json")[1]
    assert [entry["at"] for entry in both] == [None, [0.0, 0.0, 1.0]]
    assert "0.6" in call("paths", job)[1]
    assert call("paths", job, "--part", "plate", "--clear", "--json")[1] == []
    assert call("estimate", job, "--json")[1]["build_seconds"] == pytest.approx(seconds)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--loops", "2"), "names no part"), (("--part", "plank", "--loops", "2"), "did you mean plate"),
        (("--part", "plate"), "gets no value"), (("--part", "plate", "--loops", "2", "--clear"), "at once"),
        (("--part", "plate", "--from", "4", "--to", "2", "--loops", "2"), "there is no layer"),
        (("--part", "plate", "--path-width", "9"), "no width of a bead"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_a_line_and_the_job_stays(call, job, words, said):
    before = job.read_bytes()
    status, _, err = call("paths", job, *words)
    assert (status, err.count("\n")) == (2, 1)
    assert said in err
    assert job.read_bytes() == before


def test_a_build_that_lays_no_beads_has_none(call, tmp_path):
    (tmp_path / "plate.stl").write_bytes(stl_bytes(box((20, 20, 4))))
    path = tmp_path / "plate.trellis"
    call("prepare", tmp_path / "plate.stl", "-o", path, "--machine", "metal-260", "--material", "steel-316l")
    assert "lays no beads" in call("paths", path, "--part", "plate", "--loops", 2)[2]

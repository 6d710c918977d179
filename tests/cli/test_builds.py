"""The build board by commands."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.shop.address import ADDRESS


@pytest.fixture(autouse=True)
def shop(tmp_path, monkeypatch):
    monkeypatch.setenv(ADDRESS, f"sqlite:///{tmp_path / 'library.db'}")


@pytest.fixture
def path(metal, tmp_path):
    job = job_of(metal, box((20, 10, 5)), box((8, 8, 8)))
    job = edits.describe_parts(job, ["part-1"], owner="Otterbank", order="O-1").job
    save_job(edits.rename_job(job, "Friday").job, tmp_path / "Friday.trellis")
    return tmp_path / "Friday.trellis"


def test_an_empty_board(call):
    assert call("builds", "list", "--json")[:2] == (0, [])
    assert "No builds on the board" in call("builds", "list")[1]
    status, _, error = call("builds", "show", "Friday")
    assert status == 2
    assert "no build of that name" in error


def test_put_shown_taken_and_brought_up_to_date(call, path, tmp_path, library):
    status, put, _ = call("builds", "put", path, "--json")
    assert (status, sorted(put["sent"]), put["conflicts"]) == (0, ["part 1", "part 2"], [])
    shown = call("builds", "show", "Friday", "--json")[1]
    assert {"id", "name", "state", "machine", "parts"} <= set(shown)
    assert [(one["name"], one["owner"], one["order"], one["outcome"]) for one in shown["parts"]] == [
        ("part 1", "Otterbank", "O-1", ""), ("part 2", "", "", ""),
    ]  # fmt: skip
    other = tmp_path / "mine.trellis"
    assert call("builds", "take", put["id"], "-o", other, "--json")[1]["parts"] == ["part 1", "part 2"]
    job = open_job(other, library)
    save_job(edits.move_part(job, job.parts[1].id, 55.0, 66.0).job, other)
    assert call("builds", "put", other, "--json")[1]["sent"] == ["part 2"]
    assert call("builds", "put", path, "--json")[1]["fetched"] == ["part 2"]
    assert open_job(path, library).parts[1].pose.x == 55.0


def test_the_same_part_changed_on_both_sides(call, path, tmp_path, library):
    call("builds", "put", path, "--json")
    other = tmp_path / "mine.trellis"
    call("builds", "take", "Friday", "-o", other, "--json")
    for file, x in ((path, 50.0), (other, 70.0)):
        job = open_job(file, library)
        save_job(edits.move_part(job, job.parts[0].id, x, 66.0).job, file)
    assert call("builds", "put", path, "--json")[0] == 0
    status, said, _ = call("builds", "put", other, "--json")
    assert (status, said["sent"]) == (1, [])
    (conflict,) = said["conflicts"]
    assert conflict["name"] == "part 1"
    assert open_job(other, library).parts[0].pose.x == 70.0
    assert call("builds", "put", other, "--theirs", conflict["id"], "--json")[0] == 0
    assert open_job(other, library).parts[0].pose.x == 50.0


def test_outcomes_orders_and_states(call, path, tmp_path):
    call("builds", "put", path, "--json")
    orders = call("builds", "order", "O-1", "part 1", 2, "--owner", "Otterbank", "--due", "2026-12-24", "--json")[1]
    assert (orders[0]["placed"], orders[0]["to_do"]) == (1, 1)
    status, shown, _ = call("builds", "outcome", "Friday", "part 1", "fell_off", "--note", "at 4 mm", "--json")
    assert (status, shown["parts"][0]["outcome"]) == (0, "fell_off")
    again = call("builds", "show", "again", "--json")[1]
    assert again["parts"][0]["outcome_note"] == "fell off its supports in Friday. at 4 mm"
    assert call("builds", "orders", "--json")[1][0]["to_do"] == 2
    assert call("builds", "state", "Friday", "done", "--hours", 6.5, "--json")[1]["actual_seconds"] == 23_400
    for wrong, words in (
        (("outcome", "Friday", "part 1", "fine"), "no outcome of that name"),
        (("state", "Friday", "x"), "no state"),
        (("outcome", "Friday", "part 9", "well"), "no part of that name"),
        (("order", "O", "p", 1, "--due", "soon"), "is no day"),
        (("take", "Friday", "-o", "x.stl"), "no name for a job"),
    ):  # fmt: skip
        status, _, error = call("builds", *wrong)
        assert status == 2
        assert words in error


def test_one_part_as_a_job_of_its_own(call, path, tmp_path, library):
    call("builds", "put", path, "--json")
    call("builds", "take", "Friday", "-o", tmp_path / "one.trellis", "--part", "part 2", "--json")
    job = open_job(tmp_path / "one.trellis", library)
    assert [part.name for part in job.parts] == ["part 2"]
    assert job.link is None

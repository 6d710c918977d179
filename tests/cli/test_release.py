"""Checked, waived, released, built, noted: by commands alone."""

from __future__ import annotations

import json

import pytest
from running_machine import running

from lean_trellis.core.formats import Body
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.machines.register import FOLDER
from lean_trellis.core.shop.address import ADDRESS


@pytest.fixture(autouse=True)
def shop(tmp_path, monkeypatch):
    monkeypatch.setenv(ADDRESS, f"sqlite:///{tmp_path / 'library.db'}")
    monkeypatch.setenv(FOLDER, str(tmp_path / "machines"))


@pytest.fixture
def job(call, tmp_path):
    """A tile that lies on the plate: nothing holds it back."""
    (tmp_path / "tile.stl").write_bytes(stl_bytes(box((12, 10, 2))))
    path = tmp_path / "Friday.trellis"
    call("prepare", tmp_path / "tile.stl", "-o", path, "--machine", "filament-320", "--material", "pla",
         "--layer-height", "0.25", "--json")  # fmt: skip
    return path


@pytest.fixture
def in_the_air(call, tmp_path, library):
    """A tile with nothing below."""
    job = new_job(library.machine("filament-320"), library.material("pla"), "Floating")
    job = edits.add_bodies(job, [Body("tile", box((12, 10, 2)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 3.0).job
    save_job(job, tmp_path / "Floating.trellis")
    return tmp_path / "Floating.trellis"


def test_a_release_to_a_folder(call, job, tmp_path):
    status, said, _ = call("release", job, "--to-folder", tmp_path / "stick", "--by", "A. Rowan", "--json")
    assert (status, said["accepted"], said["reasons"]) == (0, True, [])
    assert [path.rsplit(".", 1)[1] for path in said["ticket"]] == ["html", "pdf"]
    assert sorted(path.name for path in (tmp_path / "stick").iterdir()) == [
        "Friday-manifest.json", "Friday-ticket.html", "Friday-ticket.pdf", "Friday.gcode",
    ]  # fmt: skip
    status, _, error = call("release", job, "--to-folder", tmp_path / "stick", "--json")
    assert status == 2
    assert "is there already" in error
    assert len(error.strip().splitlines()) == 1
    assert call("release", job, "--to-folder", tmp_path / "stick", "--replace", "--json")[0] == 0


def test_what_was_released_is_frozen_and_in_the_build_log(call, job, tmp_path, library):
    call("release", job, "--to-folder", tmp_path / "stick", "--by", "A. Rowan", "--json")
    released = open_job(job, library).released
    assert (released.who, released.to) == ("A. Rowan", str(tmp_path / "stick"))
    assert json.loads(released.contents)["job"] == "Friday"
    (build,) = call("builds", "list", "--json")[1]
    assert (build["name"], build["state"], build["machine"]) == ("Friday", "released", "filament-320")
    assert build["parts"][0]["name"] == "tile"


def test_an_open_stop_refuses_until_it_is_waived(call, in_the_air, tmp_path, library):
    before = in_the_air.read_bytes()
    status, said, _ = call("release", in_the_air, "--to-folder", tmp_path / "out", "--json")
    assert (status, said["accepted"]) == (1, False)
    assert any("in_the_air" in reason for reason in said["reasons"])
    assert in_the_air.read_bytes() == before
    assert not (tmp_path / "out").exists()
    status, checked, _ = call("check", in_the_air, "--json")
    assert (status, checked["releasable"]) == (1, False)
    for code in {one["code"] for one in checked["findings"] if one["severity"] == "stop"}:
        given = ("--code", code, "--who", "B. Alder", "--reason", "a test", "--json")
        status, waived, _ = call("waive", in_the_air, *given)
        assert (status, waived[0]["who"]) == (0, "B. Alder")
    status, checked, _ = call("check", in_the_air, "--json")
    assert (status, checked["releasable"]) == (0, True)
    stops = [one for one in checked["findings"] if one["severity"] == "stop"]
    assert {one["waiver"]["reason"] for one in stops} == {"a test"}
    status, _, error = call("waive", in_the_air, "--code", "wrap", "--who", "B", "--reason", "x")
    assert status == 2
    assert "no stop of that name" in error


def test_two_people_where_the_shop_asks_for_it(call, in_the_air, tmp_path):
    assert call("rules", "--two-people", "--why", "two pairs of eyes", "--json")[1]["two_people"] is True
    findings = call("check", in_the_air, "--json")[1]["findings"]
    for code in {one["code"] for one in findings if one["severity"] == "stop"}:
        call("waive", in_the_air, "--code", code, "--who", "B. Alder", "--reason", "a test", "--json")
    status, said, _ = call("release", in_the_air, "--to-folder", tmp_path / "out", "--by", "b. alder", "--json")
    assert status == 1
    assert "has waived a stop" in said["reasons"][0]
    assert call("release", in_the_air, "--to-folder", tmp_path / "out", "--by", "C. Hazel", "--json")[0] == 0


def test_to_a_machine_that_runs_and_to_one_that_does_not(call, job, tmp_path):
    before = job.read_bytes()
    status, _, error = call("release", job, "--to", "filament-320", "--json")
    assert status == 2
    assert "no machine of that name runs here" in error
    assert job.read_bytes() == before
    with running(tmp_path / "machines"):
        status, said, _ = call("release", job, "--to", "filament-320", "--by", "A. Rowan", "--json")
        assert (status, said["accepted"], len(said["ticket"])) == (0, True, 2)
        status, again, _ = call("release", job, "--to", "filament-320", "--json")
        assert (status, again["key"]) == (0, said["key"])
    assert (tmp_path / "Friday-ticket.pdf").exists()


def test_a_machine_refuses_what_is_not_loaded(call, job, tmp_path):
    with running(tmp_path / "machines", "--material", "petg"):
        status, said, _ = call("release", job, "--to", "filament-320", "--json")
    assert status == 1
    assert said["reasons"] == ["petg is loaded, the build needs pla"]


@pytest.mark.parametrize(("arguments", "words"), [
    (("release",), "Missing argument"), (("simulate", "metal-999"), "no machine of that name"),
    (("simulate", "metal-260", "--material", "pla"), "cannot be built on"),
    (("simulate", "vat-150", "--speed", "0"), "no speed"),
])  # fmt: skip
def test_what_cannot_be_done_is_said_in_a_line(call, arguments, words):
    status, _, error = call(*arguments)
    assert status == 2
    assert words in error
    assert len(error.strip().splitlines()) == 1


def test_one_place_to_go(call, job, tmp_path):
    for more in ((), ("--to", "x", "--to-folder", tmp_path)):
        status, _, error = call("release", job, *more)
        assert status == 2
        assert "needs one place to go" in error


def test_a_table_for_people(call, job, tmp_path):
    status, text, _ = call("release", job, "--to-folder", tmp_path / "stick", "--by", "A. Rowan")
    assert status == 0
    assert "Released to" in text
    assert "Who waives does not release" in call("rules")[1]

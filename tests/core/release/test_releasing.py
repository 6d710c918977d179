"""The gate, files, and machines: nothing leaves before the gate is passed, nothing is half there."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest
from running_machine import running

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.waiving import waiver_of
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.released import Released
from lean_trellis.core.release.machines.client import MachineError
from lean_trellis.core.release.releasing import (
    all_moved,
    file_stem,
    gate_reasons,
    release_to_folder,
    release_to_machine,
    released_document,
)
from lean_trellis.core.release.ticket.contents import TicketContents

NAMES = ["Friday-manifest.json", "Friday-ticket.html", "Friday-ticket.pdf", "Friday.gcode"]


@pytest.fixture
def stop(shared):
    return Finding("warp", "stop", "Tile", "ends curl up", "c", part_id="part-2", value=2.0, limit=1.0)


def test_an_open_stop_closes_the_gate_and_a_waiver_opens_it(free, wish, stop):
    wish = replace(wish, findings=(*wish.findings, stop))
    assert gate_reasons(free, wish) == ("Tile: ends curl up (warp)",)
    waived = edits.waive(free, [waiver_of(stop, free, who="B. Alder", reason="cut off")]).job
    assert gate_reasons(waived, wish) == ()


def test_who_waives_does_not_release_where_the_shop_asks_for_it(free, wish, stop):
    wish = replace(wish, findings=(*wish.findings, stop))
    waived = edits.waive(free, [waiver_of(stop, free, who="a.  rowan", reason="cut off")]).job
    assert gate_reasons(waived, wish) == ()
    (reason,) = gate_reasons(waived, replace(wish, two_people=True))
    assert "A. Rowan has waived a stop of it" in reason
    assert gate_reasons(waived, replace(wish, two_people=True, who="C. Hazel")) == ()


def test_a_release_needs_a_name_and_parts(free, wish):
    assert gate_reasons(free, replace(wish, who=" ")) == ("nobody is named who releases it",)
    assert gate_reasons(replace(free, parts=(), supports=()), wish) == ("there are no parts in this build",)


@pytest.fixture(scope="module")
def written(free, pipeline, wish, tmp_path_factory):
    folder = tmp_path_factory.mktemp("stick")
    return folder, release_to_folder(free, pipeline, wish, folder)


def test_files_and_ticket_lie_under_the_jobs_name(written):
    folder, result = written
    assert sorted(path.name for path in folder.iterdir()) == NAMES
    assert result.accepted
    document = released_document(result)
    assert [path.rsplit("/", 1)[1] for path in document["ticket"]] == ["Friday-ticket.html", "Friday-ticket.pdf"]
    manifest = json.loads((folder / "Friday-manifest.json").read_text())
    contents = TicketContents.model_validate_json(result.contents)
    assert contents.files[0].sha256 == manifest["sha256"]
    assert contents.files[0].bytes == (folder / "Friday.gcode").stat().st_size
    assert manifest["machine"] == "filament-320"


def test_the_same_job_gives_the_same_files(written, free, pipeline, wish, tmp_path):
    folder, result = written
    again = release_to_folder(free, pipeline, replace(wish, today=wish.today.replace(year=2027)), tmp_path)
    assert again.key == result.key
    for name in NAMES:
        assert (tmp_path / name).read_bytes() == (folder / name).read_bytes(), name


def test_older_files_are_replaced_when_asked_alone(free, pipeline, wish, tmp_path):
    (tmp_path / "Friday-ticket.pdf").write_text("older")
    with pytest.raises(EditError, match=r"Friday-ticket\.pdf: is there already"):
        release_to_folder(free, pipeline, wish, tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["Friday-ticket.pdf"]
    assert (tmp_path / "Friday-ticket.pdf").read_text() == "older"
    assert release_to_folder(free, pipeline, wish, tmp_path, replaces=True).accepted
    assert (tmp_path / "Friday-ticket.pdf").read_bytes()[:4] == b"%PDF"


def test_a_folder_in_the_way_is_never_replaced(free, pipeline, wish, tmp_path):
    (tmp_path / "Friday-ticket.pdf").mkdir()
    with pytest.raises(EditError, match=r"Friday-ticket\.pdf: is a folder"):
        release_to_folder(free, pipeline, wish, tmp_path, replaces=True)
    assert [path.name for path in tmp_path.iterdir()] == ["Friday-ticket.pdf"]


def test_where_one_file_cannot_be_put_none_is_and_older_ones_stay(tmp_path):
    new, target = tmp_path / "new", tmp_path / "target"
    new.mkdir()
    target.mkdir()
    (target / "a").write_text("older")
    for name in ("a", "b"):
        (new / name).write_text("newer")
    with pytest.raises(FileNotFoundError):
        all_moved((new / "a", new / "b", new / "missing"), target)
    assert (target / "a").read_text() == "older"
    assert [path.name for path in target.iterdir()] == ["a"]
    assert all_moved((new / "a", new / "b"), target) == (target / "a", target / "b")
    assert (target / "a").read_text() == "newer"


def test_a_refusal_writes_nothing(free, pipeline, wish, stop, tmp_path):
    result = release_to_folder(free, pipeline, replace(wish, findings=(stop,)), tmp_path / "new")
    assert (result.accepted, result.files) == (False, ())
    assert not (tmp_path / "new").exists()


def test_a_released_build_is_written_as_it_was_released(written, free, pipeline, wish, tmp_path):
    _, result = written
    kept = json.loads(result.contents) | {"material": "Another name of that time"}
    released = replace(free, released=Released("A. Rowan", "then", "there", result.key, json.dumps(kept)))
    release_to_folder(released, pipeline, wish, tmp_path)
    assert "Another name of that time" in (tmp_path / "Friday-ticket.html").read_text("utf-8")


@pytest.mark.parametrize(
    ("name", "stem"), [("Friday", "Friday"), ("../a/b", "_a_b"), ("..", "build"), ("a:b*", "a_b_")]
)
def test_names_of_jobs_are_safe_names_of_files(free, name, stem):
    assert file_stem(replace(free, name=name)) == stem


def test_a_machine_takes_it_once_and_keeps_the_ticket_here(free, pipeline, wish, tmp_path):
    with running(tmp_path / "machine") as machine:
        client = machine.client()
        first = release_to_machine(free, pipeline, wish, client, ticket_folder=tmp_path)
        assert (first.accepted, first.reasons) == (True, ())
        assert sorted(path.name for path in first.files) == ["Friday-ticket.html", "Friday-ticket.pdf"]
        assert release_to_machine(free, pipeline, wish, client).accepted
        assert [build.key for build in client.status().builds] == [first.key]
        other = edits.choose_machine(free, free.machine.model_copy(update={"id": "filament-900"}), free.material).job
        refused = release_to_machine(other, pipeline, wish, client)
        assert refused.reasons == ("the build is for filament-900, this is filament-320",)
        client.provoke("refuse")
        again = release_to_machine(edits.rename_job(free, "Monday").job, pipeline, wish, client)
        assert again.reasons == ("the machine is being serviced",)
        machine.end()
        with pytest.raises(MachineError, match="cannot be reached"):
            release_to_machine(free, pipeline, wish, client)

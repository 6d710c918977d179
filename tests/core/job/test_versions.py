"""Job files: true ones of every version open as they were; version 6 holds everything as it was used."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

import pytest

from full_job import full_job
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, FormatError
from lean_trellis.core.job import edits
from lean_trellis.core.job.edits.updates import newer_values, take_newer
from lean_trellis.core.job.files import job_text, open_job, save_job
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.values import with_value
from lean_trellis.core.supports.common.parameters import FamilyParameters, Renamed, parameter, validated

JOBS = Path(__file__).parent.parent.parent / "data" / "jobs"


@pytest.mark.parametrize("version", [1, 2, 3, 4, 5])
def test_a_true_file_of_an_older_version_opens_as_it_was_written(version, library):
    path = JOBS / f"version-{version}.trellis"
    with zipfile.ZipFile(path) as archive:
        content = json.loads(archive.read("job.json"))
    assert content["version"] == version
    job = open_job(path, library)
    assert job.name == f"written by version {version}"
    assert [part.name for part in job.parts] == ["Keel plate", "tall"]
    assert job.parts[0].owner == "Otterbank Survey"
    assert job.parts[0].pose.build_offset == 5.0
    first = job.supports[0]
    assert first.parameters.spacing == 2.2
    assert (first.set_name, first.set_version) == ("bars-metal", 1)
    assert (job.parts[1].size.stages != ()) is (version >= 2)
    assert (job.parts[0].marks.protected is not None) is (version >= 3)
    assert len(first.hand.bars) == (1 if version >= 4 else 0)
    assert [support.family for support in job.supports] == ["bars", "wall", "raft"][: 3 if version >= 5 else 1]
    assert len(Pipeline().bars(first, job)) > 5


@pytest.mark.parametrize("version", [1, 2, 3, 4, 5])
def test_an_older_file_saved_again_is_of_today_and_the_same(version, library, tmp_path):
    job = open_job(JOBS / f"version-{version}.trellis", library)
    save_job(job, tmp_path / "again.trellis")
    with zipfile.ZipFile(tmp_path / "again.trellis") as archive:
        assert json.loads(archive.read("job.json"))["version"] == 6
    assert job_text(open_job(tmp_path / "again.trellis", library)) == job_text(job)


def test_everything_that_a_job_holds_comes_back(library, tmp_path):
    job = full_job()
    job = replace(job, sets=(shipped_sets()["bars-metal"], shipped_sets()["raft-follow"]), is_released=True)
    save_job(job, tmp_path / "full.trellis")
    again = open_job(tmp_path / "full.trellis", library)
    assert job_text(again) == job_text(job)
    assert again.sets == job.sets
    assert again.is_released


def test_a_name_and_an_owner_are_given_together(used):
    part = edits.describe_part(used, "part-1", name="Keel", owner="Otterbank Survey").job.parts[0]
    assert (part.name, part.owner) == ("Keel", "Otterbank Survey")


def changed_library(library: Library) -> Library:
    machine = with_value(library.machine("metal-260"), "height", 280.0)
    material = with_value(library.material("steel-316l"), "constants.strength.value", 400.0)
    return replace(
        library,
        machines={**library.machines, machine.id: machine},
        materials={**library.materials, material.id: material},
    )


def newer_set(**values):
    old = shipped_sets()["bars-metal"]
    parameters = old.parameters.model_copy(update=values)
    return {"bars-metal": replace(old, version=old.version + 1, parameters=parameters)}


@pytest.fixture
def used(library, metal):
    """A job with a support whose spacing differs from its set's."""
    from lean_trellis.core.formats import Body
    from lean_trellis.core.job import new_job
    from lean_trellis.core.mesh.primitives import box

    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return edits.change_support(job, "support-1", "spacing", 4.4).job


def test_a_newer_library_changes_nothing_in_an_old_job(used, library, tmp_path):
    save_job(used, tmp_path / "old.trellis")
    again = open_job(tmp_path / "old.trellis", changed_library(library))
    assert job_text(again) == job_text(used)
    assert again.machine.height == used.machine.height
    assert again.material.constants["strength"].value == used.material.constants["strength"].value


def test_what_is_newer_is_listed_value_by_value(used, library):
    assert newer_values(used, library, shipped_sets()) == ()
    found = {(one.of, one.key): (one.here, one.there)
             for one in newer_values(used, changed_library(library), newer_set(tip_diameter=0.66))}  # fmt: skip
    before = used.sets[0].parameters
    assert found == {
        (used.machine.name, "height"): (used.machine.height, 280.0),
        (used.material.name, "constants.strength.value"): (used.material.constants["strength"].value, 400.0),
        (used.sets[0].title, "tip_diameter"): (before.tip_diameter, 0.66),
    }


def test_what_is_taken_leaves_values_changed_by_hand(used, library):
    sets = newer_set(tip_diameter=0.66, spacing=9.0)
    edit = take_newer(used, changed_library(library), sets)
    support = edit.job.supports[0]
    assert (support.parameters.tip_diameter, support.parameters.spacing, support.set_version) == (0.66, 4.4, 2)
    assert edit.job.machine.height == 280.0
    assert edit.job.set_of(support) == sets["bars-metal"]
    assert newer_values(edit.job, changed_library(library), sets) == ()
    with pytest.raises(EditError, match="nothing to take"):
        take_newer(edit.job, changed_library(library), sets)


def test_a_released_job_takes_nothing(used, library):
    with pytest.raises(EditError, match="released"):
        take_newer(replace(used, is_released=True), changed_library(library), shipped_sets())


def test_a_set_that_a_job_holds_must_be_of_a_known_family(used, library, tmp_path):
    save_job(used, tmp_path / "job.trellis")
    with zipfile.ZipFile(tmp_path / "job.trellis") as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    content = json.loads(members["job.json"])
    content["sets"][0]["family"] = "barz"
    with zipfile.ZipFile(tmp_path / "bad.trellis", "w") as archive:
        for name, raw in members.items():
            archive.writestr(name, json.dumps(content) if name == "job.json" else raw)
    with pytest.raises(FormatError, match="barz"):
        open_job(tmp_path / "bad.trellis", library)


class _Lengths(FamilyParameters):
    family: ClassVar[str] = "lengths"
    renamed: ClassVar = {"width_cm": Renamed("width", 10.0), "kind": Renamed("sort")}
    width: float = parameter(1.0, "Width", unit="mm", least=0, most=99, question="carries", help="How wide.")
    sort: str = parameter("a", "Sort", question="carries", help="Which.")


def test_a_key_that_was_renamed_is_still_known_in_its_old_unit():
    assert validated(_Lengths, {"width_cm": 2.5, "kind": "b"}) == _Lengths(width=25.0, sort="b")
    assert validated(_Lengths, {"width_cm": 2.5, "width": 3.0}).width == 3.0
    assert _Lengths().with_value("width_cm", 0.4).width == 4.0

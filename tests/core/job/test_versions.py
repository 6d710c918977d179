"""Job files: true ones of every version open as they were; from version 6 they hold everything as it was used."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import ClassVar

import pytest

from full_job import full_job
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import FormatError
from lean_trellis.core.job.files import job_text, open_job, save_job
from lean_trellis.core.job.released import Released
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.parameters import FamilyParameters, Renamed, parameter, validated

JOBS = Path(__file__).parent.parent.parent / "data" / "jobs"


@pytest.mark.parametrize("version", [1, 2, 3, 4, 5, 6])
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


@pytest.mark.parametrize("version", [1, 2, 3, 4, 5, 6])
def test_an_older_file_saved_again_is_of_today_and_the_same(version, library, tmp_path):
    job = open_job(JOBS / f"version-{version}.trellis", library)
    save_job(job, tmp_path / "again.trellis")
    with zipfile.ZipFile(tmp_path / "again.trellis") as archive:
        assert json.loads(archive.read("job.json"))["version"] == 7
    assert job_text(open_job(tmp_path / "again.trellis", library)) == job_text(job)


def test_everything_that_a_job_holds_comes_back(library, tmp_path):
    job = full_job()
    job = replace(job, sets=(shipped_sets()["bars-metal"], shipped_sets()["raft-follow"]), released=Released())
    save_job(job, tmp_path / "full.trellis")
    again = open_job(tmp_path / "full.trellis", library)
    assert job_text(again) == job_text(job)
    assert again.sets == job.sets
    assert again.is_released


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

"""Marks in files."""

from __future__ import annotations

import json
import zipfile

import numpy as np
import pytest
from any_parts import down
from checked_parts import job_of

from lean_trellis.core.errors import FormatError
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts.marks import AVOID


def test_marks_are_saved_and_opened_and_a_wrong_length_is_refused(metal, library, tmp_path):
    mesh = ball(6, subdivisions=2)
    job = edits.protect_faces(job_of(metal, mesh), "part-1", down(mesh), AVOID).job
    job = edits.region_by_hand(job, "part-1", np.arange(7)).job
    job = edits.take_back(job, "part-1", np.array([1.0, 2.0, 3.0])).job
    path = tmp_path / "marked.trellis"
    save_job(job, path)
    assert open_job(path, library).parts[0].marks == job.parts[0].marks
    with zipfile.ZipFile(path) as archive:
        content = json.loads(archive.read("job.json"))
        meshes = {name: archive.read(name) for name in archive.namelist() if name != "job.json"}
    for wrong in ("AAAA", "eJwDAAAAAAE=", "not base64!"):
        content["parts"][0]["marks"]["hand"] = wrong
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(content))
            for name, raw in meshes.items():
                archive.writestr(name, raw)
        with pytest.raises(FormatError, match="do not fit its mesh"):
            open_job(path, library)


def test_a_file_of_version_2_opens_without_marks(metal, library, tmp_path):
    path = tmp_path / "old.trellis"
    save_job(job_of(metal, box((5, 5, 5))), path)
    with zipfile.ZipFile(path) as archive:
        content = json.loads(archive.read("job.json"))
        meshes = {name: archive.read(name) for name in archive.namelist() if name != "job.json"}
    content["version"] = 2
    del content["parts"][0]["marks"]
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("job.json", json.dumps(content))
        for name, raw in meshes.items():
            archive.writestr(name, raw)
    assert open_job(path, library).parts[0].marks.is_empty

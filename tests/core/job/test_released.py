"""What is kept of a release, and of the board."""

from __future__ import annotations

from dataclasses import replace

from full_job import full_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.job.released import BoardLink, Released


def test_a_release_and_a_link_come_back_from_a_file(library, tmp_path):
    released = Released("A. Rowan", "2026-01-01T10:00:00+00:00", "the machine", "0" * 64, '{"job": "x"}')
    link = BoardLink("b-1", (("p-1", 3, "abc"),), (2, "def"))
    save_job(replace(full_job(), released=released, link=link), tmp_path / "job.trellis")
    again = open_job(tmp_path / "job.trellis", library)
    assert (again.released, again.link, again.is_released) == (released, link, True)

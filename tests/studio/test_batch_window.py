"""A recipe over a folder of files: a row a file, jobs beside them, failures named, what is done stays."""

from __future__ import annotations

from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.studio.pictures import wait_until

DOES: Any = QTest


@pytest.fixture
def batch(user, tmp_path):
    user.window.menus.run("batch")
    shown = user.window.batch
    folder = tmp_path / "files"
    folder.mkdir()
    yield user, shown, folder
    shown.source.clear()
    shown.close()


def _table(folder, name, wide):
    solid = to_manifold(box((wide, 12, 2), corner=(0, 0, 8))) + to_manifold(box((4, 12, 8)))
    (folder / name).write_bytes(stl_bytes(from_manifold(solid)))


def test_a_folder_is_supported_a_job_a_file_and_what_fails_says_why(batch, monkeypatch):
    user, shown, folder = batch
    assert not shown.start.isEnabled(), "nobody has said which files"
    _table(folder, "narrow.stl", 14)
    _table(folder, "wide.stl", 22)
    (folder / "broken.stl").write_text("solid nothing")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    user.press(shown.browse)
    assert shown.out.text() == str(folder / "supported")
    user.press(shown.start)
    assert shown.stop.isEnabled()
    wait_until(lambda: not shown.is_running)
    rows = {key.rsplit("/", 1)[-1]: [shown.table.model().index(place, column).data() for column in range(8)]
            for place, key in enumerate(shown.table.keys())}  # fmt: skip
    assert set(rows) == {"narrow.stl", "wide.stl", "broken.stl"}
    assert (rows["wide.stl"][1], rows["wide.stl"][3], rows["wide.stl"][5]) == ("2", "0", "0")
    assert rows["broken.stl"][7].startswith("is text that holds no mesh")
    assert not rows["wide.stl"][7]
    assert "2 of 3 files are jobs now" in shown.words.text()
    assert (folder / "supported" / "batch.csv").read_text("utf-8").count("\n") == 4
    user.click_row(shown.table, str(folder / "broken.stl"))
    assert not shown.open.isEnabled()
    assert shown.words.text().startswith(str(folder / "broken.stl")), "why, in full"
    user.click_row(shown.table, str(folder / "wide.stl"))
    user.press(shown.open)
    user.settle()
    assert user.session.path == folder / "supported" / "wide.trellis"
    assert len(user.session.job.supports) == 1


def test_what_is_done_stays_when_it_is_cancelled_and_is_passed_over_the_next_time(batch):
    user, shown, folder = batch
    for number in range(6):
        _table(folder, f"part {number}.stl", 12 + number)
    shown.source.setText(str(folder))
    user.press(shown.start)
    wait_until(lambda: len(shown.table.keys()) >= 1)
    user.session.cancel()
    wait_until(lambda: not shown.is_running)
    done = {path: path.stat().st_mtime_ns for path in (folder / "supported").glob("*.trellis")}
    assert 1 <= len(done) < 6
    assert f"{len(done)} files are done" in shown.words.text()
    user.press(shown.start)
    wait_until(lambda: not shown.is_running)
    assert len(list((folder / "supported").glob("*.trellis"))) == 6
    assert {path: path.stat().st_mtime_ns for path in done} == done, "what was done is not done again"


def test_a_folder_without_parts_is_said_and_escape_closes(batch):
    user, shown, folder = batch
    shown.source.setText(str(folder))
    user.press(shown.start)
    wait_until(lambda: not shown.is_running)
    assert "holds no mesh and no job file" in shown.words.text()
    DOES.keyClick(shown.source, Qt.Key.Key_Escape)
    assert not shown.isVisible()

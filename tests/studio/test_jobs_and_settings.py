"""Jobs are called what their files are called, are saved where they belong; settings are kept when they change."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.settings import Settings, load_settings
from lean_trellis.studio.start import make_window


@pytest.fixture
def dialogs(monkeypatch):
    """What file dialogs were asked, and answers for them."""
    asked, answers = [], []

    def answered(parent, title, start, *_):
        asked.append((title, start))
        return (answers.pop(0) if answers else "", "")

    monkeypatch.setattr(QFileDialog, "getSaveFileName", answered)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", answered)
    return asked, answers


def test_a_job_is_called_what_its_file_is_called_and_undo_keeps_that(with_parts, tmp_path):
    user = with_parts(box((30, 20, 10)))
    user.session.save_job(tmp_path / "friday.trellis")
    user.settle()
    assert user.session.job.name == "friday"
    assert user.session.is_saved
    assert user.window.windowTitle().startswith("friday")
    user.session.undo()
    assert user.session.job.name == "friday"
    user.session.redo()
    assert user.session.is_saved, "undo and redo come back to what is on disk"
    user.session.undo()
    assert user.window.status.message.text().startswith("Undone")
    user.session.replace_job(user.session.job, None)
    assert user.window.status.message.text() == "", "what was said of another job is not said of this one"
    (tmp_path / "friday.trellis").rename(tmp_path / "monday.trellis")
    user.session.open_job(tmp_path / "monday.trellis")
    user.settle()
    assert (user.session.job.name, user.session.is_saved) == ("monday", True)


def test_what_is_changed_while_a_job_is_saved_counts_as_changed(with_parts, tmp_path):
    user = with_parts(box((30, 20, 10)))
    user.session.save_job(tmp_path / "friday.trellis")
    user.station("pose")
    user.type_into(user.field("pose.offset"), "7")
    user.settle()
    assert (user.session.job.name, user.session.is_saved) == ("friday", False)
    user.session.undo()
    assert user.session.is_saved


def test_saving_starts_in_the_jobs_own_folder_not_in_that_of_the_last_import(with_parts, tmp_path, dialogs):
    asked, answers = dialogs
    user = with_parts(box((30, 20, 10)))
    jobs, customer = tmp_path / "jobs", tmp_path / "customer"
    for folder in (jobs, customer):
        folder.mkdir()
    answers.append(str(jobs / "friday"))
    user.window.menus.run("save")
    user.settle()
    assert user.session.path == jobs / "friday.trellis"
    user.session.settings.folder = str(customer)
    user.window.menus.run("save_as")
    assert asked[-1][1] == str(jobs / "friday.trellis")
    user.window.files.after_asking(user.session.new_job)
    user.window.menus.run("save_as")
    assert asked[-1][1].startswith(str(jobs)), "a new job starts where one was saved last"


def test_a_setting_is_on_disk_as_soon_as_it_changes_and_leaves_the_others_alone(tmp_path):
    path = tmp_path / "settings.toml"
    here, there = load_settings(path), load_settings(path)
    here.machine = "belt-260"
    assert load_settings(path).machine == "belt-260"
    there.night = True  # another window, which knows nothing of the machine
    again = load_settings(path)
    assert (again.machine, again.night) == ("belt-260", True)
    here.remember_job(tmp_path / "friday.trellis")
    assert load_settings(path).recent == [str(tmp_path / "friday.trellis")]


def test_settings_that_were_not_loaded_are_written_nowhere_and_a_folder_that_refuses_costs_nothing(tmp_path):
    Settings().night = True
    blocked = tmp_path / "file"
    blocked.write_text("")
    settings = load_settings(blocked / "settings.toml")
    settings.night = True
    assert settings.night


def test_the_windows_size_is_remembered_when_it_has_settled(user):
    user.window.resize(1100, 760)
    user.settle()
    from lean_trellis.studio.pictures import wait_until

    wait_until(lambda: user.session.settings.window == [1100, 760])


def test_the_second_window_on_a_job_file_is_told_and_does_not_write_it(with_parts, tmp_path):
    user = with_parts(box((12, 12, 4)))
    session, path = user.session, tmp_path / "shared.trellis"
    session.save_job(path)
    user.settle()
    other = make_window(Settings())
    said = []
    other.session.said.connect(lambda role, words: said.append((role, words)))
    try:
        other.session.open_job(path)
        wait_until(lambda: len(other.session.job.parts) == 1)
        assert said[-1] == ("caution", "shared.trellis is open in another window: save under another name")
        before = path.read_bytes()
        other.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 9.0))
        other.session.save_job(path)
        assert said[-1][0] == "stop" and "Ctrl+Shift+S" in said[-1][1]
        assert not other.session.is_saved
        assert path.read_bytes() == before
        other.session.save_job(tmp_path / "mine.trellis")
        wait_until(lambda: other.session.is_saved)
        assert open_job(tmp_path / "mine.trellis", other.session.library).parts[0].pose.build_offset == 9.0
        session.new_job()
        other.session.save_job(path)
        wait_until(lambda: other.session.path == path)
    finally:
        other.session.replace_job(other.session.job, None)
        other.close()
        other.deleteLater()

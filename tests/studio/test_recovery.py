"""After a crash: every job is listed, opened, kept or discarded by itself, and none goes unasked."""

from __future__ import annotations

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QMessageBox

from kills import kill_windows
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job import edits
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.recovery import RecoveryCopy, copies_left, open_copy
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio.build_picture import SIZE
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.settings import recovery_folder
from lean_trellis.studio.theme import DAY


def left(job: Job, name: str, file=None):
    """A copy as a killed window leaves it."""
    copy = RecoveryCopy.create(recovery_folder())
    copy.write(edits.rename_job(job, name).job, file)
    copy.release()
    return copy.folder


def add_part(session) -> None:
    session.do(lambda job: edits.add_bodies(job, [Body("slab", box((9, 9, 9)), 12)]))


def in_copy(user, library) -> str:
    """Name of the first part in this window's copy."""
    folder = user.window.recovery.folder
    assert folder is not None
    user.window.recovery._finish_writing()
    from lean_trellis.core.job.recovery import LeftCopy

    return open_copy(LeftCopy(folder, "", (), None, 0.0), library).parts[0].name


def listed(user) -> list[str]:
    table = user.window.recovered.table
    return [table.item(row, 1).text() for row in range(table.rowCount())]


def answer(user, button: QMessageBox.StandardButton) -> None:
    (box,) = (box for box in user.window.recovered.findChildren(QMessageBox) if box.isVisible())
    box.button(button).click()


def test_a_copy_is_written_soon_and_goes_when_the_job_is_saved(user, library, tmp_path):
    add_part(user.session)
    wait_until(lambda: user.window.recovery.folder is not None)
    assert in_copy(user, library) == "slab"
    folder = user.window.recovery.folder
    user.session.save_job(tmp_path / "a.trellis")
    user.settle()
    assert not folder.exists()
    assert user.window.recovery.folder is None


def test_edits_without_a_pause_do_not_put_the_copy_off(user):
    """One edit every 100 ms for as long as it takes: a copy that waits for a pause is never written."""
    from PyQt6.QtCore import QTimer

    add_part(user.session)
    part = user.session.job.parts[0].id
    count = [0]

    def rename() -> None:
        count[0] += 1
        user.session.do(lambda job: edits.describe_part(job, part, name=f"edit {count[0]}"))

    timer = QTimer(interval=100)
    timer.timeout.connect(rename)
    timer.start()
    wait_until(lambda: user.window.recovery.folder is not None and (user.window.recovery.folder / "job.json").exists())
    timer.stop()
    assert count[0] > 2


def test_each_copy_is_listed_with_a_small_view_of_the_build(user):
    add_part(user.session)
    user.settle()
    wait_until(lambda: user.window.recovery.folder is not None)
    user.window.recovery.keep()
    user.window.recovery._finish_writing()
    folder = user.window.recovery.folder
    picture = QImage(str(folder / "view.png"))
    assert (picture.width(), picture.height()) == SIZE
    shades = {picture.pixelColor(x, y).name() for x in range(SIZE[0]) for y in range(SIZE[1])}
    assert {DAY.ground.lower(), DAY.plate.lower(), DAY.part_tints[0].lower()} <= shades
    user.window.recovery._copy.release()
    user.window.recovered.refresh()
    assert not user.window.recovered.table.item(0, 0).icon().isNull()
    assert listed(user) == [user.session.job.name]


def test_each_of_two_jobs_is_opened_or_discarded_by_itself(user, library, tmp_path):
    add_part(user.session)
    made = user.session.job
    user.session.undo()
    first, second = left(made, "first", tmp_path / "friday.trellis"), left(made, "second")
    recovered = user.window.recovered
    recovered.offer()
    assert recovered.isVisible()
    assert sorted(listed(user)) == ["first", "second"]
    recovered.table.selectRow(listed(user).index("second"))
    recovered.discard_button.click()
    answer(user, QMessageBox.StandardButton.Cancel)
    assert second.exists()
    recovered.discard_button.click()
    answer(user, QMessageBox.StandardButton.Discard)
    wait_until(lambda: listed(user) == ["first"])
    assert first.exists()
    assert not second.exists()
    recovered.open_button.click()
    wait_until(lambda: user.session.job.name == "first")
    user.settle()
    assert user.session.path == tmp_path / "friday.trellis"
    assert not user.session.is_saved
    assert first.exists()  # this window goes on writing it
    assert copies_left(recovery_folder()) == []
    user.session.do(lambda job: edits.describe_part(job, job.parts[0].id, name="after"))
    wait_until(lambda: user.window.recovery.folder == first)
    user.window.recovery.keep()
    wait_until(lambda: in_copy(user, library) == "after")  # a copy begun before is written first


def test_closing_the_list_keeps_every_copy(user):
    add_part(user.session)
    left(user.session.job, "kept")
    user.session.undo()
    user.window.recovered.offer()
    user.window.recovered.keep_button.click()
    assert [copy.name for copy in copies_left(recovery_folder())] == ["kept"]
    user.window.menus.run("recovered")
    assert listed(user) == ["kept"]


def test_a_job_that_another_window_took_is_not_opened_twice(user):
    add_part(user.session)
    folder = left(user.session.job, "taken")
    user.session.undo()
    user.window.recovered.offer()
    other = RecoveryCopy.claim(folder)
    user.window.recovered.open_button.click()
    user.settle()
    assert user.session.job.name != "taken"
    assert "another window" in user.window.status.message.text()
    assert other is not None
    other.release()


def test_a_damaged_copy_is_said_and_stays(user):
    add_part(user.session)
    folder = left(user.session.job, "damaged")
    user.session.undo()
    (folder / "job.json").write_text("{}")
    user.window.recovered.offer()
    user.window.recovered.open_button.click()
    user.settle()
    assert "no job file" in user.window.status.message.text()
    assert [copy.folder for copy in copies_left(recovery_folder())] == [folder]


def test_a_job_that_is_left_without_a_word_is_kept_for_later(user):
    """Only an answer discards unsaved work; another job that comes in its place does not."""
    add_part(user.session)
    user.window.recovery.keep()
    folder = user.window.recovery.folder
    user.session.new_job()
    assert folder is not None
    assert [copy.folder for copy in copies_left(recovery_folder())] == [folder]
    add_part(user.session)
    user.window.recovery.keep()
    second = user.window.recovery.folder
    user.session.give_up()
    user.session.new_job()
    assert second is not None
    assert not second.exists()


def test_killed_windows_lose_nothing_older_than_five_seconds(application, tmp_path):
    for kill in kill_windows(tmp_path, 5, at_once=3):
        assert kill.is_lossless, kill
        assert kill.needed > 0

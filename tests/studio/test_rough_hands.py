"""Rough hands: undo as fast as keys repeat, many files with broken ones among them, nonsense in every field, Escape."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QWidget

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.release.export import ExportRequest
from lean_trellis.core.sets import shipped_sets
from lean_trellis.studio.forms.fields import ChoiceField, NumberField
from lean_trellis.studio.pictures import wait_until

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def test_forty_undos_and_redos_as_fast_as_keys_repeat_end_where_they_began(with_parts):
    user = with_parts(ball(8, subdivisions=4))
    session = user.session
    user.press(user.station("supports").support_all)
    user.settle()
    first = session.job
    for number in range(40):
        session.do(lambda job, number=number: edits.move_part(job, "part-1", 60.0 + number, 70.0))
    last = session.job
    user.window.setFocus()
    for _ in range(40):
        QTest.keyClick(user.window, Qt.Key.Key_Z, CONTROL)
    assert session.job is first
    for _ in range(40):
        QTest.keyClick(user.window, Qt.Key.Key_Z, CONTROL | SHIFT)
    assert session.job is last
    QTest.keyClick(user.window, Qt.Key.Key_Z, CONTROL | SHIFT)
    assert session.job is last, "beyond the last there is nothing"
    user.settle()
    assert session.bars(session.job.supports[0]) is not None
    assert session.findings() is not None


def test_of_twelve_files_dropped_nine_come_and_each_broken_one_is_named(user, tmp_path):
    good = stl_bytes(box((8, 8, 8)))
    broken = {"short.stl": good[:-9], "words.stl": b"this is no mesh", "empty.3mf": b""}
    for number in range(9):
        (tmp_path / f"part {number}.stl").write_bytes(good)
    for name, raw in broken.items():
        (tmp_path / name).write_bytes(raw)
    said = []
    user.session.said.connect(lambda role, words: said.append((role, words)))
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in sorted(tmp_path.iterdir())])
    assert len(data.urls()) == 12
    window = user.window
    drop = QDropEvent(
        QPointF(window.rect().center()), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    window.dropEvent(drop)
    wait_until(lambda: len(user.session.job.parts) == 9, why_not=lambda: user.session.under_way)
    user.settle()
    stops = "\n".join(words for role, words in said if role == "stop")
    assert all(name in stops for name in broken)
    assert {part.name for part in user.session.job.parts} == {f"part {number}" for number in range(9)}
    user.window.setFocus()
    user.key(Qt.Key.Key_Z, CONTROL)
    assert user.session.job.parts == (), "one step"


@pytest.mark.parametrize("station", ["parts", "pose", "overhangs", "supports"])
def test_nonsense_in_every_field_changes_nothing_and_is_said(with_parts, station):
    user = with_parts(box((30, 20, 8)))
    session = user.session
    user.press(user.station("supports").support_all)
    user.settle()
    bench = user.station(station)
    user.settle()
    before = session.job
    tried = 0
    for field in bench.findChildren(NumberField):
        if not field.isEnabled():
            continue
        shown = field.text()
        for nonsense in ("abc", "1,000", "--", "1/0", "9e99", "1e", "3 furlongs"):
            said = []
            hear = said.append
            field.refused.connect(hear)
            field.setFocus()
            field.setText(nonsense)
            field.setModified(True)
            field._take()
            field.refused.disconnect(hear)
            assert said, f"{field.objectName()}: {nonsense}"
            tried += 1
        QTest.keyClick(field, Qt.Key.Key_Escape)
        assert field.text() == shown, field.objectName()
    QApplication.processEvents()
    assert session.job is before
    assert tried > 20


def test_escape_in_the_middle_of_everything_loses_nothing(with_parts):
    user = with_parts(ball(14, subdivisions=5))
    session = user.session
    user.press(user.station("supports").support_all)
    user.settle()
    expected = len(session.bars(session.job.supports[0]))
    steps = (
        lambda job: edits.turn_part(job, "part-1", "x", 10.0),
        lambda job: edits.turn_part(job, "part-1", "x", -10.0),
        lambda job: edits.change_support(job, "support-1", "spacing", 1.1),
        lambda job: edits.change_support(job, "support-1", "spacing", session_spacing),
    )
    session_spacing = session.support.parameters.spacing
    for make in steps:
        session.do(make)
        QTest.qWait(30)
        user.window.setFocus()
        QTest.keyClick(user.window, Qt.Key.Key_Escape)
        QTest.qWait(10)
        assert session.job.parts and session.job.supports
    user.window.menus.run("recompute")
    user.settle()
    assert session.cancelled() == ()
    assert len(session.bars(session.job.supports[0])) == expected
    assert session.findings() is not None


def changes_of(field: QWidget) -> Iterator[str]:
    """Give a field other values, one after the other, as a person types, ticks or chooses them."""
    if isinstance(field, NumberField):
        shown = field.value if field.text().strip() else 0.0
        for text in (f"{shown * 1.1 + 0.2:.2f}", f"{shown * 0.9:.2f}", "1", "3", "0"):
            field.setFocus()
            field.selectAll()
            QTest.keyClicks(field, text)
            QTest.keyClick(field, Qt.Key.Key_Return)
            yield text
            QTest.keyClick(field, Qt.Key.Key_Escape)
    elif isinstance(field, QCheckBox):
        field.click()
        yield "ticked"
    elif isinstance(field, ChoiceField):
        for place in range(field.count()):
            if place != field.currentIndex():
                field.setCurrentIndex(place)
                field.activated.emit(place)
                yield str(field.itemText(place))


def is_undone(user, field: QWidget) -> bool | None:
    """Whether one press of Ctrl+Z brings back the job after a field has changed it; None where no value changed it."""
    before = user.session.job
    for _ in changes_of(field):
        if user.session.job is not before:
            QTest.keyClick(QApplication.focusWidget() or user.window, Qt.Key.Key_Z, CONTROL)
            return user.session.job is before
    return None


@pytest.mark.parametrize(
    "name",
    ["bars-metal-braced", "lattice-metal", "wall-line", "wall-flank", "raft-follow", "block-plain", "cradle-posts"],
)
def test_every_setting_of_a_support_is_undone_with_one_press(with_parts, name):
    user = with_parts(box((30, 20, 8)))
    session = user.session
    session.do(lambda job: edits.add_support(job, "part-1", shipped_sets()[name]))
    session.select(support=session.job.supports[0].id)
    bench = user.station("supports")
    keys = [known.key for known in type(session.support.parameters).declared()]
    results = {}
    for key in keys:
        field = bench.values.shown.field(key)
        if not field.isHidden() and field.isEnabled() and field.parentWidget().parentWidget().isVisibleTo(bench.values):
            results[key] = is_undone(user, field)
    assert [key for key, undone in results.items() if undone is False] == []
    changed = [key for key, undone in results.items() if undone]
    assert len(changed) >= 0.8 * len(results), sorted(set(results) - set(changed))
    assert session.support.parameters == shipped_sets()[name].parameters


@pytest.mark.parametrize(("station", "least"), [("setup", 2), ("parts", 1), ("pose", 4), ("overhangs", 4)])
def test_every_field_of_a_bench_that_changes_the_job_is_undone_with_one_press(with_parts, station, least, monkeypatch):
    monkeypatch.setattr("lean_trellis.studio.stations.sections.copies.QFileDialog.getOpenFileName", lambda *_: ("", ""))
    user = with_parts(box((30, 20, 8)))
    bench = user.station(station)
    fields = [field for kind in (NumberField, QCheckBox, ChoiceField) for field in bench.findChildren(kind)]
    results = {field.objectName(): is_undone(user, field) for field in fields if field.isEnabled()}
    assert [name for name, undone in results.items() if undone is False] == []
    assert sum(undone is True for undone in results.values()) >= least, results


def test_escape_while_files_come_in_or_leave_keeps_the_job_and_the_old_file(with_parts, tmp_path):
    user = with_parts(box((8, 8, 8)))
    session, source, target = user.session, tmp_path / "large.stl", tmp_path / "out.trellis"
    source.write_bytes(stl_bytes(ball(14, subdivisions=6)))
    before = session.job
    for wait_ms in (0, 20, 80):
        session.import_files([source])
        QTest.qWait(wait_ms)
        user.window.setFocus()
        QTest.keyClick(user.window, Qt.Key.Key_Escape)
        wait_until(lambda: session.worker.task is None, why_not=lambda: session.under_way)
        assert session.job is before or len(session.job.parts) == 2, "all of a file or nothing"
        if session.job is not before:
            session.undo()
    session.import_files([source])
    wait_until(lambda: len(session.job.parts) == 2, why_not=lambda: session.under_way)
    user.settle()
    session.save_job(target)
    wait_until(lambda: session.is_saved, why_not=lambda: session.under_way)
    saved, exported = target.read_bytes(), tmp_path / "out.stl"
    exported.write_bytes(b"what was there")
    session.do(lambda job: edits.move_part(job, "part-1", 33.0, 44.0))
    user.settle()
    for wait_ms in (0, 20):
        session.save_job(target)
        session.export(ExportRequest(exported, "stl"))
        QTest.qWait(wait_ms)
        user.window.setFocus()
        QTest.keyClick(user.window, Qt.Key.Key_Escape)
        wait_until(lambda: session.worker.task is None, why_not=lambda: session.under_way)
        assert target.read_bytes() == saved or open_job(target, session.library).part("part-1").pose.x == 33.0
        assert exported.read_bytes() == b"what was there" or len(exported.read_bytes()) > 1_000_000
        assert [path.name for path in tmp_path.iterdir() if path.name.startswith(".")] == [], "nothing half-written"
    session.save_job(target)
    wait_until(lambda: session.is_saved, why_not=lambda: session.under_way)
    assert open_job(target, session.library).part("part-1").pose.x == 33.0

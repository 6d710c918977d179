"""Rough hands: undo as fast as keys repeat, many files with broken ones among them, nonsense in every field, Escape."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.studio.forms.fields import NumberField
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

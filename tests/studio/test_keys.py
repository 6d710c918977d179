"""Keys never change values by accident: fields take what is typed, give the keys back, and undo is always the job's."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from lean_trellis.core.mesh.primitives import box

ALT, CONTROL, SHIFT = (
    Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier,
)  # fmt: skip


def press(user, key, modifier=Qt.KeyboardModifier.NoModifier):
    """A key goes to whatever has the focus."""
    QTest.keyClick(QApplication.focusWidget() or user.window, key, modifier)
    QApplication.processEvents()


def typed(user, field, text):
    """A person clicks into a field, selects all and types."""
    user.bring_into_view(field)
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    press(user, Qt.Key.Key_A, CONTROL)
    QTest.keyClicks(field, text)


@pytest.fixture
def posed(with_parts):
    user = with_parts(box((30, 20, 10)))
    user.station("pose")
    return user


def test_return_takes_the_value_and_gives_the_keys_back_to_the_view(posed):
    field = posed.field("pose.offset")
    typed(posed, field, "1.5")
    press(posed, Qt.Key.Key_Return)
    assert posed.session.part.pose.build_offset == 1.5
    assert QApplication.focusWidget() is posed.window.views.view.canvas
    for digit in ("3", "6"):
        press(posed, digit)
    assert field.text() == "1.5"
    assert posed.session.part.pose.build_offset == 1.5
    assert posed.window.station.key == "pose", "plain digits open no station"


def test_digits_typed_beside_a_field_change_nothing_and_open_nothing(posed):
    before = posed.session.job
    posed.window.views.view.canvas.setFocus()
    for digit in "20":
        press(posed, digit)
    assert posed.session.job is before
    assert posed.window.station.key == "pose"


def test_alt_and_a_number_open_a_station_from_within_a_field_or_a_choice(posed):
    typed(posed, posed.field("pose.offset"), "2.5")
    press(posed, "5", ALT)
    assert posed.window.station.key == "supports"
    assert posed.session.part.pose.build_offset == 2.5, "what was typed is taken when the field is left"
    choice = next(box for box in posed.window.station.findChildren(QComboBox) if box.isVisible() and box.isEnabled())
    before = choice.currentIndex()
    choice.setFocus()
    press(posed, "3", ALT)
    assert posed.window.station.key == "pose"
    assert choice.currentIndex() == before


def test_undo_is_the_jobs_in_every_field_and_gives_up_what_is_being_typed(posed):
    field = posed.field("pose.offset")
    start = posed.session.part.pose.build_offset
    typed(posed, field, "2.25")
    press(posed, Qt.Key.Key_Return)
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    press(posed, Qt.Key.Key_Z, CONTROL)
    assert posed.session.part.pose.build_offset == start
    press(posed, Qt.Key.Key_Z, CONTROL | SHIFT)
    assert posed.session.part.pose.build_offset == 2.25
    typed(posed, field, "77")
    press(posed, Qt.Key.Key_Z, CONTROL)
    assert field.text() == "2.25"
    assert posed.session.part.pose.build_offset == 2.25


def test_tab_takes_the_value_and_selects_the_next_field_whole_whatever_comes_in_between(posed):
    x, y = posed.field("pose.x"), posed.field("pose.y")
    typed(posed, x, "80")
    press(posed, Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is y
    posed.settle()  # results arrive and the bench is refreshed
    assert y.selectedText() == y.text()
    QTest.keyClicks(y, "90")
    press(posed, Qt.Key.Key_Tab)
    pose = posed.session.part.pose
    assert (pose.x, pose.y) == (80.0, 90.0)


@pytest.mark.parametrize("text", ["1,000", "13,780.00", "1 000", "1'000", "1,000,000"])
def test_grouped_digits_are_refused_with_a_hint_and_change_nothing(posed, text):
    field, before = posed.field("pose.offset"), posed.session.job
    typed(posed, field, text)
    press(posed, Qt.Key.Key_Return)
    assert posed.session.job is before
    assert "type 1" in posed.window.status.message.text()
    assert QApplication.focusWidget() is field, "what is refused can be mended at once"


@pytest.mark.parametrize(
    ("text", "value"), [("1,5", 1.5), ("1.000", 1.0), ("1,00", 1.0), ("12.345", 12.345), ("2,5+1", 3.5)]
)
def test_one_comma_or_point_is_the_decimal_sign(posed, text, value):
    typed(posed, posed.field("pose.offset"), text)
    press(posed, Qt.Key.Key_Return)
    assert posed.session.part.pose.build_offset == pytest.approx(value)


def test_no_field_of_any_station_shows_grouped_digits(posed):
    for station in posed.window.bench.stations:
        posed.window.bench.open(station.key)
        fields = [field for field in station.findChildren(QLineEdit) if field.isVisible()]
        assert all("," not in field.text() for field in fields)


def test_a_name_is_left_with_return_and_undone_in_its_field(posed):
    posed.station("parts")
    field = posed.window.station.who.part_name
    typed(posed, field, "keel")
    press(posed, Qt.Key.Key_Return)
    assert posed.session.part.name == "keel"
    assert QApplication.focusWidget() is not field
    QTest.mouseClick(field, Qt.MouseButton.LeftButton)
    press(posed, Qt.Key.Key_Z, CONTROL)
    assert posed.session.part.name == "part 1"

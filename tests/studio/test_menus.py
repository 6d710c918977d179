"""Every action of the table does something, and nothing is done that no action asks for."""

from __future__ import annotations

import pytest
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QApplication, QLabel, QMainWindow, QStyle, QStyleFactory

from lean_trellis.studio.actions import ACTIONS
from lean_trellis.studio.bench import Bench
from lean_trellis.studio.keys_sheet import KeysSheet
from lean_trellis.studio.menus import Menus
from lean_trellis.studio.messages import ColourBy, Fly, Measure, PreviewAngles, SaveRest
from lean_trellis.studio.own_style import OwnStyle
from lean_trellis.studio.theme import DAY, NIGHT


def _told(calls):
    plain = {entry.id: (lambda name=entry.id: calls.append(name)) for entry in ACTIONS if not entry.is_switch}
    switches = {
        entry.id: (lambda is_on, name=entry.id: calls.append((name, is_on))) for entry in ACTIONS if entry.is_switch
    }
    return plain, switches


@pytest.fixture
def bare_window(user):
    """A window of its own beside the shared one."""
    window = QMainWindow()
    yield window
    window.deleteLater()
    QApplication.processEvents()


def test_actions_are_told_what_they_do(bare_window):
    calls = []
    menus = Menus(bare_window, *_told(calls))
    menus.run("save")
    menus.run("section")
    menus.run("section")
    menus.run("show_plate")
    assert calls == ["save", ("section", True), ("section", False), ("show_plate", False)]
    menus.check("section", is_on=True)
    assert menus.by_id["section"].isChecked()
    assert len(calls) == 4


@pytest.mark.parametrize("change", ["less", "more", "swapped"])
def test_a_window_whose_actions_do_nothing_does_not_start(bare_window, change):
    plain, switches = _told([])
    if change == "less":
        del plain["undo"]
    elif change == "more":
        plain["undone"] = lambda: None
    else:
        switches["undo"] = plain.pop("undo")
    with pytest.raises(ValueError, match="undo"):
        Menus(bare_window, plain, switches)


def test_what_benches_ask_goes_to_the_views_or_to_the_files(user):
    bench = Bench(user.session)
    for_views, for_files, actions = [], [], []
    bench.view_asked.connect(for_views.append)
    bench.file_asked.connect(for_files.append)
    bench.action_asked.connect(actions.append)
    asked = [Fly((1.0, 2.0, 3.0)), PreviewAngles((40.0, 50.0)), ColourBy("used"), Measure()]
    for message in asked:
        bench.station.asks.emit(message)
    rest = SaveRest(None)
    bench.station.asks.emit(rest)
    bench.station.wanted.emit("import")
    bench.station.wanted.emit("regions")
    assert for_views == asked
    assert for_files == [rest]
    assert actions == ["import"]
    assert bench.station.key == "overhangs"
    bench.deleteLater()
    QApplication.processEvents()


def test_unknown_stations_and_actions_are_refused(user):
    with pytest.raises(KeyError):
        user.window.bench.open("paint")
    with pytest.raises(KeyError):
        user.window.menus.run("paint")


def test_the_sheet_of_keys_lists_every_key_and_stays_beside_the_work(user):
    user.window.resize(1000, 650)
    user.window.menus.run("keys")
    (sheet,) = user.window.findChildren(KeysSheet)
    assert sheet.isVisible() and not sheet.isModal()
    words = {label.text() for label in sheet.findChildren(QLabel)}
    assert {entry.shortcut for entry in ACTIONS if entry.shortcut} <= words
    assert sheet.height() <= user.window.height()
    sheet.reject()
    QApplication.processEvents()


@pytest.mark.parametrize("tokens", [DAY, NIGHT], ids=["day", "night"])
def test_question_boxes_and_file_dialogs_have_signs_of_our_own(user, tokens):
    style, plain = OwnStyle(tokens), QStyleFactory.create("Fusion")
    for which in (QStyle.StandardPixmap.SP_MessageBoxQuestion, QStyle.StandardPixmap.SP_DirIcon):
        ours = style.standardIcon(which).pixmap(32).toImage()
        assert ours != plain.standardIcon(which).pixmap(32).toImage()
        colours = {ours.pixelColor(x, y).name() for x in range(32) for y in range(32)}
        assert colours & {QColor(colour).name() for colour in (tokens.note, tokens.ivy_wash)}
    other = QStyle.StandardPixmap.SP_MediaPlay
    assert style.standardIcon(other).pixmap(16).toImage() == plain.standardIcon(other).pixmap(16).toImage()

"""No word is cut off and nothing lies under a scroll bar: every bench, tab and fold, in both sizes and both themes."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QWidget,
)

from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.qt import head_of
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.pictures import wait_until

_BUTTONS = (QPushButton, QCheckBox, QRadioButton, QToolButton)
_ARROW, _MARGINS, _HEAD_MARGINS = 36, 14, 18
_SETS = (
    "bars-metal-braced", "lattice-metal", "wall-line", "wall-flank", "raft-follow", "block-plain", "cradle-posts",
)  # fmt: skip
"""One of each family; all of them where there is least room."""


def needed(widget: QWidget) -> int:
    """How wide a widget has to be for its words, pixels; 0 for what wraps or is meant to be shortened."""
    if isinstance(widget, QLabel):
        is_shortened = widget.sizePolicy().horizontalPolicy() == QSizePolicy.Policy.Ignored
        return 0 if widget.wordWrap() or is_shortened or not widget.text() else widget.sizeHint().width()
    if isinstance(widget, _BUTTONS):
        return widget.sizeHint().width() if widget.text() else 0
    if isinstance(widget, QComboBox):
        return widget.fontMetrics().horizontalAdvance(widget.currentText()) + _ARROW
    if isinstance(widget, QLineEdit):
        return widget.fontMetrics().horizontalAdvance(widget.text()) + _MARGINS if widget.text() else 0
    return 0


def holder_of(widget: QWidget) -> QScrollArea | None:
    holder = widget.parentWidget()
    while holder is not None and not isinstance(holder, QScrollArea):
        holder = holder.parentWidget()
    return holder


def cut_off(root: QWidget) -> Iterator[str]:
    """What is cut off among everything that is shown below a widget."""
    for widget in root.findChildren(QWidget):
        if not widget.isVisible() or not widget.width():
            continue
        has_text = isinstance(widget, (QLabel, QLineEdit, *_BUTTONS))
        words = widget.currentText() if isinstance(widget, QComboBox) else widget.text() if has_text else ""
        if needed(widget) > widget.width() + 1:
            yield f"{type(widget).__name__} {words!r} is {widget.width()} wide and needs {needed(widget)}"
        wraps = isinstance(widget, QLabel) and widget.wordWrap() and bool(words)
        if wraps and widget.heightForWidth(widget.width()) > widget.height() + 1:
            yield f"{words!r} is {widget.height()} high and needs {widget.heightForWidth(widget.width())}"
        holder = holder_of(widget)
        view = None if holder is None else holder.viewport()
        if words and view is not None and widget.mapTo(view, QPoint(widget.width(), 0)).x() > view.width() + 1:
            yield f"{words!r} reaches beyond its bench"


def cut_off_cells(root: QWidget) -> Iterator[str]:
    """What is cut off in the lists that are shown below a widget, headings included."""
    for table in root.findChildren(PickTable):
        if not table.isVisible():
            continue
        model, head = table.model(), head_of(table)
        for column in range(model.columnCount()):
            words = str(model.headerData(column, Qt.Orientation.Horizontal))
            wide = head.fontMetrics().horizontalAdvance(words) + _HEAD_MARGINS
            if words and wide > head.sectionSize(column):
                yield f"heading {words!r} is {head.sectionSize(column)} wide and needs {wide}"
            for row in range(min(model.rowCount(), 10)):
                index = model.index(row, column)
                wide = table.sizeHintForIndex(index).width()
                if wide > head.sectionSize(column):
                    yield f"cell {index.data()!r} is {head.sectionSize(column)} wide and needs {wide}"


@pytest.mark.parametrize("size", [(1280, 800), (1000, 650)])
def test_no_word_is_cut_off(with_parts, size):
    user = with_parts(box((20, 15, 5)))
    window = user.window
    window.resize(*size)
    found = set()
    try:
        for name in _SETS if size[0] == 1000 else _SETS[:1]:
            user.session.do(lambda job, name=name: edits.add_support(job, "part-1", shipped_sets()[name]))
        user.settle()
        for support in user.session.job.supports:
            user.session.select(support=support.id)
            for station in window.bench.stations:
                if station.key != "supports" and support is not user.session.job.supports[0]:
                    continue
                window.bench.open(station.key)
                for fold in station.findChildren(Fold):
                    if not fold.heading.isHidden():
                        fold.heading.setChecked(True)
                for page in range(station.tabs.count() if station.has_tabs else 1):
                    if station.has_tabs:
                        station.tabs.setCurrentIndex(page)
                    for _ in range(3):
                        QApplication.processEvents()
                    QApplication.sendPostedEvents()  # what came last is laid out, too
                    found |= {f"under the view: {what}" for what in cut_off_cells(window.views)}
                    for part in (station, window.traveller, window.header, window.status):
                        found |= {f"{station.key}: {what}" for what in (*cut_off(part), *cut_off_cells(part))}
    finally:
        window.resize(1280, 800)
        wait_until(lambda: window.height() == 800)
    assert not found, "\n".join(sorted(found))


@pytest.mark.parametrize("size", [(1280, 800), (1000, 650)])
def test_every_kind_of_region_can_be_read_in_the_list(with_parts, size):
    user = with_parts(box((20, 14, 6)))
    user.session.do(lambda job: edits.set_angles(job, ["part-1"], 30.0, 35.0))
    bench = user.station("overhangs")
    user.window.resize(*size)
    try:
        for axis in ("x", "y"):
            user.session.do(lambda job, axis=axis: edits.turn_part(job, "part-1", axis, 50.0))
            user.settle()
            assert f"low {'edge' if axis == 'x' else 'point'}" in {
                bench.table.model().index(row, 1).data() for row in range(bench.table.model().rowCount())
            }
            assert list(cut_off_cells(bench)) == []
    finally:
        user.window.resize(1280, 800)
        wait_until(lambda: user.window.height() == 800)


def test_at_least_twelve_settings_and_ten_rows_are_seen_at_once(with_parts):
    user = with_parts(box((20, 15, 5)))
    user.window.resize(1280, 800)
    wait_until(lambda: user.window.height() == 800)
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    bench.tabs.show_page("settings")
    for _ in range(3):
        QApplication.processEvents()
    QApplication.sendPostedEvents()  # what came last is laid out, too
    form = bench.values.shown
    view = bench.tabs.currentWidget().viewport()
    keys = [known.key for known in type(user.session.support.parameters).declared()]
    seen = [
        key
        for key in keys
        if (field := form.field(key)).isVisible() and field.mapTo(view, QPoint(0, field.height())).y() <= view.height()
    ]
    places = {key: (form.field(key).isVisible(), form.field(key).mapTo(view, QPoint(0, 0)).y()) for key in keys}
    assert len(seen) >= 12, places
    assert bench.tabs.mapTo(bench, QPoint(0, 0)).y() < 260, "head and list leave the rest to the tabs"
    for table in (user.station("overhangs").table, user.station("release").findings_page.table):
        assert table.viewport().height() >= 10 * 28


def test_numbers_of_thousands_of_bars_can_be_read(user):
    user.station("supports")
    table = user.field("figures.worst")
    assert head_of(table).sectionSize(0) >= table.fontMetrics().horizontalAdvance("8888") + _HEAD_MARGINS


def test_nothing_shifts_when_results_arrive(with_parts):
    user = with_parts(box((20, 15, 5)))
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    field = bench.values.shown.field("spacing")
    places = []
    for spacing in ("3.1", "4.2"):
        user.type_into(field, spacing)
        places.append(field.mapToGlobal(QPoint(0, 0)).y())
        user.settle()
        places.append(field.mapToGlobal(QPoint(0, 0)).y())
    assert len(set(places)) == 1

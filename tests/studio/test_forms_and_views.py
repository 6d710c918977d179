"""Forms, sketch, traveller, tables and views: what they show is what the core holds."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPixmap, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from lean_trellis.core.job import edits
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import BarParameters
from lean_trellis.studio.forms.fields import ChoiceField, NumberField
from lean_trellis.studio.forms.parameter_form import ParameterForm
from lean_trellis.studio.forms.qt import head_of
from lean_trellis.studio.forms.sketch import Sketch
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.theme import DAY, NIGHT, Tokens, style_sheet


@pytest.fixture
def form(application):
    made = ParameterForm(BarParameters)
    values = shipped_sets()["bars-metal"].parameters
    made.show_parameters(values, values)
    made.show()
    yield made
    made.close()
    made.deleteLater()


def told(signal):
    """What a signal tells from now on."""
    heard = []
    signal.connect(lambda *arguments: heard.append(arguments))
    return heard


def retype(field, text, key=Qt.Key.Key_Return):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, key)


def test_every_declared_parameter_has_a_field_with_its_label_unit_and_help(form):
    for known in BarParameters.declared():
        field = form.field(known.key)
        assert field.accessibleName() == known.label
        assert known.help in field.toolTip()
        assert known.key in field.toolTip()
        texts = [label.text() for label in form._lines[known.key].findChildren(QLabel)]
        assert known.label in texts
        assert known.unit in texts


def test_each_kind_of_field_asks_for_its_kind_of_value(form):
    heard = told(form.changed)
    retype(form.field("spacing"), "2,5")
    retype(form.field("sides"), "12")
    retype(form.field("height_limit"), "30")
    QTest.mouseClick(form.field("rim_row"), Qt.MouseButton.LeftButton, pos=QPoint(8, 10))
    form.field("landing").activated.emit(form.field("landing").findData("anywhere"))
    assert heard == [
        ("spacing", 2.5),
        ("sides", 12),
        ("height_limit", 30.0),
        ("rim_row", False),
        ("landing", "anywhere"),
    ]
    assert isinstance(heard[1][1], int)


def test_fields_that_do_not_apply_are_not_shown(form):
    assert form._lines["bite_depth"].isVisible()
    assert not form._lines["gap_layers"].isVisible()
    gap = shipped_sets()["bars-extrusion"].parameters
    form.show_parameters(gap, gap)
    assert not form._lines["bite_depth"].isVisible()
    assert form._lines["gap_layers"].isVisible()
    assert form._lines["dense_layers"].isVisible()


def test_a_difference_is_marked_and_has_a_way_back(form):
    base = shipped_sets()["bars-metal"].parameters
    form.show_parameters(base.with_value("spacing", 9.0), base)
    line = form._lines["spacing"]
    assert line.field.property("differs") is True
    assert "1.9" in line._back.toolTip()
    heard = told(form.changed)
    QTest.mouseClick(line._back, Qt.MouseButton.LeftButton)
    assert heard == [("spacing", 1.9)]
    assert form._lines["sides"]._back.isHidden()


def test_groups_fold(form):
    fold, field = form._folds["where"], form.field("spacing")
    QTest.mouseClick(fold.heading, Qt.MouseButton.LeftButton)
    assert not field.isVisible()
    QTest.mouseClick(fold.heading, Qt.MouseButton.LeftButton)
    assert field.isVisible()


def wheel_over(widget):
    at = QPointF(10, 10)
    event = QWheelEvent(
        at, widget.mapToGlobal(at), QPoint(0, 120), QPoint(0, 120), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_the_wheel_changes_no_value_by_accident(form):
    heard = told(form.changed)
    form.field("landing").setFocus()
    for key in ("landing", "spacing", "sides"):
        wheel_over(form.field(key))
    assert heard == []
    assert form.field("landing").currentData() == "plate_first"


def test_a_number_field_takes_on_return_and_gives_up_on_escape(application):
    field = NumberField("mm")
    field.show()
    field.show_value(4.0)
    heard = told(field.taken)
    retype(field, "5", Qt.Key.Key_Escape)
    assert (field.text(), heard) == ("4", [])
    retype(field, "5+1")
    assert (field.text(), heard) == ("6", [(6.0,)])
    retype(field, "6")
    refused = told(field.refused)
    retype(field, "six")
    assert len(refused) == 1
    assert field.property("wrong") is True
    field.close()


def test_a_choice_shows_the_current_and_tells_nobody_when_offered_anew(application):
    choice = ChoiceField()
    heard = told(choice.chosen)
    choice.offer([("a", "Alder"), ("b", "Birch")], "b")
    choice.offer([("a", "Alder"), ("c", "Cedar")], "gone")
    assert (choice.currentText(), heard) == ("Alder", [])


def picture_of(sketch):
    picture = QPixmap(sketch.size())
    sketch.render(picture)
    image = picture.toImage()
    return np.array([image.pixel(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)])


def test_the_sketch_changes_with_the_value_in_hand_and_with_the_field(application):
    sketch = Sketch(DAY)
    sketch.resize(320, 168)
    blank = picture_of(sketch)
    values = BarParameters()
    sketch.show_values(values, 0.05)
    pictures = {}
    for known in BarParameters.declared():
        sketch.show_key(known.key)
        pictures[known.key] = picture_of(sketch)
        assert (pictures[known.key] != blank).any()
    assert (pictures["tip_length"] != pictures["foot_height"]).any()
    sketch.show_key("spacing")
    sketch.show_values(values.with_value("spacing", 6.0), 0.05)
    assert (picture_of(sketch) != pictures["spacing"]).any()
    sketch.show_key("tip_diameter")
    sketch.show_values(values.with_value("tip_diameter", 2.0), 0.05)
    assert (picture_of(sketch) != pictures["tip_diameter"]).any()
    sketch.show_values(shipped_sets()["bars-extrusion"].parameters, 0.2)
    sketch.show_key("dense_layers")
    assert (picture_of(sketch) != blank).any()


def test_a_table_sorts_by_value_and_tells_only_what_the_user_picks(application):
    table = PickTable(("Name", "Size"))
    heard = told(table.selected)
    table.show_rows([("a", ("Alder", 9.0)), ("b", ("Birch", 10.0)), ("c", ("Cedar", 1.5))], ["b"])
    assert (table.selected_keys(), heard) == (["b"], [])
    table.sortByColumn(1, Qt.SortOrder.AscendingOrder)
    assert table.keys() == ["c", "a", "b"]
    table.selectRow(0)
    assert heard[-1] == (["c"],)
    table.show_rows([("a", ("Alder", 9.0))], [])
    assert table.selected_keys() == []
    table.show_rows([("d", ("Dogwood", None)), ("a", ("Alder", 9.0)), ("e", ("Elder", -3.0))], [])
    assert table.keys() == ["d", "e", "a"], "what has no size comes before all sizes"
    model = table.model()
    assert [model.index(row, 1).data() for row in range(3)] == [None, "-3.00", "9.00"]
    head = [model.headerData(1, Qt.Orientation.Horizontal, Qt.ItemDataRole.TextAlignmentRole)]
    assert head[0] & Qt.AlignmentFlag.AlignRight, "figures stand right although the first row has none"
    assert head_of(table).isSortIndicatorShown()
    table.show_rows([], [])
    assert not head_of(table).isSortIndicatorShown(), "of no rows there is no order: a sign would cover the heading"
    table.show_rows([("a", ("Alder", 9.0)), ("c", ("Cedar", 1.5))], [])
    assert (head_of(table).isSortIndicatorShown(), table.keys()) == (True, ["c", "a"])
    table.deleteLater()


def luminance(colour):
    channels = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return float(np.dot([0.2126, 0.7152, 0.0722], linear))


def contrast(one, other):
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("tokens", [DAY, NIGHT])
def test_words_stand_out_from_their_ground(tokens: Tokens):
    for ground in (tokens.paper, tokens.card):
        assert contrast(tokens.ink, ground) >= 7
        assert contrast(tokens.muted, ground) >= 4.5
        assert contrast(tokens.ivy, ground) >= 4.5
        assert contrast(tokens.stop, ground) >= 4.5
    assert contrast(tokens.on_ivy, tokens.ivy) >= 4.5
    assert tokens.ivy in style_sheet(tokens)


def test_the_traveller_tells_the_state_of_every_station(with_parts):
    user = with_parts(box((20, 20, 5)))
    entries = user.window.traveller.entries
    facts = {entry.station.key: entry.fact for entry in entries}
    assert facts["setup"].words == "Metal 260, 0.04 mm"
    assert facts["parts"].mark == "fine"
    assert facts["pose"].words == "offset 4 mm, 1 out of range"
    assert facts["pose"].mark == "look"
    assert facts["overhangs"].mark == "stop"
    assert facts["overhangs"].words == "1 region, 400 mm²"
    assert facts["supports"].mark == "open"
    assert facts["release"].mark == "stop"
    user.window.menus.run("support_all")
    user.settle()
    facts = {entry.station.key: entry.fact for entry in entries}
    assert (facts["supports"].mark, facts["release"].words) == ("fine", "ready, 1 caution")
    user.session.do(lambda job: edits.turn_part(job, "part-1", "x", 15))
    user.window.refresh()
    facts = {entry.station.key: entry.fact for entry in entries}
    assert (facts["supports"].mark, facts["release"].mark) == ("stale", "stale")
    user.settle()


def test_a_station_is_opened_by_a_click_on_the_traveller_and_the_parts_list_picks(with_parts):
    user = with_parts(box((20, 20, 5)), box((9, 9, 9)))
    QTest.mouseClick(user.window.traveller.entries[3], Qt.MouseButton.LeftButton)
    assert user.window.station.key == "overhangs"
    user.click_row(user.window.traveller.parts, "part-2")
    assert user.session.part.name == "part 2"
    user.click_row(user.window.traveller.parts, "part-1", Qt.KeyboardModifier.ControlModifier)
    assert set(user.session.selection.parts) == {"part-1", "part-2"}
    user.station("overhangs")
    user.type_into(user.field("overhangs.critical"), "33")
    assert [part.critical_angle for part in user.session.job.parts] == [33, 33]


def test_an_unsound_part_says_so_everywhere(with_parts):
    cube = box((10, 10, 10))
    user = with_parts(Mesh(cube.vertices, cube.faces[1:]))
    bench = user.station("parts")
    assert "3 open edges" in bench.mesh.health.text()
    assert bench.table.model().index(0, 6).data() == "⬣"
    assert user.window.traveller.entries[1].fact.mark == "stop"
    assert "mesh_unsound" in {finding.code for finding in user.session.findings()}


def test_clicking_a_part_picks_it_and_clicking_nothing_lets_go(with_parts):
    user = with_parts(box((20, 20, 5)), ball(8, subdivisions=3))
    user.station("setup")
    user.window.views.view.look("top")
    second = user.session.job.part("part-2")
    user.click_at((second.pose.x, second.pose.y, second.bounds()[1, 2]))
    assert user.session.selection.parts == ("part-2",)
    first = user.session.job.part("part-1")
    user.click_at((first.pose.x, first.pose.y, first.bounds()[1, 2]), Qt.KeyboardModifier.ControlModifier)
    assert set(user.session.selection.parts) == {"part-1", "part-2"}
    QTest.mouseClick(user.window.views.view.canvas, Qt.MouseButton.LeftButton, pos=QPoint(6, 6))
    assert user.session.selection.parts == ()


def test_the_wheel_zooms_at_the_pointer(with_parts):
    user = with_parts(box((20, 20, 5)))
    canvas = user.window.views.view.canvas
    place = user.session.part.bounds()[1]
    before, at = user.window.views.view.eye.distance, user.on_screen(tuple(place))
    event = QWheelEvent(
        QPointF(at), canvas.mapToGlobal(QPointF(at)), QPoint(0, 120), QPoint(0, 240), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(canvas, event)
    assert user.window.views.view.eye.distance < before
    moved = user.on_screen(tuple(place)) - at
    assert abs(moved.x()) + abs(moved.y()) < 40


def test_a_long_message_does_not_make_the_window_wider(user):
    width = user.window.width()
    user.window.status.say("stop", "a very long word of what is wrong with a file " * 20)
    QApplication.processEvents()
    assert user.window.width() == width
    assert "very long word" in user.window.status.message.toolTip()


def test_a_double_click_in_a_number_selects_all_of_it(user):
    field = NumberField("mm")
    field.show_value(6.25)
    field.show()
    at = QPoint(field.width() - 12, field.height() // 2)
    QTest.mouseClick(field, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseDClick(field, Qt.MouseButton.LeftButton, pos=at)
    assert field.selectedText() == "6.25", "and not what stands on one side of the point"
    QTest.mouseClick(field, Qt.MouseButton.LeftButton, pos=at)
    assert field.selectedText() == "6.25", "a third click leaves it so"
    field.close()

"""Layers: stepping, what is shown and marked, the estimate, machine files; the height strip."""

from __future__ import annotations

import numpy as np
import pytest
from machine_readers import read_common_layers, ring_area
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.job.edits import change_support, choose_machine, set_build_offset
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.studio import derived
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.requests import SaveJob


@pytest.fixture
def layers(with_parts):
    """A ball and a box on supports, with their layers."""
    user = with_parts(ball(4, subdivisions=3), box((10, 8, 4)))
    user.press(user.station("supports").support_all)
    user.settle()
    bench = user.station("layers")
    user.settle()
    return user, bench


def told(bench):
    """What is said of the current layer."""
    return {cells[0]: cells[1] for _, cells in bench.facts._model.rows}


def test_the_layer_in_hand_shows_its_areas_and_steps_by_every_way_there_is(layers):
    user, bench = layers
    profile = user.session.layers.profile()
    assert 0 < user.session.layers.number < len(profile)
    assert profile.part_mm2[user.session.layers.number] > 0, "a layer in the middle of the parts"
    user.type_into(bench.number, "150")
    user.settle()
    assert user.session.layers.number == 149
    assert told(bench)["Parts"] == f"{profile.part_mm2[149]:,.1f} mm²"
    assert bench.height_field.value == pytest.approx(profile.tops[149], abs=1e-3)
    for name, number in (
        ("layers.step10", 159),
        ("layers.step-1", 158),
        ("layers.step1", 159),
        ("layers.step-10", 149),
    ):
        user.press(user.field(name))
        assert user.session.layers.number == number
    user.type_into(bench.height_field, "5.0")
    assert profile.tops[user.session.layers.number] == pytest.approx(5.0)
    strip = user.window.views.strip
    strip.setFocus()
    before = user.session.layers.number
    for key, step in ((Qt.Key.Key_Up, 1), (Qt.Key.Key_PageUp, 11), (Qt.Key.Key_Down, 10), (Qt.Key.Key_PageDown, 0)):
        user.key(key)
        assert user.session.layers.number == before + step
    user.key(Qt.Key.Key_End)
    assert user.session.layers.number == len(profile) - 1
    user.type_into(bench.number, "99999")
    assert user.session.layers.number == len(profile) - 1, "the nearest there is"


def test_a_click_and_a_drag_in_the_strip_choose_the_layer_there(layers):
    user, _ = layers
    strip, profile = user.window.views.strip, user.session.layers.profile()
    y = round(strip.y_of(6.0))
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(20, y))
    assert profile.tops[user.session.layers.number] == pytest.approx(6.0, abs=0.1)
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=QPoint(20, y))
    QTest.mouseMove(strip, QPoint(20, round(strip.y_of(3.0))))
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=QPoint(20, round(strip.y_of(3.0))))
    wait_until(lambda: abs(profile.tops[user.session.layers.number] - 3.0) < 0.1)


def test_what_is_above_is_lifted_away_and_comes_back(layers):
    user, bench = layers
    user.type_into(bench.height_field, "6.0")
    user.settle()
    cuts = user.session.cuts()
    part = user.session.job.parts[1]
    assert cuts.parts[part.id].face.area == pytest.approx(80.0)
    user.press(bench.lifts)
    assert user.session.cuts() is None
    user.press(bench.lifts)
    user.settle()
    assert user.session.cuts() is not None
    user.station("release")
    assert user.session.cuts() is None


def test_a_part_that_goes_with_its_supports_while_its_layer_is_shown_leaves_the_rest_in_sight(layers):
    user, bench = layers
    session = user.session
    session.do(lambda job: edits.set_build_offset(job, [job.parts[0].id], 12.0))
    user.settle()
    gone = session.job.parts[0]
    session.do(lambda job: edits.remove_parts(job, [gone.id]))
    user.settle()
    session.undo()
    user.settle()
    user.type_into(bench.number, "99999")
    top = session.layers.profile().tops[-1]
    wait_until(lambda: not user.window.views.view.scene.is_moving)
    session.redo()  # all of it is known already: the station is in step before the view is
    assert session.layers.profile().tops[-1] < top
    user.settle()
    assert gone.id not in user.session.cuts().parts
    assert set(user.window.views.view.scene._bars) == {support.id for support in session.job.supports}


def test_on_a_belt_the_cut_is_as_tilted_as_the_layers(with_parts, library):
    user = with_parts(box((10, 8, 4)))
    user.session.do(lambda job: choose_machine(job, library.machine("belt-260"), library.material("pla")))
    bench = user.station("layers")
    user.settle()
    profile, number = user.session.layers.profile(), user.session.layers.number
    part = user.session.job.parts[0]
    cut = user.session.cuts().parts[part.id]
    normal = user.session.job.machine.layer_normal
    middle = profile.tops[profile.place_of(number)] - user.session.job.layer_height / 2
    assert cut.face.vertices @ np.array(normal) == pytest.approx(middle, abs=1e-6)
    assert cut.face.area == pytest.approx(float(told(bench)["Parts"].split()[0]), rel=1e-3)
    foot, top = user.window.views.strip.foot_words(), profile.tops[0]
    assert top < 0 and foot == UNITS.length(float(top), 1), "on a belt heights along the normal begin below 0"
    frame = bench.sheet._frame_now()
    flat = np.concatenate(bench.sheet.layer.parts)
    on_screen = np.array([frame.to_screen(x, -y) for x, y in flat])
    assert 0 < on_screen.min() < on_screen[:, 1].max() < bench.sheet.height(), "what is drawn is in sight"
    assert np.ptp(on_screen, axis=0).max() > 60
    assert cut.rim.reshape(-1, 3) @ np.array(normal) == pytest.approx(middle, abs=1e-6)


def test_the_drawn_layer_is_the_outline_and_parts_and_supports_can_be_left_out(layers):
    user, bench = layers
    user.type_into(bench.height_field, "6.0")
    user.settle()
    shown = bench.sheet.layer
    areas = [abs(ring_area(ring)) for ring in shown.parts]
    assert sum(areas) == pytest.approx(float(told(bench)["Parts"].split()[0]), rel=1e-3)

    def drawn():
        picture = bench.sheet.grab().toImage()
        middle = bench.sheet._frame_now()
        x, y = middle.to_screen(*(user.session.job.parts[1].bounds().mean(axis=0)[:2] * [1, -1]))
        return picture.pixelColor(round(x), round(y)).name()

    with_parts = drawn()
    user.press(bench.parts)
    assert drawn() != with_parts
    user.press(bench.parts)
    assert drawn() == with_parts


def test_distances_are_measured_in_the_layer(layers):
    _, bench = layers
    sheet = bench.sheet
    frame = sheet._frame_now()
    begin, end = QPoint(60, 60), QPoint(160, 60)
    QTest.mousePress(sheet, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, begin)
    from PyQt6.QtCore import QEvent
    from PyQt6.QtGui import QMouseEvent

    move = QMouseEvent(QEvent.Type.MouseMove, QPointF(end), sheet.mapToGlobal(QPointF(end)), Qt.MouseButton.NoButton,
                       Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier)  # fmt: skip
    sheet.mouseMoveEvent(move)
    QTest.mouseRelease(sheet, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, end)
    assert sheet.distance_mm == pytest.approx(100 / frame.scale)


def test_playing_steps_upward_until_escape(layers):
    user, bench = layers
    user.type_into(bench.number, "3")
    user.press(bench.play)
    wait_until(lambda: user.session.layers.number > 6)
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)
    assert not bench.play.isChecked()
    stopped = user.session.layers.number
    QTest.qWait(200)
    assert user.session.layers.number == stopped


def test_the_estimate_follows_the_job_and_is_never_shown_out_of_date(layers):
    user, bench = layers
    found = Pipeline().graph.get(ESTIMATE, None, user.session.job)
    assert hours_in_words(found.build_seconds) in bench.total.text()
    assert f"{found.cost:,.2f} EUR" in bench.total.text()
    assert user.window.status.supports_words.text().endswith(hours_in_words(found.build_seconds))
    assert len(bench.estimate.bodies.keys()) == 3
    support = user.session.job.supports[0]
    user.session.do(lambda job: change_support(job, support.id, "spacing", 4.0))
    assert bench.total.text() == "Estimating …"
    assert bench.estimate.bodies.keys() == []
    assert bench.fact().mark in ("open", "stale")
    user.settle()
    changed = Pipeline().graph.get(ESTIMATE, None, user.session.job)
    assert changed.material_grams < found.material_grams
    assert f"{changed.cost:,.2f} EUR" in bench.total.text()


def test_one_support_changed_is_cut_again_and_no_other(layers):
    user, _ = layers
    from lean_trellis.core.derive.graph import Graph
    from lean_trellis.core.derive.layers import LAYER_PROFILE

    job, graph = user.session.job, Graph()
    graph.get(LAYER_PROFILE, None, job)
    graph.made.clear()
    support = job.supports[0]
    graph.get(LAYER_PROFILE, None, change_support(job, support.id, "tip_diameter", 0.9).job)
    cut = [(name, subject.id) for name, subject in graph.made if name.endswith(" layers")]
    assert cut == [("support layers", support.id)]


def test_marks_say_what_hangs_and_what_begins_in_the_air(with_parts):
    user = with_parts(ball(4, subdivisions=3))
    user.session.do(lambda job: set_build_offset(job, [job.parts[0].id], 3.0))
    bench = user.station("layers")
    user.settle()
    user.type_into(bench.height_field, "3.04")
    user.settle()
    assert told(bench)["Pieces that begin in the air"] == "1"
    assert float(told(bench)["Hangs over the layer below"].split()[0]) > 0.1
    user.type_into(bench.height_field, "7.0")
    user.settle()
    assert told(bench)["Pieces that begin in the air"] == "0"
    assert told(bench)["Hangs over the layer below"] == "0.00 mm²"


def test_a_machine_file_is_written_and_a_wrong_name_is_refused(layers, tmp_path, monkeypatch):
    user, bench = layers
    for name, words in (("friday.cli", "Wrote"), ("friday.gcode", "takes no .gcode file of layers")):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        user.press(bench.write)
        user.settle()
        assert words in user.window.status.message.text()
    read = read_common_layers(tmp_path / "friday.cli")
    assert len(read.layers) == len(user.session.layers.profile())
    assert not (tmp_path / "friday.gcode").exists()


def test_without_parts_it_is_said(user):
    bench = user.station("layers")
    assert bench.where.text() == "no parts yet"
    assert not bench.write.isEnabled()
    assert bench.fact().words == "no parts yet"
    assert user.session.is_settled


def test_paths_of_the_layer_are_shown_when_they_are_asked_for(layers):
    user, bench = layers
    user.type_into(bench.height_field, "4.2")
    assert bench.sheet.paths is None
    user.press(bench.paths)
    user.settle()
    shown = bench.sheet.paths
    assert {kind for kind, _ in shown} == {"part", "support"}
    fill = [(paths.lengths * paths.widths)[paths.kinds == Kind.FILL].sum() for kind, paths in shown if kind == "part"]
    assert sum(fill) == pytest.approx(float(told(bench)["Parts"].split()[0]), rel=0.05)
    user.press(bench.paths)
    assert bench.sheet.paths is None
    assert user.session.is_settled


def test_an_edit_shows_what_it_saves_until_the_next(layers):
    user, bench = layers
    assert bench.saved.text() == ""
    bar = bench.tabs.tabBar()
    place = bar.mapToGlobal(QPoint(0, 0))
    support = user.session.job.supports[0]
    before = user.session.layers.estimate()
    user.session.do(lambda job: change_support(job, support.id, "spacing", 4.1))
    assert bench.saved.text() == ""
    user.settle()
    after = user.session.layers.estimate()
    shown = bench.saved.text().replace("−", "-")
    assert f"{after.material_grams - before.material_grams:+.1f} g" in shown
    assert f"{after.cost - before.cost:+,.2f} EUR" in shown
    assert bar.mapToGlobal(QPoint(0, 0)) == place, "nothing moves under the pointer"
    user.session.undo()
    user.settle()
    assert f"{before.cost - after.cost:+,.2f} EUR" in bench.saved.text()
    user.session.new_job()
    assert bench.saved.text() == ""


def columns(table):
    """The cells below each heading, by figure."""
    model = table._model
    heads = model._columns[1:]
    return {head: {cells[0]: cells[place] for _, cells in model.rows} for place, head in enumerate(heads, start=1)}


def test_trials_are_kept_compared_taken_and_dropped(layers):
    user, bench = layers
    trials = bench.trials
    user.press(user.field("trials.name"))
    QTest.keyClicks(trials.name, "wide")
    user.press(trials.keep)
    support = user.session.job.supports[0]
    user.session.do(lambda job: change_support(job, support.id, "spacing", 1.5))
    user.type_into(trials.name, "close")
    user.settle()
    shown = columns(trials.table)
    assert list(shown) == ["Now", "wide", "close"]
    assert shown["Now"] == shown["close"]
    supports = {head: int(cells["Supports"].removesuffix(" ✓")) for head, cells in shown.items()}
    assert supports["close"] > supports["wide"]
    assert shown["wide"]["Supports"].endswith(" ✓")
    assert not shown["close"]["Supports"].endswith(" ✓")
    user.choose(trials.chosen, "wide")
    user.press(trials.take)
    user.settle()
    assert user.session.job.supports[0].parameters.spacing == support.parameters.spacing
    assert columns(trials.table)["Now"] == columns(trials.table)["wide"]
    user.press(trials.drop)
    assert [trial.name for trial in user.session.job.trials] == ["close"]
    user.window.menus.run("undo")
    assert [trial.name for trial in user.session.job.trials] == ["wide", "close"]


def test_the_moment_of_greatest_danger_is_one_click_away_and_every_hold_says_what_it_uses(layers):
    user, bench = layers
    danger, profile = user.session.layers.danger(), user.session.layers.profile()
    assert danger.worst is not None
    user.press(bench.holds.go)
    user.settle()
    assert user.session.layers.number == profile.numbers[danger.worst]
    assert f"{danger.used[danger.worst]:.2f} of its strength" in bench.holds.words.text()
    here = [cells[1] for _, cells in bench.holds.table._model.rows]
    assert f"{danger.used[danger.worst]:.2f}" in here
    used = [cells[2] for _, cells in bench.holds.worst._model.rows]
    assert used == sorted(used, reverse=True)
    assert len(bench.sheet.holds()[1]) >= len(used) > 0
    assert told(bench)["Most used of its strength"] == f"{danger.used[danger.worst]:.2f}"
    user.type_into(bench.number, "1")
    user.settle()
    assert not len(bench.sheet.holds()[1]), "nothing of the parts is there yet"


def test_a_mark_of_the_strip_says_what_it_is_and_a_click_goes_there(layers):
    user, _ = layers
    strip, said = user.window.views.strip, []
    user.session.said.connect(lambda kind, words: said.append((kind, words)))
    danger = next(mark for mark in strip.marks() if mark.kind == "danger")
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=QPoint(8, round(strip.y_of(danger.height_mm))))
    profile = user.session.layers.profile()
    assert user.session.layers.number == profile.number_at(danger.height_mm)
    assert said[-1] == ("note", danger.words)
    assert "moment of greatest danger" in danger.words
    user.session.do(lambda job: set_build_offset(job, [job.parts[0].id], 90.0))
    user.session.do(lambda job: edits.remove_supports(job, [one.id for one in job.supports]))
    user.settle()
    stop = next(mark for mark in strip.marks() if mark.kind == "stop")
    assert abs(stop.height_mm - stop.finding.at_mm[2]) < 1e-9
    at = QPoint(strip.width() - 7, round(strip.y_of(stop.height_mm)))
    shown = strip.mark_at(QPointF(at))
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=at)
    assert said[-1] == (shown.kind, shown.words)
    assert strip.mark_at(QPointF(40, at.y())) is None, "the profile is no lane of marks"


def test_a_trial_stands_beside_the_job_with_one_camera_and_one_layer(layers, tmp_path, monkeypatch):
    user, bench = layers
    session, beside = user.session, user.window.views.beside
    user.type_into(bench.trials.name, "wide")
    user.settle()
    session.do(lambda job: change_support(job, job.supports[0].id, "spacing", 1.5))
    user.settle()
    rows = {cells[0]: cells[1:] for _, cells in bench.trials.values._model.rows}
    assert any("spacing" in words and cells[0] == "1.5 mm" for words, cells in rows.items())
    user.press(bench.trials.beside)
    wait_until(lambda: beside.second_session.is_settled, why_not=lambda: beside.second_session.under_way)
    trial = beside.second_session
    assert trial.job.supports[0].parameters.spacing != 1.5
    assert trial.bars(trial.job.supports[0]) is not None
    user.window.views.view.look("front")
    assert beside.second.eye == user.window.views.view.eye
    beside.second.look("low")
    assert beside.second.eye == user.window.views.view.eye
    bench.go_to(40)
    user.settle()
    assert trial.layers.number == 40
    target = tmp_path / "trials.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    user.press(bench.trials.write)
    lines = target.read_text().splitlines()
    assert lines[0] == ",Now,wide"
    assert any(line.startswith("Time (s),") for line in lines)
    assert any("spacing,1.5 mm," in line for line in lines)
    user.window.bench.open("supports")
    assert beside.second is None
    assert session.job.trials, "leaving only ends what is side by side"


def test_thin_places_are_listed_and_a_part_is_built_at_the_least_width(with_parts):
    fin = from_manifold(to_manifold(box((12, 20, 4))) + to_manifold(box((0.2, 16, 8), corner=(5, 2, 3))))
    user = with_parts(fin)
    user.session.choose_shop("filament-320", "pla")
    bench = user.station("layers")
    user.settle()
    ((_, row),) = bench.thin.table._model.rows
    assert row[1] == pytest.approx(0.2, abs=0.01)
    user.click_row(bench.thin.table, 0)
    user.settle()
    number, profile = user.session.layers.number, user.session.layers.profile()
    top = float(profile.tops[profile.place_of(number)])
    assert row[2] < top < row[3]
    before = profile.part_mm2[profile.place_of(number)]
    user.press(bench.thin.thickens)
    user.settle()
    profile = user.session.layers.profile()
    added = user.session.layers.shown(number).added_mm2
    assert profile.part_mm2[profile.place_of(number)] == pytest.approx(before + added)
    assert f"{added:.2f} mm²" in bench.thin.adds.text()
    assert all(finding.severity == "note" for finding in user.session.findings() if finding.code == "thin_wall")
    user.session.undo()
    user.settle()
    assert not bench.thin.thickens.isChecked()


def test_the_strip_fills_of_itself_after_a_rest_and_gives_way_to_what_is_asked(with_parts, tmp_path):
    user = with_parts(box((10, 8, 4)))
    session = user.session
    session.layers.forget()
    assert user.window.bench.station.key != "layers"
    user.settle()
    session.layers.show_strip()
    written = []
    session.ask("Saving", SaveJob(session.job, tmp_path / "one.trellis"), written.append)
    user.settle()
    assert written, "what is asked for comes at once"
    assert len(session.layers.profile())
    assert session.layers.danger() is not None
    assert session.layers.estimate() is None, "what takes longer waits until it is asked for"
    words = next(one for one in user.window.bench.stations if one.key == "layers").fact().words
    assert words == f"{len(session.layers.profile()):,} layers", "and nothing says that it is coming"
    session.do(lambda job: set_build_offset(job, [job.parts[0].id], 7.0))
    user.settle()
    assert session.layers.profile().tops[-1] == pytest.approx(11.0, abs=0.05)


@pytest.mark.fresh
def test_after_a_rest_the_strip_begins_by_itself_and_never_where_that_is_switched_off(request, monkeypatch):
    monkeypatch.setenv("LEAN_TRELLIS_UNASKED", "1")
    monkeypatch.setattr(derived, "_REST_MS", 50)
    user = request.getfixturevalue("with_parts")(box((10, 8, 4)))
    wait_until(lambda: user.session.layers.profile() is not None)
    user.settle()
    assert not user.session.layers.is_wanted


def test_shares_are_grouped_and_the_largest_saving_is_taken_with_one_click(layers):
    user, bench = layers
    session, estimate = user.session, bench.estimate
    user.open_tab(estimate.by)
    user.choose(estimate.by, "part")
    assert len(estimate.bodies.keys()) == len(session.job.parts)
    seconds = sum(share.seconds for share in session.layers.estimate().shares)
    user.choose(estimate.by, "owner")
    ((_, row),) = estimate.bodies._model.rows
    assert row[1] == hours_in_words(seconds)
    user.press(bench.savings.look)
    user.settle()
    (_, first), *_ = bench.savings.table._model.rows
    before, saved = session.layers.estimate().cost, float(first[2])
    user.click_row(bench.savings.table, 0)
    assert first[0].lower() in bench.savings.words.text().lower()
    user.press(bench.savings.take)
    user.settle()
    assert session.layers.estimate().cost == pytest.approx(before - saved, abs=0.011)
    assert session.undo_title == first[0]
    assert bench.savings.table.keys() == [], "what was found is of another build"

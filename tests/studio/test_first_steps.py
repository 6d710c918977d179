"""The first five minutes: an empty job offers what to do, the status line says the next step, marks tell the truth."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.start_page import PICTURES


def marks(user):
    """The marks of the traveller by station."""
    return {entry.station.key: entry.fact.mark for entry in user.window.traveller.entries}


def next_words(user):
    button = user.window.status.next_step
    return button.text() if button.isVisible() else ""


def test_an_empty_job_offers_import_and_every_demo_as_a_picture(user):
    page = user.window.start_page
    assert page.isVisible()
    assert set(page.demos) == set(DEMOS)
    for name, card in page.demos.items():
        assert card.isVisible() and card.text() == DEMOS[name].title
        assert (PICTURES / f"{name}.png").exists()
        assert not card.icon().isNull()
    user.press(page.demos["belt"])
    wait_until(lambda: bool(user.session.job.parts))
    user.settle()
    assert user.session.job.name == "Night belt"
    assert not page.isVisible()


def test_the_start_page_is_gone_once_there_is_a_part_and_does_not_come_back_with_undo_to_be_redone(with_parts):
    user = with_parts(box((10, 10, 10)))
    assert not user.window.start_page.isVisible()


def test_the_next_step_is_said_and_done(with_parts):
    user = with_parts(box((20, 20, 5)))
    user.settle()
    name = user.session.job.parts[0].name
    assert next_words(user) == f"Next: Support {name}"
    user.press(user.window.status.next_step)
    assert user.window.station.key == "supports"
    user.press(user.window.station.support_all)
    user.settle()
    assert next_words(user) == "Next: Look at the supports from below"
    user.key(Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
    assert user.window.menus.by_id["below"].isChecked()
    assert next_words(user).startswith(("Next: Check", "Next: Export"))
    user.window.menus.by_id["below"].trigger()


def test_the_next_step_leads_to_the_stop_that_is_left(with_parts):
    user = with_parts(box((20, 20, 5)))
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 0.0))
    user.session.do(lambda job: edits.move_part(job, "part-1", 2.0, 100.0))
    user.settle()
    assert "outside the build volume" in next_words(user)
    user.press(user.window.status.next_step)
    bench = user.window.station
    assert bench.key == "release"
    assert "beyond the edge of the plate" in bench.findings_page.message.text()


def test_the_next_step_can_be_switched_off_and_that_is_remembered(user):
    user.window.menus.by_id["next_step"].trigger()
    assert next_words(user) == ""
    assert user.session.settings.next_step is False
    user.window.menus.by_id["next_step"].trigger()
    assert next_words(user) == "Next: Import parts"


def test_marks_are_fine_only_where_findings_are(with_parts):
    user = with_parts(box((20, 20, 5)))
    user.settle()
    assert marks(user)["overhangs"] == "stop"
    assert marks(user)["parts"] == "fine"
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    assert marks(user)["overhangs"] == "fine"
    severities = {f.severity for f in user.session.findings() if f.code in bench.codes}
    assert marks(user)["supports"] == ("stop" if "stop" in severities else "look" if severities else "fine")
    user.session.do(lambda job: edits.move_part(job, "part-1", 2.0, 100.0))
    user.settle()
    assert marks(user)["parts"] == "stop"


def test_a_cure_that_cannot_act_says_why_and_adds_nothing(with_parts, shelf):
    user = with_parts(shelf)
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 0.0))
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    support = user.session.job.supports[0].id
    user.session.do(lambda job: edits.change_support(job, support, "landing", "plate_only"))
    user.session.do(lambda job: edits.change_support(job, support, "height_limit", 1.0))
    user.settle()
    release = user.station("release")
    findings = user.session.findings()
    stop = next(f for f in findings if f.code in ("region_not_held", "island_not_held") and f.part_id == "part-1")
    release.show_finding(stop)
    before = user.session.job
    cure = next(cure for cure in stop.cures if cure.change is not None)
    release.apply_cure(cure)
    user.settle()
    made = [user.session.structure(one) for one in user.session.job.supports]
    if user.session.job is before:
        assert "no support reaches it" in user.window.status.message.text()
    else:
        assert not made[-1].is_empty


def test_every_finding_has_a_title_in_words():
    import re
    from pathlib import Path

    import lean_trellis.core as core
    from lean_trellis.core.checks.finding import CODE_TITLES

    found = set()
    for folder in ("checks", "supports"):
        for path in (Path(core.__file__).parent / folder).rglob("*.py"):
            found |= set(re.findall(r'(?:Finding|Fault|_gap)\(\s*"([a-z_]+)"', path.read_text()))
    assert len(found) > 20
    assert found <= set(CODE_TITLES)


def found(user, text):
    """What the search lists for some letters; it stays open."""
    user.window.setFocus()
    user.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    palette = user.window.palette_dialog
    wait_until(palette.isVisible)
    palette.field.setText(text)
    return palette, [palette.list.item(row).text() for row in range(palette.list.count())]


def test_the_search_finds_settings_values_and_sets_and_says_when_nothing_fits(with_parts):
    user = with_parts(box((20, 20, 5)))
    palette, words = found(user, "height limit")
    assert words == ["Height limit: setting of the support"]
    palette._run()
    assert user.window.station.key == "supports"
    palette, words = found(user, "raft rectangle")
    assert words == ["Raft, rectangle: next support"]
    palette._run()
    assert user.window.station.set_choice.currentData() == "raft-rectangle"
    palette, words = found(user, "hatch speed")
    assert "Hatch speed: material value" in words
    palette._run()
    assert user.window.station.key == "setup"
    assert user.window.station.material_values.table.selected_keys() == ["constants.hatch_speed.value"]
    palette, words = found(user, "practice machine")
    assert len(words) == len(user.session.library.machines) >= 6
    palette, words = found(user, "practice vat 150")
    assert words == ["Machine: Vat 150 · resin vat · practice machine"]
    palette._run()
    assert user.session.job.machine.id == "vat-150"
    palette, words = found(user, "qqq")
    assert words == []
    assert palette.nothing.isVisible()
    palette.reject()


def test_a_part_stands_at_the_angle_typed_beside_the_range(with_parts):
    user = with_parts(box((40, 8, 8)))
    user.station("pose")
    user.settle()
    offset = user.session.part.pose.build_offset
    user.type_into(user.field("pose.tilt"), "70")
    user.settle()
    assert round(user.session.tilt(user.session.part).angle_deg, 3) == 70
    assert user.session.part.pose.build_offset == offset
    assert "at 70° to the plate" in user.window.station.tilt_words.text()
    user.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    user.settle()
    assert round(user.session.tilt(user.session.part).angle_deg, 3) == 0


def test_return_presses_the_button_that_has_the_focus_and_export_is_reached_by_keys_alone(
    with_parts, monkeypatch, tmp_path
):
    user = with_parts(box((20, 20, 5)))
    target = tmp_path / "out.3mf"
    monkeypatch.setattr(
        "lean_trellis.studio.stations.sections.export_page.QFileDialog.getSaveFileName", lambda *_: (str(target), "")
    )
    user.window.setFocus()
    user.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert user.window.station.export_page.export_button.hasFocus()
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    wait_until(target.exists)
    user.settle()


def test_who_looks_from_below_by_the_key_has_looked(with_parts):
    user = with_parts(box((20, 20, 5)))
    user.press(user.station("supports").support_all)
    user.settle()
    assert user.window.status.next_step.text() == "Next: Look at the supports from below"
    user.window.setFocus()
    user.key("b")
    assert user.window.status.next_step.text() != "Next: Look at the supports from below"


def test_what_the_pointer_said_goes_with_the_station(with_parts):
    user = with_parts(box((20, 20, 5)))
    user.station("overhangs")
    user.window.views.viewbar.where.setText("x 1  y 2 mm")
    user.station("release")
    assert user.window.views.viewbar.where.text() == ""


def test_an_empty_job_begins_at_import(user):
    assert user.window.start_page.isVisible()
    assert user.window.start_page.focusProxy() is user.window.start_page.import_button
    traveller = user.window.traveller
    heads = [label for label in traveller.findChildren(QLabel) if label.text() == "On the plate"]
    assert traveller._empty.y() - heads[0].y() < 60, "together, at the top"

"""The window as a person uses it: what is clicked and typed is found in the core."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QMessageBox, QPushButton

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.view3d.camera import Eye


def drop(user, paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    at = QPointF(640, 400)
    copy, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    entering = QDragEnterEvent(at.toPoint(), copy, data, left, none)
    user.window.dragEnterEvent(entering)
    assert entering.isAccepted()
    user.window.dropEvent(QDropEvent(at, copy, data, left, none))


def test_files_dropped_become_parts_and_a_bad_one_stops_none(user, tmp_path, stl):
    bad = tmp_path / "bad.stl"
    bad.write_bytes(stl.read_bytes()[:-7])
    other = tmp_path / "ball.stl"
    other.write_bytes(stl_bytes(ball(6, subdivisions=2)))
    drop(user, [stl, bad, other])
    wait_until(lambda: len(user.session.job.parts) == 2)
    user.settle()
    assert [part.name for part in user.session.job.parts] == ["slab", "ball"]
    assert "bad.stl" in user.window.status.message.text()
    assert "promises" in user.window.status.message.text()
    table = user.station("parts").table
    assert [table.model().index(row, 6).data() for row in range(2)] == ["✓", "✓"]
    assert "2 parts" in user.window.traveller.entries[1].fact.words


def test_machine_and_material_are_chosen_and_remembered(user):
    bench = user.station("setup")
    user.choose(bench.machine, "vat-150")
    assert user.session.job.machine.id == "vat-150"
    assert user.session.job.material.process == "vat"
    user.choose(bench.material, "resin-splint")
    user.choose(bench.layer, "0.05")
    assert (user.session.job.material.id, user.session.job.layer_height) == ("resin-splint", 0.05)
    assert (user.session.settings.machine, user.session.settings.material) == ("vat-150", "resin-splint")
    user.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert user.session.job.layer_height == 0.1


def test_a_part_is_turned_by_exact_degrees_and_stays_at_its_offset(with_parts):
    user = with_parts(box((30, 20, 10)))
    user.station("pose")
    user.type_into(user.field("pose.offset"), "5+2.5")
    user.type_into(user.field("pose.degrees"), "30")
    user.press(user.field("pose.turn.plus.x"))
    part = user.session.part
    expected = 20 * np.sin(np.radians(30)) + 10 * np.cos(np.radians(30))
    low, high = part.bounds()
    assert (low[2], high[2] - low[2]) == pytest.approx((7.5, expected))
    assert user.session.job.supports == ()
    user.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert user.session.part.bounds()[1, 2] - 7.5 == pytest.approx(10)


def test_the_offset_of_all_parts_is_set_at_once_and_a_wrong_one_refused(with_parts):
    user = with_parts(box((10, 10, 10)), box((8, 8, 8)))
    bench = user.station("pose")
    user.press(bench.lift.all_parts)
    user.type_into(user.field("pose.offset"), "0.5in")
    assert [part.pose.build_offset for part in user.session.job.parts] == [12.7, 12.7]
    user.type_into(user.field("pose.offset"), "-3")
    assert "below the plate" in user.window.status.message.text()
    assert user.session.part.pose.build_offset == 12.7
    user.type_into(user.field("pose.offset"), "high")
    assert user.field("pose.offset").property("wrong") is True
    assert "this is no number" in user.window.status.message.text()


def test_a_clicked_face_is_put_down_and_escape_ends_the_mode(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("pose")
    user.window.views.view.look("front")
    user.press(bench.lay_down.modes.buttons["down"])
    user.key(Qt.Key.Key_Escape)
    assert not bench.lay_down.modes.buttons["down"].isChecked()
    user.press(bench.lay_down.modes.buttons["down"])
    low, high = user.session.part.bounds()
    user.click_at(((low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2))
    low, high = user.session.part.bounds()
    assert high[2] - low[2] == pytest.approx(20)
    assert low[2] == pytest.approx(4)
    assert not bench.lay_down.modes.buttons["down"].isChecked()


def test_a_part_is_dragged_on_the_plate_as_one_step(with_parts):
    user = with_parts(box((30, 20, 10)))
    user.station("parts")
    user.window.views.view.look("top")
    before = user.session.part.pose
    top = user.session.part.bounds()[1, 2]
    begin = user.on_screen((before.x, before.y, top))
    end = user.on_screen((before.x + 25, before.y - 15, top))
    user.drag(begin, end)
    after = user.session.part.pose
    assert (after.x - before.x, after.y - before.y) == pytest.approx((25, -15), abs=0.6)
    assert after.build_offset == before.build_offset
    user.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert user.session.part.pose == before


def test_dragging_elsewhere_turns_the_eye_and_moves_nothing(with_parts):
    user = with_parts(box((30, 20, 10)))
    user.station("overhangs")
    before, eye = user.session.job, user.window.views.view.eye
    canvas = user.window.views.view.canvas
    user.drag(QPoint(20, 20), QPoint(120, 60))
    assert user.session.job is before
    assert user.window.views.view.eye.azimuth != eye.azimuth
    user.drag(QPoint(20, 20), QPoint(60, 60), Qt.MouseButton.MiddleButton)
    assert user.window.views.view.eye.focus != eye.focus
    assert canvas.isVisible()


def test_names_owners_copies_and_removal(with_parts):
    user = with_parts(box((10, 10, 10)), box((8, 8, 8)))
    bench = user.station("parts")
    user.click_row(bench.table, "part-2")
    user.type_into(bench.who.part_name, "Rocker")
    user.type_into(bench.who.owner, "Mallow Lane Dental")
    part = user.session.job.part("part-2")
    assert (part.name, part.owner) == ("Rocker", "Mallow Lane Dental")
    user.station("pose")
    user.type_into(user.field("pose.x"), "40,5")
    assert user.session.part.pose.x == 40.5
    user.station("parts")
    user.unfold(bench.copies)
    user.press(user.field("copies.in_place"))
    assert user.session.job.parts[-1].pose == user.session.job.part("part-2").pose
    assert user.session.part.name == "Rocker (2)"
    user.window.setFocus()
    user.key(Qt.Key.Key_Delete)
    assert [p.name for p in user.session.job.parts] == ["part 1", "Rocker"]


def test_angles_regions_and_picking_both_ways(with_parts, table):
    user = with_parts(table)
    bench = user.station("overhangs")
    assert "1 region" not in bench._selected.text()
    found = user.session.regions(user.session.part)
    top = max(found.regions, key=lambda region: region.area_mm2)
    user.click_row(bench.table, top.id)
    assert user.session.selection.regions == {top.id}
    user.session.select(regions=frozenset())
    user.window.views.view.look("below")
    x, y, z = top.centroid_mm
    user.click_at((x, y, z))
    assert user.session.selection.regions == {top.id}
    assert bench.table.selected_keys() == [top.id]
    expected = Pipeline().overhangs(user.session.part, user.session.job)
    assert f"{expected.critical_area_mm2:,.1f} mm²" in bench.total.text()
    user.type_into(user.field("overhangs.critical"), "95")
    assert "no surface angle" in user.window.status.message.text()
    user.type_into(user.field("overhangs.critical"), "30")
    user.settle()
    assert user.session.part.critical_angle == 30
    user.press(bench._reset)
    assert user.session.part.critical_angle is None


def colours(user):
    """The picture of the canvas as distinct colours, read back from the renderer."""
    from vtkmodules.util.numpy_support import vtk_to_numpy
    from vtkmodules.vtkRenderingCore import vtkWindowToImageFilter

    user.window.views.view.draw_now()
    grab = vtkWindowToImageFilter()
    grab.SetInput(user.window.views.view.canvas.GetRenderWindow())
    grab.ReadFrontBufferOff()
    grab.Update()
    return vtk_to_numpy(grab.GetOutput().GetPointData().GetScalars())[:, :3].astype(int)


def plum_share(user):
    red, green, blue = colours(user).T
    return float(((red > green + 25) & (blue > green + 12)).mean())


def test_the_underside_is_coloured_when_seen_from_below_with_one_key(with_parts):
    user = with_parts(box((40, 40, 10)))
    user.station("overhangs")
    assert plum_share(user) < 0.005
    user.key("b")
    assert user.window.views.view.eye.height < 0
    assert plum_share(user) > 0.05
    user.key("b")
    assert user.window.views.view.eye.height > 0


def test_one_key_each_hides_and_shows_plate_parts_and_supports(with_parts):
    user = with_parts(box((40, 40, 10)))
    user.window.menus.run("support_all")
    user.settle()
    scene = user.window.views.view.scene
    for key, name in (("g", "shows_plate"), ("h", "shows_parts"), ("j", "shows_supports")):
        whole = colours(user)
        user.window.setFocus()
        user.key(key)
        assert getattr(scene, name) is False
        assert (colours(user) != whole).any(axis=1).mean() > 0.003
        user.key(key)
        assert getattr(scene, name) is True


def test_a_section_plane_cuts_away_the_near_half(with_parts):
    user = with_parts(box((40, 40, 30)))
    user.window.views.view.look("corner")
    whole = colours(user)
    user.key("x")
    place = user.window.views.viewbar.section.place
    assert place.isVisible()
    user.type_into(place, str(user.session.part.pose.y - 20))
    user.settle()
    uncut = colours(user)
    user.type_into(place, str(user.session.part.pose.y + 5))
    assert (colours(user) != uncut).any(axis=1).mean() > 0.03
    user.window.setFocus()
    user.key("x")
    assert not place.isVisible()
    user.settle()
    assert (colours(user) != whole).any(axis=1).mean() < 0.01


def test_supports_are_made_for_selected_regions_changed_and_undone(with_parts, table):
    user = with_parts(table)
    bench = user.station("supports")
    found = user.session.regions(user.session.part)
    top = max(found.regions, key=lambda region: region.area_mm2)
    assert not bench.support_selected.isEnabled()
    user.window.views.view.look("below")
    user.click_at(top.centroid_mm)
    user.choose(bench.set_choice, "bars-metal-braced")
    user.press(bench.support_selected)
    user.settle()
    (support,) = user.session.job.supports
    assert support.set_name == "bars-metal-braced"
    before = user.session.bars(support)
    assert set(before.regions.tolist()) == {top.id}
    assert f"{len(before):,} bars" in bench.totals.text()
    user.type_into(user.field("parameter.spacing"), "5.5")
    user.settle()
    assert user.session.support.parameters.spacing == 5.5
    assert len(user.session.bars(user.session.support)) < len(before)
    assert user.field("parameter.spacing").property("differs") is True
    assert "1 changed" in bench.values.heading.text()
    user.press(bench.values.shown._lines["spacing"]._back)
    user.settle()
    assert user.session.support.parameters == shipped_sets()["bars-metal-braced"].parameters
    assert user.session.bars(user.session.support) is before
    user.trigger(bench.menu.delete)
    assert user.session.job.supports == ()
    assert user.session.part.pose.build_offset == 4
    user.window.menus.run("undo")
    assert len(user.session.job.supports) == 1


def test_nonsense_values_are_refused_beside_the_field(with_parts):
    user = with_parts(box((20, 20, 5)))
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    before = user.session.job
    for key, text, words in (
        ("spacing", "0", "0.3 to 100 mm"),
        ("tip_length", "0.11", "bite is deeper"),
        ("foot_diameter", "0.5", "narrower than the shaft"),
        ("lean_limit", "55", "below the critical angle"),
        ("shaft_diameter", "1+", "no number"),
    ):
        user.type_into(user.field(f"parameter.{key}"), text)
        assert words in user.window.status.message.text()
        assert user.field(f"parameter.{key}").property("wrong") is True
        user.key(Qt.Key.Key_Escape)
        bench.refresh()
    assert user.session.job is before


def test_the_height_limit_is_always_on_show_when_on(with_parts):
    user = with_parts(box((20, 20, 5)))
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    assert "height limit" not in bench.problems.text
    user.type_into(user.field("parameter.height_limit"), "3")
    user.settle()
    bare = len(user.session.bars(user.session.support).missed.above_limit)
    assert f"leaves {bare} support points" in bench.problems.text
    assert "limit_leaves_bare" in {f.code for f in user.session.findings()}
    user.type_into(user.field("parameter.height_limit"), "")
    assert user.session.support.parameters.height_limit is None


def test_further_regions_are_added_and_a_clicked_bar_tells_of_itself(with_parts, shelf):
    user = with_parts(shelf)
    bench = user.station("supports")
    found = user.session.regions(user.session.part)
    low, high = sorted(found.regions, key=lambda region: region.lowest_mm)[:2]
    user.session.select(regions=frozenset({low.id}))
    user.press(bench.support_selected)
    user.session.select(regions=frozenset({high.id}))
    user.trigger(bench.menu.extend)
    user.settle()
    (support,) = user.session.job.supports
    bars = user.session.bars(support)
    assert set(bars.regions.tolist()) == {low.id, high.id}
    user.window.views.view.eye = Eye(azimuth=-90, height=0).fitted(*user.session.part.bounds(), 1.2)
    front = int(np.lexsort((bars.centres[:, 0, 1], bars.landings != 0))[0])
    middle = (bars.centres[front, 2] + bars.centres[front, 3]) / 2
    user.click_at(tuple(middle))
    assert user.session.selection.support == support.id
    selected = user.session.selection.bar
    assert f"Bar {selected + 1}: {bars.lengths_mm[selected]:.2f} mm long" in bench.bar_facts.text()


def test_findings_fly_to_their_place_and_a_cure_does_the_edit(with_parts):
    user = with_parts(box((20, 20, 5)))
    bench = user.station("release")
    assert "Not ready" in bench.verdict.text()
    findings = user.session.findings()
    place = next(n for n, f in enumerate(findings) if f.code == "in_the_air")
    user.click_row(bench.findings_page.table, place)
    assert "4.00 mm" in bench.findings_page.message.text()
    assert "limit 0.04 mm" in bench.findings_page.measured.text()
    assert user.window.views.view.eye.focus == pytest.approx(findings[place].at_mm)
    buttons = bench.findings_page.cures.findChildren(QPushButton)
    user.press(next(button for button in buttons if button.text() == "Support all its regions"))
    user.settle()
    assert len(user.session.job.supports) == 1
    assert {finding.code for finding in user.session.findings()} == {"pose_out_of_range"}  # it lies flat
    assert "Ready" in bench.verdict.text()
    assert "0 stops" in user.window.status.findings_words.text()


def test_export_from_the_bench_writes_what_the_core_makes(with_parts, tmp_path):
    user = with_parts(box((12, 12, 4)))
    user.window.menus.run("support_all")
    user.settle()
    bench = user.station("release")
    user.choose(bench.export_page.what, "supports")
    bench.export_to(tmp_path / "bars")
    user.settle()
    (body,) = read_bodies(tmp_path / "bars.3mf")
    assert body.name == "part 1 support 1"
    assert "Exported" in user.window.status.message.text()
    bench.export_to(tmp_path / "no" / "bars.3mf")
    user.settle()
    assert "cannot write" in user.window.status.message.text()


def test_save_open_and_what_is_not_saved(with_parts, tmp_path, library):
    user = with_parts(box((12, 12, 4)))
    path = tmp_path / "kept.trellis"
    assert user.window.header.saved_mark.text() == "not saved"
    user.session.save_job(path)
    user.settle()
    assert user.window.header.saved_mark.text() == ""
    assert open_job(path, library).parts[0].pose == user.session.job.parts[0].pose
    user.session.do(lambda job: __import__("lean_trellis.core.job.edits", fromlist=["x"]).rename_job(job, "Other"))
    assert user.window.header.saved_mark.text() == "changed"
    user.session.open_job(path)
    user.settle()
    assert (user.session.job.name, user.session.undo_title) == ("kept", "")
    assert str(path) in user.session.settings.recent


def test_unsaved_work_is_asked_about(with_parts, monkeypatch):
    user = with_parts(box((12, 12, 4)))
    asked = []

    def answer(*arguments):
        asked.append(arguments[2])
        return QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(QMessageBox, "question", answer)
    user.window.close()
    assert asked == ["Save Untitled first?"]
    assert user.window.isVisible()
    assert len(user.session.job.parts) == 1


def test_an_action_is_found_by_typing(with_parts):
    user = with_parts(box((12, 12, 4)))
    user.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    palette = user.window.palette_dialog
    wait_until(palette.isVisible)
    from PyQt6.QtTest import QTest

    QTest.keyClicks(palette.field, "support all")
    QTest.keyClick(palette.field, Qt.Key.Key_Return)
    user.settle()
    assert user.window.station.key == "supports"
    assert len(user.session.job.supports) == 1


def test_every_action_is_in_a_menu_once_and_shortcuts_do_not_clash(user):
    shortcuts = [a.shortcut().toString() for a in user.window.menus.by_id.values() if not a.shortcut().isEmpty()]
    assert len(shortcuts) == len(set(shortcuts))
    for action in user.window.menus.by_id.values():
        assert action.text()


def test_empty_benches_say_what_to_do_first(user):
    for key, words in (
        ("parts", "Import here"),
        ("pose", "Select a part"),
        ("overhangs", "select a part"),
        ("supports", "Select a part first"),
        ("release", "import parts first"),
    ):
        bench = user.station(key)
        from PyQt6.QtWidgets import QLabel

        shown = " ".join(label.text() for label in bench.findChildren(QLabel) if label.isVisible())
        assert words in shown

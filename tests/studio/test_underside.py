"""The underside map and what is done on it: as a person does it, with results looked up in the core."""

from __future__ import annotations

import csv
import xml.etree.ElementTree as ET

import numpy as np
import pytest
from on_the_map import CONTROL, LEFT, PLAIN, click_map, drag_map, on_map
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.sets import shipped_sets
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.underside.frame import MapFrame, round_length
from lean_trellis.studio.view3d.camera import Eye


@pytest.fixture
def at_overhangs(with_parts):
    def opened(*meshes):
        user = with_parts(*meshes)
        user.station("overhangs")
        user.settle()
        user.window.views.map.fit()
        user.settle()
        return user

    return opened


def table_of_four_legs():
    top = to_manifold(box((40, 30, 4), corner=(0, 0, 12)))
    return from_manifold(sum((to_manifold(box((4, 4, 12), corner=(x, y, 0))) for x in (0, 36) for y in (0, 26)), top))


def middle_of(user, part_id="part-1"):
    low, high = user.session.job.part(part_id).bounds()
    return ((low + high) / 2)[:2].tolist()


# --- the frame ---


def test_the_frame_keeps_what_is_under_the_pointer_and_shows_a_box_whole():
    frame = MapFrame.fitted(np.array([10, 20]), np.array([110, 60]), 700, 300)
    for x, y in ((10, 20), (110, 60)):
        across, down = frame.to_screen(x, y)
        assert 0 <= across <= 700
        assert 0 <= down <= 300
        assert frame.to_plate(across, down) == pytest.approx((x, y))
    zoomed = frame.zoomed(3.0, 222, 111)
    assert zoomed.to_plate(222, 111) == pytest.approx(frame.to_plate(222, 111))
    assert zoomed.scale == pytest.approx(3 * frame.scale)
    assert frame.panned(5, -7).to_screen(0, 0) == pytest.approx(np.add(frame.to_screen(0, 0), (5, -7)))
    assert frame.zoomed(1e9, 0, 0).scale == 400


@pytest.mark.parametrize(("most", "found"), [(7, 5), (0.3, 0.2), (100, 100), (49, 20), (1.0, 1.0)])
def test_rulers_step_by_round_lengths(most, found):
    assert round_length(most) == pytest.approx(found)


# --- shown, put away, moved ---


def test_the_map_is_shown_put_away_and_made_large_by_keys(at_overhangs):
    user = at_overhangs(table_of_four_legs())
    window = user.window
    assert window.views.map.isVisible()
    window.setFocus()
    user.key(Qt.Key.Key_U)
    assert not window.views.map.isVisible()
    user.station("supports")
    assert not window.views.map.isVisible(), "put away is put away"
    user.key(Qt.Key.Key_U)
    assert window.views.map.isVisible()
    small = window.views.map.height()
    user.key(Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
    assert window.views.map.height() > small + 100
    user.station("parts")
    assert not window.views.map.isVisible()


def test_wheel_and_middle_button_move_the_map_and_nothing_else(at_overhangs):
    user = at_overhangs(table_of_four_legs())
    chart, job = user.window.views.map, user.session.job
    before = chart.frame
    at = QPointF(200, 100)
    here = chart.frame.to_plate(200, 100)
    chart.wheelEvent(
        QWheelEvent(at, chart.mapToGlobal(at), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, PLAIN,
                    Qt.ScrollPhase.NoScrollPhase, False)
    )  # fmt: skip
    assert chart.frame.scale == pytest.approx(before.scale * 1.18**2)
    assert chart.frame.to_plate(200, 100) == pytest.approx(here)
    drag_map(user, [(10, 10), (20, 15)], button=Qt.MouseButton.MiddleButton)
    assert chart.frame.left != before.left
    assert user.session.job is job
    assert user.session.selection.regions == frozenset()


# --- picking ---


def test_regions_are_selected_here_and_in_the_view_alike(at_overhangs):
    user = at_overhangs(table_of_four_legs(), box((20, 20, 5)))
    regions = user.session.regions(user.session.job.part("part-1"))
    top = max(regions.regions, key=lambda region: region.area_mm2)
    click_map(user, *middle_of(user))
    assert user.session.selection.regions == {top.id}
    assert user.window.station.table.selected_keys() == [top.id]
    assert "not supported" in user.window.station._selected.text()
    legs = [region for region in regions.regions if region.id != top.id]
    click_map(user, *legs[0].centroid_mm[:2], CONTROL)
    assert user.session.selection.regions == {top.id, legs[0].id}
    click_map(user, *legs[0].centroid_mm[:2], CONTROL)
    assert user.session.selection.regions == {top.id}
    click_map(user, *middle_of(user, "part-2"))
    assert user.session.selection.part == "part-2", "the other part is in hand then"
    assert len(user.session.selection.regions) == 1
    low, _ = user.session.job.part("part-1").bounds()
    click_map(user, low[0] - 4, low[1] - 4)
    assert user.session.selection.regions == frozenset()


def test_a_rubber_band_picks_what_lies_in_it_whole(at_overhangs):
    user = at_overhangs(table_of_four_legs())
    low, high = user.session.part.bounds()
    drag_map(user, [(low[0] - 2, low[1] - 2), (low[0] + 6, high[1] + 2)])
    legs = user.session.selection.regions
    assert len(legs) == 2, "two legs, not the top that reaches out of it"
    drag_map(user, [(high[0] - 6, low[1] - 2), (high[0] + 2, high[1] + 2)], modifier=CONTROL)
    assert len(user.session.selection.regions) == 4


def test_a_region_below_another_is_the_one_that_is_met(at_overhangs):
    shelf = to_manifold(box((30, 30, 3), corner=(0, 0, 20))) + to_manifold(box((5, 30, 20)))
    user = at_overhangs(from_manifold(shelf + to_manifold(box((20, 30, 3), corner=(0, 0, 8)))))
    low, _ = user.session.part.bounds()
    click_map(user, low[0] + 12, low[1] + 15)
    (selected,) = user.session.selection.regions
    regions = user.session.regions(user.session.part).regions
    assert regions[selected].lowest_mm == pytest.approx(8 + 4)


def test_the_pointer_tells_the_place_and_the_region(at_overhangs):
    user = at_overhangs(table_of_four_legs())
    x, y = middle_of(user)
    QTest.mouseMove(user.window.views.map, on_map(user, x, y))
    wait_until(lambda: "region" in user.window.views.viewbar.where.text())
    words = user.window.views.viewbar.where.text()
    assert f"x {x:.0f}" in words
    assert "0° in the mean" in words


# --- by hand ---


def test_a_region_is_split_by_a_line_on_the_map_and_merged_again(at_overhangs):
    user = at_overhangs(ball(10, subdivisions=4))
    bench = user.window.station
    x, y = middle_of(user)
    click_map(user, x, y)
    whole = user.session.regions(user.session.part).critical_area_mm2
    user.bring_into_view(bench.split)
    user.press(bench.split.buttons["split"])
    drag_map(user, [(x, y - 12), (x, y + 12)])
    user.settle()
    regions = user.session.regions(user.session.part).regions
    assert [region.is_by_hand for region in regions] == [True, True]
    assert sum(region.area_mm2 for region in regions) == pytest.approx(whole)
    assert bench.end_mode()
    user.session.select(regions=frozenset({0, 1}))
    user.bring_into_view(bench.merge)
    user.press(bench.merge)
    user.settle()
    assert len(user.session.regions(user.session.part).regions) == 1
    user.bring_into_view(bench.by_angle)
    user.press(bench.by_angle)
    assert user.session.part.marks.is_empty
    user.window.setFocus()
    user.key(Qt.Key.Key_Z, CONTROL)
    assert not user.session.part.marks.is_empty, "each is a step of its own"


def selected_area(user):
    return float(user.session.part.mesh.areas[user.session.selected_faces].sum())


def test_faces_are_selected_by_click_patch_plane_kind_box_and_lasso(at_overhangs):
    plate = to_manifold(box((40, 30, 6))) - to_manifold(cylinder(3, 20)).translate((10, 15, -5))
    user = at_overhangs(from_manifold(plate - to_manifold(cylinder(3, 20)).translate((30, 15, -5))))
    bench = user.window.station.faces
    user.unfold(bench)
    low, high = user.session.part.bounds()
    inside = (float(low[0] + 20), float(low[1] + 15))
    user.press(bench.modes.buttons["plane"])
    click_map(user, *inside)
    wait_until(lambda: len(user.session.selected_faces) > 0)
    bottom = 40 * 30 - 2 * 32 * 9 * np.sin(2 * np.pi / 64)
    assert selected_area(user) == pytest.approx(bottom)
    click_map(user, *inside)
    wait_until(lambda: len(user.session.selected_faces) == 0), "what is selected already is given back"
    user.press(bench.modes.buttons["alike"])
    user.window.views.view.eye = Eye(azimuth=-90.0, height=60.0).fitted(low, high, 1.2)
    user.settle()
    user.click_at((float(low[0] + 10), float(low[1] + 15 + 2.98), float(high[2] - 0.6)))
    wait_until(lambda: len(user.session.selected_faces) > 0)
    assert selected_area(user) == pytest.approx(2 * 64 * 2 * 3 * np.sin(np.pi / 64) * 6), "both bores"
    user.press(bench.none)
    user.press(bench.modes.buttons["box"])
    drag_map(user, [(low[0] - 1, low[1] - 1), (high[0] + 1, high[1] + 1)])
    wait_until(lambda: len(user.session.selected_faces) > 0)
    assert selected_area(user) == pytest.approx(bottom), "what looks down; not the walls, not the top"
    user.bring_into_view(bench.more)
    user.press(bench.more)
    wait_until(lambda: selected_area(user) > bottom + 1)
    user.press(bench.less)
    wait_until(lambda: selected_area(user) <= bottom + 1e-6)
    user.press(bench.none)
    user.press(bench.modes.buttons["lasso"])
    x, _ = inside
    drag_map(user, [(low[0] - 2, low[1] - 2), (x, low[1] - 2), (x, high[1] + 2), (low[0] - 2, high[1] + 2)])
    wait_until(lambda: len(user.session.selected_faces) > 0)
    assert 0 < selected_area(user) < bottom


def test_a_box_in_the_view_picks_what_is_seen_there(at_overhangs):
    user = at_overhangs(box((20, 20, 20)))
    bench = user.window.station.faces
    user.unfold(bench)
    low, high = user.session.part.bounds()
    user.window.views.view.eye = Eye(azimuth=-90.0, height=0.0).fitted(low, high, 1.2)
    user.settle()
    user.press(bench.modes.buttons["box"])
    canvas = user.window.views.view.canvas
    user.drag(QPoint(4, 4), QPoint(canvas.width() - 4, canvas.height() - 4))
    wait_until(lambda: len(user.session.selected_faces) > 0)
    normals = user.session.part.mesh.normals[user.session.selected_faces]
    assert {tuple(np.round(normal).tolist()) for normal in normals} == {(0.0, -1.0, 0.0)}, "the front alone"


def test_selected_faces_make_a_region_and_are_taken_out(at_overhangs):
    user = at_overhangs(box((20, 20, 20)))
    bench = user.window.station.faces
    user.unfold(bench)
    user.press(bench.modes.buttons["face"])
    x, y = middle_of(user)
    click_map(user, x + 4, y - 2)
    wait_until(lambda: len(user.session.selected_faces) == 1)
    user.bring_into_view(bench.take)
    user.press(bench.take)
    user.settle()
    regions = user.session.regions(user.session.part).regions
    assert [region.area_mm2 for region in regions] == pytest.approx([200])
    click_map(user, x + 4, y - 2)
    wait_until(lambda: len(user.session.selected_faces) == 1)
    user.press(bench.new)
    user.settle()
    regions = user.session.regions(user.session.part).regions
    assert sorted(region.is_by_hand for region in regions) == [False, True]
    assert len(user.session.selected_faces) == 0


# --- protection ---


def test_a_surface_is_painted_on_the_map_and_in_the_view_each_in_one_step(at_overhangs):
    user = at_overhangs(box((30, 30, 6)))
    bench = user.window.station.protect
    user.unfold(bench)
    user.type_into(bench.brush, "5")
    user.press(bench.modes.buttons["brush"])
    x, y = middle_of(user)
    job = user.session.job
    drag_map(user, [(x - 8, y), (x + 8, y)])
    wait_until(lambda: user.session.job is not job)
    marks = user.session.part.marks.protected
    mesh = user.session.part.mesh
    painted = marks.faces(KEEP_OFF)
    assert (mesh.normals[painted, 2] < -0.9).all(), "the underside alone"
    assert mesh.areas[painted].sum() == pytest.approx(16 * 5 + np.pi * 2.5**2, rel=0.2)
    user.choose(bench.level, "2")
    low, high = user.session.part.bounds()
    user.window.views.view.eye = Eye(azimuth=-90.0, height=89.0).fitted(low, high, 1.2)
    user.settle()
    job = user.session.job
    user.drag(user.on_screen((x - 5, y, high[2])), user.on_screen((x + 5, y, high[2])))
    wait_until(lambda: user.session.job is not job)
    above, mesh = user.session.part.marks.protected.faces(AVOID), user.session.part.mesh
    assert mesh.areas[above].sum() == pytest.approx(10 * 5 + np.pi * 2.5**2, rel=0.2)
    assert (mesh.normals[above, 2] > 0.9).all()
    user.settle()
    assert len(user.window.views.view.scene.hatch_actors("part-1")) == 2, "hatched both ways in the view"
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)
    assert bench.modes.mode == ""
    user.key(Qt.Key.Key_Z, CONTROL)
    assert len(user.session.part.marks.protected.faces(AVOID)) == 0


def test_inner_faces_are_suggested_and_accepted(at_overhangs):
    cup = to_manifold(cylinder(10, 16)) - to_manifold(cylinder(8, 16)).translate((0, 0, 2))
    user = at_overhangs(from_manifold(cup.refine_to_length(2.0)))
    bench = user.window.station.protect
    user.unfold(bench)
    user.press(bench.inner)
    wait_until(lambda: len(user.session.selected_faces) > 0)
    assert user.session.part.marks.is_empty, "nothing is marked before the user says so"
    user.bring_into_view(bench.take)
    user.press(bench.take)
    assert user.session.part.marks.protected is not None
    assert "keep off" in bench.words.text()
    user.press(bench.detail)
    wait_until(lambda: "No such faces" in user.window.status.message.text())


# --- angles, what holds itself, islands ---


def test_a_hand_of_the_fan_colours_while_it_is_dragged_and_sets_the_angle_when_let_go(at_overhangs):
    user = at_overhangs(ball(8))
    bench, scene = user.window.station, user.window.views.view.scene
    fan = bench.fan
    begin = fan._end(45, fan._reach).toPoint()
    end = fan._end(30, fan._reach).toPoint()
    job = user.session.job
    QTest.mousePress(fan, LEFT, PLAIN, begin)
    QTest.mouseMove(fan, begin + (end - begin) / 2)
    QTest.mouseMove(fan, end)
    QApplication.processEvents()
    assert scene.preview_angles[0] == pytest.approx(30, abs=1)
    assert user.session.job is job, "the job is changed when the hand is let go"
    QTest.mouseRelease(fan, LEFT, PLAIN, end)
    QApplication.processEvents()
    assert scene.preview_angles is None
    assert user.session.job.critical_angle(user.session.part) == pytest.approx(30, abs=1)
    fan.setFocus()
    user.key(Qt.Key.Key_Right)
    assert user.session.job.critical_angle(user.session.part) == pytest.approx(31, abs=1)


def test_angles_are_shown_from_the_vertical_when_the_user_prefers(at_overhangs):
    user = at_overhangs(ball(8))
    bench = user.window.station
    user.window.menus.run("vertical")
    assert bench.critical.value == 45
    assert bench.fan.angle_words(0) == "90°"
    user.type_into(bench.critical, "60")
    assert user.session.job.critical_angle(user.session.part) == pytest.approx(30)
    user.window.menus.run("vertical")
    assert bench.critical.value == pytest.approx(30)
    assert bench.fan.angle_words(0) == "0°"


def test_what_holds_itself_is_listed_with_its_reason_and_taken_back(at_overhangs):
    block = to_manifold(box((40, 20, 12)))
    slots = [to_manifold(box((20, 1.0, 3), corner=(10, y, 0))) for y in (4.0, 12.0)]
    user = at_overhangs(from_manifold(block - slots[0] - slots[1]))
    bench = user.window.station.self_supporting
    user.unfold(bench)
    assert len(bench.table.keys()) == 2
    assert "bridges" in bench.table.model().index(0, 1).data()
    assert len(user.window.station.table.keys()) == 1, "the bottom alone is to be held"
    user.click_row(bench.table, bench.table.keys()[0])
    user.bring_into_view(bench.back)
    user.press(bench.back)
    user.settle()
    assert len(bench.table.keys()) == 1
    user.bring_into_view(bench.again)
    user.press(bench.again)
    user.settle()
    assert len(bench.table.keys()) == 2
    user.type_into(bench.fields["bridge_span"], "0.5")
    user.settle()
    assert user.session.job.material.detection.bridge_span == 0.5
    assert len(user.window.station.table.keys()) == 3


def test_islands_are_listed_and_the_views_go_there(at_overhangs):
    top = to_manifold(box((40, 30, 3), corner=(0, 0, 12))) + to_manifold(box((4, 30, 12)))
    user = at_overhangs(from_manifold(top + to_manifold(box((3, 3, 8), corner=(30, 14, 4)))))
    bench = user.window.station.islands
    user.unfold(bench)
    assert [bench.table.model().index(row, 3).data() for row in range(2)] == ["no", "no"]
    user.click_row(bench.table, bench.table.keys()[1])
    island = user.session.islands(user.session.part)[bench.table.selected_keys()[0]]
    assert user.window.views.view.eye.focus == pytest.approx((island.x_mm, island.y_mm, island.z_mm))
    chart = user.window.views.map
    middle = chart.frame.to_screen(island.x_mm, island.y_mm)
    assert middle == pytest.approx((chart.width() / 2, chart.height() / 2))


# --- files ---


def test_the_list_is_saved_as_csv_with_what_holds_each_region(at_overhangs, tmp_path, monkeypatch):
    user = at_overhangs(table_of_four_legs())
    from lean_trellis.core.job import edits

    user.session.do(lambda job: edits.add_support(job, "part-1", shipped_sets()["bars-metal"]))
    user.settle()
    path = tmp_path / "regions.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    user.press(user.window.station.csv)
    rows = list(csv.DictReader(path.read_text().splitlines()))
    assert len(rows) == 5
    assert {row["held_by"] for row in rows} == {"bars-metal"}
    top = max(rows, key=lambda row: float(row["area_mm2"]))
    assert float(top["area_mm2"]) == pytest.approx(40 * 30 - 4 * 16)
    assert float(top["held_mm2"]) + float(top["not_held_mm2"]) == pytest.approx(float(top["area_mm2"]), abs=0.01)
    assert top["beneath"] == "plate"


@pytest.mark.parametrize("suffix", ["svg", "png"])
def test_the_map_is_saved_for_the_shop_floor(at_overhangs, tmp_path, monkeypatch, suffix):
    user = at_overhangs(metal_parts.impeller())
    path = tmp_path / f"underside.{suffix}"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    user.window.menus.run("save_map")
    assert "Saved" in user.window.status.message.text()
    plate = user.session.job.machine.plate
    if suffix == "svg":
        root = ET.parse(path).getroot()
        width, height = (float(root.get(key).removesuffix("mm")) for key in ("width", "height"))
        assert width == pytest.approx(plate.width + 16, abs=1), "at true size"
        assert height == pytest.approx(plate.depth + 30, abs=1)
        assert len(list(root.iter())) > 50
        return
    picture = QImage(str(path))
    assert picture.width() > 1000
    across, down = range(0, picture.width(), 7), range(0, picture.height(), 7)
    shades = {picture.pixelColor(x, y).name() for x in across for y in down}
    assert len(shades) > 20, "something is drawn on it"


def test_no_map_can_be_written_where_there_is_no_room(at_overhangs, tmp_path, monkeypatch):
    user = at_overhangs(box((10, 10, 10)))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "none" / "map.svg"), ""))
    user.window.menus.run("save_map")
    assert "map.svg" in user.window.status.message.text()

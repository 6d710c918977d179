"""The benches of parts and poses as a person uses them; what comes of it is looked up in the core."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits
from lean_trellis.core.job.files import open_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.parts.tilt import tilt_of
from lean_trellis.core.shop import toml_of
from lean_trellis.studio.pictures import wait_until

CLAMP = Path(__file__).parents[1] / "data" / "clamp.step"
CONTROL = Qt.KeyboardModifier.ControlModifier


def undo(user):
    user.window.setFocus()
    user.key(Qt.Key.Key_Z, CONTROL)


# --- files ---


def test_a_step_assembly_comes_in_and_is_tessellated_again(user):
    user.window.files.take_files([CLAMP])
    wait_until(lambda: len(user.session.job.parts) == 2)
    user.settle()
    assert [part.name for part in user.session.job.parts] == ["Jaw", "Pin"]
    bench = user.station("parts")
    user.click_row(bench.table, "part-2")
    user.unfold(bench.file)
    assert "named in the file" in bench.file.words.text()
    before = user.session.part
    user.type_into(user.field("parts.tolerance"), "0.002")
    wait_until(lambda: user.session.part.mesh is not before.mesh)
    assert len(user.session.part.mesh.faces) > 2 * len(before.mesh.faces)
    assert user.session.part.origin.tolerance_mm == 0.002
    undo(user)
    assert user.session.part == before


def test_a_guessed_unit_is_shown_and_changed_with_one_click(user, tmp_path):
    path = tmp_path / "washer.stl"
    path.write_bytes(stl_bytes(cylinder(0.5, 0.1)))
    user.window.files.take_files([path])
    wait_until(lambda: len(user.session.job.parts) == 1)
    user.settle()
    assert "guessed" in user.window.status.message.text()
    assert np.ptp(user.session.part.bounds()[:, 0]) == pytest.approx(25.4, rel=1e-3)
    bench = user.station("parts")
    user.unfold(bench.file)
    assert "guessed from the size" in bench.file.words.text()
    user.press(user.field("parts.unit.mm"))
    assert np.ptp(user.session.part.bounds()[:, 0]) == pytest.approx(1.0, rel=1e-3)
    assert "as you said" in bench.file.words.text()


def test_a_revised_file_keeps_pose_owner_and_supports(with_parts, tmp_path, monkeypatch):
    user = with_parts(box((30, 20, 10)))
    user.session.do(lambda job: edits.turn_part(job, "part-1", "x", 40))
    user.session.do(lambda job: edits.describe_parts(job, ["part-1"], owner="Otterbank Survey"))
    path = tmp_path / "revised.stl"
    path.write_bytes(stl_bytes(box((30, 24, 12))))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    bench = user.station("parts")
    user.unfold(bench.file)
    pose = user.session.part.pose
    before = user.session.job
    user.press(user.field("parts.replace"))
    user.settle()
    shown = bench.file.revised
    user.bring_into_view(shown.accept)
    assert "nothing would be lost" in shown.words.text()
    assert user.session.job is before, "nothing is taken before it is accepted"
    user.press(shown.refuse)
    assert not shown.isVisible()
    user.press(user.field("parts.replace"))
    user.settle()
    user.bring_into_view(shown.accept)
    user.press(shown.accept)
    assert not shown.isVisible()
    part = user.session.part
    assert part.pose.rotation == pose.rotation
    assert (part.pose.build_offset, part.owner) == (pose.build_offset, "Otterbank Survey")
    assert part.mesh.volume == pytest.approx(30 * 24 * 12)
    path.write_bytes(b"solid nothing")
    user.press(user.field("parts.replace"))
    user.settle()
    assert str(path) in user.window.status.message.text()
    assert user.session.part == part


# --- mesh ---


def broken_ball():
    whole = ball(10, subdivisions=3)
    kept = np.setdiff1d(np.arange(len(whole.faces)), [10, 400, 401])
    return whole.with_faces(kept)


def test_faults_are_listed_shown_in_the_view_and_mended_in_one_step(with_parts):
    user = with_parts(broken_ball())
    bench = user.station("parts")
    rows = {key: bench.mesh.table.model().index(n, 1).data() for n, key in enumerate(bench.mesh.table.keys())}
    assert rows == {"open": "9"}
    eye = user.window.views.view.eye
    user.bring_into_view(bench.mesh)
    user.click_row(bench.mesh.table, "open")
    assert user.window.views.view.eye != eye
    assert len(user.window.views.view.scene._hints) == 1
    user.press(user.field("parts.next"))
    before = user.session.job
    user.press(user.field("parts.mend"))
    wait_until(lambda: user.session.job is not before)
    user.settle()
    assert user.session.shown_part(user.session.part).health.is_sound
    assert "open edges → sound" in user.window.status.message.text()
    undo(user)
    assert user.session.job is before
    user.station("pose")
    assert user.window.views.view.scene._hints == []


def test_a_mend_that_changes_much_is_asked_about(with_parts):
    cube = box((10, 10, 10))
    user = with_parts(join([cube, Mesh(cube.vertices + 5, cube.faces)]))
    bench = user.station("parts")
    user.choose(bench.mesh.step, "unite")
    before = user.session.job
    user.bring_into_view(bench.mesh)
    user.press(user.field("parts.mend"))
    wait_until(lambda: bench.mesh.keep.isVisible())
    assert user.session.job is before
    assert "6.2 %" in bench.mesh.question.text()
    user.bring_into_view(bench.mesh.keep)
    user.press(bench.mesh.keep)
    user.settle()
    assert user.session.part.mesh.volume == pytest.approx(1875)
    assert not bench.mesh.keep.isVisible()


# --- the list ---


def test_a_row_of_the_list_says_of_the_mesh_what_its_section_says(with_parts):
    cube = box((10, 10, 10))
    crossing = join([cube, Mesh(cube.vertices + 5, cube.faces)])
    user = with_parts(cube, crossing, Mesh(cube.vertices, cube.faces[:-1]))
    bench = user.station("parts")
    column = [bench.table.model().headerData(n, Qt.Orientation.Horizontal) for n in range(9)].index("Mesh")
    signs, words = [], []
    for key in ("part-1", "part-2", "part-3"):
        user.click_row(bench.table, key)
        user.settle()
        signs.append(bench.table.model().index(bench.table.keys().index(key), column).data())
        words.append(bench.mesh.health.text())
    assert signs == ["✓", "▲", "⬣"], words


def test_a_sheet_that_encloses_nothing_has_no_volume(with_parts):
    corners = np.array([(0.0, 0, 0), (40, 0, 3), (40, 20, 0), (0, 20, 3)])
    user = with_parts(box((10, 10, 10)), Mesh(corners, np.array([(0, 1, 2), (0, 2, 3)])))
    bench = user.station("parts")
    user.click_row(bench.table, "part-2")
    user.settle()
    assert user.session.shown_part(user.session.part).health.volume_mm3 < 0, "what is summed up over it"
    column = [bench.table.model().headerData(n, Qt.Orientation.Horizontal) for n in range(9)].index("cm³")
    row = bench.table.keys().index("part-2")
    assert [bench.table.model().index(n, column).data() for n in (1 - row, row)] == ["1.00", "–"]
    assert bench.who.figures.text().endswith("no volume, 2 triangles")


def test_the_list_is_filtered_grouped_and_edited_several_at_once(with_parts):
    user = with_parts(box((10, 10, 10)), box((8, 8, 8)), ball(5))
    bench = user.station("parts")
    user.click_row(bench.table, "part-1")
    user.click_row(bench.table, "part-3", CONTROL)
    user.type_into(bench.who.owner, "Tern Street Organs")
    user.type_into(bench.who.order, "FW-0440")
    owners = [part.owner for part in user.session.job.parts]
    assert owners == ["Tern Street Organs", "", "Tern Street Organs"]
    user.type_into(bench.filter, "fw-0440")
    assert bench.table.keys() == ["part-1", "part-3"]
    user.type_into(bench.filter, "")
    user.choose(bench.grouping, "owner")
    assert bench.table.keys() == ["part-1", "part-3", "part-2"]
    user.press(user.field("parts.hide"))
    assert [part.is_hidden for part in user.session.job.parts].count(True) == 2
    scene = user.window.views.view.scene
    assert not scene.part_actor("part-1").GetVisibility()
    assert scene.part_actor("part-2").GetVisibility()
    user.press(user.field("parts.lock"))
    user.session.do(lambda job: edits.move_part(job, "part-1", 1, 1))
    assert "locked" in user.window.status.message.text()


def test_groups_are_made_and_taken_apart(with_parts):
    user = with_parts(box((10, 10, 10)), box((8, 8, 8)))
    bench = user.station("parts")
    user.click_row(bench.table, "part-1")
    user.click_row(bench.table, "part-2", CONTROL)
    user.press(user.field("parts.group"))
    assert len({part.group for part in user.session.job.parts}) == 1
    user.press(user.field("parts.ungroup"))
    assert {part.group for part in user.session.job.parts} == {""}


def type_in_cell(user, table, key, column, text):
    """Double click a cell, type over what stands there, Return."""
    index = table.model().index(table.keys().index(key), column)
    middle = table.visualRect(index).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseDClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
    editor = QApplication.focusWidget()
    before = editor.text()
    QTest.keyClick(editor, Qt.Key.Key_A, CONTROL)
    QTest.keyClicks(editor, text)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    for _ in range(2):  # the editor closes first, then the sheet tells
        QApplication.processEvents()
    return before


def test_names_owners_and_orders_are_typed_where_they_stand(with_parts):
    user = with_parts(box((10, 10, 10)), box((12, 12, 12)))
    bench = user.station("parts")
    user.click_row(bench.table, "part-1")
    user.press(bench.who.lock_button)
    assert type_in_cell(user, bench.table, "part-1", 0, "Flange") == "part 1", "typed without the sign of a lock"
    assert user.session.job.part("part-1").name == "Flange"
    assert bench.table.model().index(0, 0).data() == "Flange ⊥"
    assert type_in_cell(user, bench.table, "part-2", 2, "FW-9") == ""
    assert [part.order for part in user.session.job.parts] == ["", "FW-9"]
    undo(user)
    assert [part.order for part in user.session.job.parts] == ["", ""]
    bench.table.selectAll()
    assert len(user.session.selection.parts) == 2
    bench.sheet._typed("part-1", "owner", "Tern Street Organs")
    assert {part.owner for part in user.session.job.parts} == {"Tern Street Organs"}, "all that are selected"


def test_every_column_of_the_sheet_is_seen_without_scrolling(with_parts):
    user = with_parts(box((10, 10, 10)))
    table = user.station("parts").table
    assert table.horizontalScrollBar().maximum() == 0
    assert table.columnViewportPosition(8) + table.columnWidth(8) <= table.viewport().width()
    user.station("pose")
    assert not table.isVisible(), "the sheet belongs to its station"


def test_owners_are_pasted_from_a_table(with_parts):
    user = with_parts(box((10, 10, 10)), box((8, 8, 8)))
    user.station("parts")
    QApplication.clipboard().setText("name,owner,order\npart 2,Mallow Lane Dental,FW-7\nrudder,Nobody,1\n")
    user.press(user.field("parts.paste"))
    assert user.session.job.part("part-2").owner == "Mallow Lane Dental"
    assert "rudder" in user.window.status.message.text()


# --- size, copies, stacks ---


def test_size_and_shrinkage_are_typed_and_shown_side_by_side(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("parts")
    user.unfold(bench.size_section)
    user.type_into(user.field("size.scale.x"), "50")
    assert user.session.part.size.scale == (0.5, 0.5, 0.5)
    undo(user)
    user.press(bench.size_section.same)
    user.type_into(user.field("size.scale.z"), "200")
    assert user.session.part.size.scale == (1, 1, 2)
    user.type_into(user.field("size.later.y"), "1.5")
    user.press(user.field("size.material"))
    part = user.session.part
    assert [stage.name for stage in part.size.stages] == ["print", "later"]
    assert part.size.stages[1].rates == pytest.approx((0, 0.015, 0))
    words = bench.size_section.table.text()
    assert "nominal" in words
    assert f"{20 * part.size.factors[1]:.3f}" in words
    user.type_into(user.field("size.later.y"), "90")
    assert "no shrinkage" in user.window.status.message.text()
    user.type_into(user.field("size.measured"), "8")
    user.type_into(user.field("size.wanted"), "8.2")
    user.press(user.field("size.fit"))
    assert user.session.part.size.scale == pytest.approx((1.025, 1.025, 2.05))
    user.press(user.field("size.plain"))
    assert user.session.part.size.is_plain


def test_copies_in_a_grid_and_a_stack_with_a_separator(with_parts):
    user = with_parts(box((20, 20, 4)))
    bench = user.station("setup")
    user.choose(bench.machine, "filament-320")
    bench = user.station("parts")
    user.unfold(bench.copies)
    user.press(user.field("copies.grid"))
    assert len(user.session.job.parts) == 4
    undo(user)
    user.type_into(user.field("stack.count"), "4")
    user.type_into(user.field("stack.gap"), "3")
    user.press(user.field("stack.make"))
    job = user.session.job
    assert len(job.stacks[0].parts) == 4
    gap = job.parts[1].bounds()[0, 2] - job.parts[0].bounds()[1, 2]
    assert gap == pytest.approx(3 * job.layer_height)
    user.choose(user.field("stack.filling"), "separator")
    user.choose(user.field("stack.material"), "petg")
    user.type_into(user.field("stack.layers"), "5")
    filling = user.session.job.stacks[0].filling
    assert (filling.material.id, filling.layers) == ("petg", 5)
    assert "6 changes of material" in bench.copies.note.text()
    gap = user.session.job.parts[1].bounds()[0, 2] - user.session.job.parts[0].bounds()[1, 2]
    assert gap == pytest.approx(5 * job.layer_height)


def measuring(user):
    """Begin to measure with the key, whatever station is open."""
    user.window.setFocus()
    user.key(Qt.Key.Key_M)
    assert user.window.views.measure_bar.isVisible()
    return user.window.views.measure_bar


def test_distances_walls_and_circles_are_measured_and_scale_the_part(with_parts):
    user = with_parts(cylinder(8, 12))
    bench = user.station("parts")
    bar = measuring(user)
    user.window.views.view.look("top")
    low, high = user.session.part.bounds()
    x, y = (low[:2] + high[:2]) / 2
    turns = np.radians([20, 140, 260])
    rim = [(x + 7.9 * np.cos(t), y + 7.9 * np.sin(t), high[2]) for t in turns]
    user.press(user.field("measure.circle"))
    for place in rim:
        user.click_at(place)
    diameter = float(bar.words.text().split()[1])
    assert diameter == pytest.approx(15.8, abs=0.4)
    user.press(user.field("measure.distance"))
    user.click_at(rim[0])
    user.click_at(rim[1])
    assert float(bar.words.text().split()[0]) == pytest.approx(7.9 * 3**0.5, abs=0.4)
    user.press(user.field("measure.wall"))
    user.click_at((x, y, high[2]))
    wait_until(lambda: "wall" in bar.words.text())
    assert bar.words.text() == "wall 12.000 mm"
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)
    assert bar.modes.mode == ""
    user.key(Qt.Key.Key_Escape)
    assert not bar.isVisible()
    user.unfold(bench.size_section)
    assert user.field("size.measured").value == pytest.approx(12)
    user.type_into(user.field("size.wanted"), "15")
    user.bring_into_view(bench.size_section)
    user.press(user.field("size.fit"))
    assert np.ptp(user.session.part.bounds()[:, 2]) == pytest.approx(15)


@pytest.mark.parametrize("station", ["setup", "pose", "overhangs", "supports", "release"])
def test_a_pin_is_measured_at_every_station(with_parts, station):
    user = with_parts(cylinder(8, 12, sides=48))
    user.station(station)
    bar = measuring(user)
    user.press(user.field("measure.bore"))
    user.window.views.view.look("front")
    low, high = user.session.part.bounds()
    user.click_at(((low[0] + high[0]) / 2 + 1, low[1], (low[2] + high[2]) / 2))
    wait_until(lambda: "pin" in bar.words.text())
    assert bar.words.text() == "pin 16.000 mm, fits to 0.000"


def test_measuring_and_the_mode_of_a_bench_do_not_share_a_click(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("pose")
    bar = measuring(user)
    user.unfold(bench.lay_down)
    user.press(bench.lay_down.modes.buttons["down"])
    assert bar.modes.mode == ""
    assert not bar.isVisible()
    measuring(user)
    assert bench.lay_down.modes.mode == ""


def test_a_part_is_hollowed_drained_and_given_allowance_and_cut_off(with_parts):
    user = with_parts(box((30, 24, 20)))
    bench = user.station("parts")
    user.unfold(bench.shape)
    steps = [user.session.job]

    def changed() -> bool:
        return user.session.job is not steps[-1]

    user.press(user.field("shape.hollow"))
    wait_until(changed)
    user.settle()
    steps.append(user.session.job)
    assert user.session.part.mesh.volume == pytest.approx(14_400 - 26 * 20 * 16, rel=0.05)
    assert user.session.shown_part(user.session.part).health.shells == 2
    user.window.views.view.look("top")
    low, high = user.session.part.bounds()
    middle = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2])
    user.bring_into_view(bench.shape.holes)
    user.press(bench.shape.plug)
    user.press(user.field("shape.vent"))
    user.click_at(middle)
    wait_until(changed)
    user.settle()
    steps.append(user.session.job)
    assert [part.name for part in user.session.job.parts] == ["part 1", "part 1 plug"]
    assert user.session.shown_part(user.session.job.parts[0]).health.shells == 1
    user.unfold(bench.faces)
    user.press(bench.faces.modes.buttons["plane"])
    assert bench.shape.holes.mode == "", "one mode at a time"
    user.click_at((low[0] + 3, low[1] + 3, high[2]))
    wait_until(lambda: len(user.session.selected_faces) > 0)
    user.bring_into_view(bench.shape.allow_button)
    user.press(bench.shape.allow_button)
    wait_until(changed)
    user.settle()
    steps.append(user.session.job)
    assert np.ptp(user.session.job.parts[0].bounds()[:, 2]) == pytest.approx(20.5)
    user.bring_into_view(bench.shape.cut_button)
    user.press(user.field("shape.cut.go"))
    wait_until(changed)
    assert np.ptp(user.session.job.parts[0].bounds()[:, 2]) == pytest.approx(23.5)
    assert user.session.job.parts[0].bounds()[0, 2] == pytest.approx(4)
    for before in reversed(steps):
        undo(user)
        assert user.session.job is before


# --- arranging ---


def test_what_finds_no_room_is_spread_over_further_plates(with_parts, tmp_path, monkeypatch, library):
    user = with_parts(*[box((200, 90, 5))] * 5)
    bench = user.station("parts")
    user.unfold(bench.arrange)
    before = user.session.job
    user.press(user.field("arrange.go"))
    wait_until(lambda: user.session.job is not before)
    assert "No room for 3" in user.window.status.message.text()
    assert bench.arrange.rest_button.isVisible()
    path = tmp_path / "Friday, plate 2.trellis"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    user.bring_into_view(bench.arrange.rest_button)
    user.press(bench.arrange.rest_button)
    wait_until(lambda: len(user.session.job.parts) == 2)
    plates = [open_job(tmp_path / f"Friday, plate {n}.trellis", library) for n in (2, 3)]
    assert [len(plate.parts) for plate in plates] == [2, 1]
    every = [part.id for plate in (user.session.job, *plates) for part in plate.parts]
    assert len(set(every)) == 5, "each part stands on one plate"
    assert {part.pose.build_offset for part in user.session.job.parts} == {4}
    assert not bench.arrange.rest_button.isVisible()


# --- poses ---


def pick_face(user, normal):
    """Click the middle of the box's side that looks along the normal, seen from there."""
    low, high = user.session.part.bounds()
    middle = (low + high) / 2
    user.click_at(tuple(np.where(np.array(normal) == 0, middle, np.where(np.array(normal) > 0, high, low))))


def test_a_face_is_put_at_an_angle_and_a_patch_made_level(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("pose")
    user.window.views.view.look("front")
    user.type_into(user.field("pose.angle"), "60")
    user.press(user.field("pose.mode.angle"))
    pick_face(user, (0, -1, 0))
    assert bench.lay_down.modes.mode == ""
    normals = user.session.part.placed.normals
    assert np.abs(np.degrees(np.arccos(-normals[:, 2])) - 60).min() < 1e-6
    before = user.session.job
    user.press(user.field("pose.mode.patch"))
    part = user.session.part
    top = part.placed.centroids[np.argmax(part.placed.normals[:, 2])]
    user.window.views.view.look("top")
    user.click_at(tuple(top))
    wait_until(lambda: user.session.job is not before)
    assert np.abs(user.session.part.placed.normals[:, 2]).max() == pytest.approx(1)


def test_three_points_make_a_level(with_parts):
    user = with_parts(box((30, 20, 10)))
    user.session.do(lambda job: edits.turn_part(job, "part-1", "x", 15))
    user.settle()
    bench = user.station("pose")
    user.window.views.view.look("top")
    user.press(user.field("pose.mode.points"))
    part = user.session.part
    corners = part.pose.to_plate(part.mesh, np.array([[4, 4, 10], [26, 4, 10], [15, 16, 10.0]]))
    for number, corner in enumerate(corners, start=1):
        user.click_at(tuple(corner))
        if number < 3:
            assert f"{number} of 3" in bench.lay_down.modes.note.text()
            assert len(user.window.views.view.scene._hints) == number
    low, high = user.session.part.bounds()
    assert high[2] - low[2] == pytest.approx(10, abs=0.3)
    assert user.window.views.view.scene._hints == []


def test_turning_about_own_axes_and_pivots_and_mirroring(with_parts):
    user = with_parts(box((30, 20, 10)), ball(5))
    user.station("pose")
    user.choose(user.field("pose.frame"), "own")
    user.choose(user.field("pose.pivot"), "plate")
    before = user.session.part.pose
    user.press(user.field("pose.turn.plus.z"))
    after = user.session.part.pose
    assert (after.x, after.y) == pytest.approx((130 - (before.y - 110), 110 + (before.x - 130)))
    user.press(user.field("pose.mirror.x"))
    assert user.session.part.mesh.volume == pytest.approx(6000)


def test_parts_are_centred_stood_on_each_other_and_dropped(with_parts):
    user = with_parts(ball(5), box((30, 20, 10)))
    bench = user.station("pose")
    user.choose(user.field("pose.target"), "part-2")
    user.bring_into_view(bench.place)
    user.press(user.field("pose.centre.xy"))
    user.type_into(user.field("pose.clearance"), "0.4")
    before = user.session.job
    user.press(user.field("pose.stand"))
    wait_until(lambda: user.session.job is not before)
    assert user.session.part.bounds()[0, 2] == pytest.approx(14.4, abs=1e-3)
    assert "floats 0.4 mm above part 2" in user.window.status.message.text()
    user.bring_into_view(bench.lift)
    user.press(user.field("pose.drop"))
    assert user.session.part.bounds()[0, 2] == pytest.approx(0)


def test_poses_are_looked_for_shown_and_taken_with_one_click(with_parts):
    mesh = metal_parts.exhaust_elbow()
    user = with_parts(mesh)
    bench = user.station("pose")
    user.unfold(bench.search)
    user.press(user.field("search.go"))
    wait_until(lambda: bench.search.poses is not None)
    found = bench.search.poses
    assert 2 <= len(bench.search.pictures) <= 5
    assert "directions tried" in bench.search.words.text()
    QApplication.processEvents()
    user.bring_into_view(bench.search.pictures[0])
    before = user.session.part
    user.press(bench.findChild(QPushButton, "search.take.1"))
    part = user.session.part
    np.testing.assert_allclose(part.pose.matrix @ found.ups[found.best[0]], [0, 0, 1], atol=1e-9)
    low, high = user.session.job.material.pose_range
    assert low - 1e-6 <= tilt_of(part).angle_deg <= high + 1e-6
    assert part.bounds()[0, 2] == pytest.approx(before.bounds()[0, 2])
    undo(user)
    assert user.session.part == before


def test_the_tilt_is_drawn_and_said(with_parts):
    user = with_parts(cylinder(3, 40))
    bench = user.station("pose")
    assert "90° to the plate" in bench.tilt_words.text()
    assert "outside it" in bench.tilt_words.text()
    assert len(user.window.views.view.scene._tilt._actors) == 5
    user.type_into(user.field("pose.degrees"), "40")
    user.press(user.field("pose.turn.plus.x"))
    user.settle()
    assert "50° to the plate" in bench.tilt_words.text()
    assert "outside" not in bench.tilt_words.text()
    user.station("overhangs")
    assert user.window.views.view.scene._tilt._actors == []


# --- setup ---


def test_values_are_changed_for_this_build_taken_back_and_kept_as_ones_own(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("setup")
    section = bench.material_values
    user.unfold(section)
    user.click_row(section.table, "detection.critical_angle")
    user.type_into(section.field, "39,5")
    assert user.session.job.material.detection.critical_angle == 39.5
    assert "1 changed for this build" in section.heading.text()
    user.press(section.back)
    assert user.session.job.material == user.session.library.material("steel-316l")
    user.type_into(section.field, "steep")
    assert "no number" in user.window.status.message.text()
    user.type_into(section.field, "41")
    section.own_name.setText("Cellar steel")
    user.press(section.keep)
    assert user.session.job.material.id == "cellar-steel"
    assert bench.material.findData("cellar-steel") >= 0
    assert user.session.settings.material == "cellar-steel"


def test_the_same_build_elsewhere_is_a_second_job(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("setup")
    user.unfold(bench.another)
    user.choose(bench.another.machine, "vat-150")
    user.choose(bench.another.material, "resin-model")
    assert "Build offset 4 mm → 5 mm" in bench.another.note.text()
    user.session._saved = user.session.job
    user.bring_into_view(bench.another.go)
    user.press(bench.another.go)
    assert user.session.job.machine.id == "vat-150"
    assert not user.session.is_saved
    assert user.session.job.parts[0].pose.build_offset == 5


def test_a_dropped_material_is_kept_and_a_wrong_file_named(user, tmp_path, library):
    path = tmp_path / "attic.toml"
    path.write_text(toml_of(library.material("pla").model_copy(update={"name": "Attic PLA"})))
    user.window.files.take_files([path])
    user.settle()
    assert "attic-pla" in user.session.library.materials
    path.write_text("heat = 3")
    user.window.files.take_files([path])
    user.settle()
    assert str(path) in user.window.status.message.text()


def test_a_demo_is_opened_from_the_setup_bench(user):
    user.station("setup")
    user.press(user.field("demo.vat"))
    wait_until(lambda: len(user.session.job.parts) == 5)
    assert user.session.job.machine.id == "vat-150"


def test_a_separator_that_cannot_be_is_refused_in_words_and_the_field_shows_what_holds(with_parts):
    user = with_parts(box((20, 20, 5)))
    bench = user.station("parts")
    user.unfold(bench.copies)
    user.press(bench.copies.stack_button)
    user.choose(user.field("stack.filling"), "separator")
    user.settle()
    before = user.session.job
    assert before.stacks[0].filling.layers == 2
    user.type_into(user.field("stack.layers"), "0")
    assert "give 1 or more" in user.window.status.message.text()
    assert user.session.job is before
    assert user.field("stack.layers").text() == "2"

"""Layers, Paths: values of their own for some layers or one outline; the purge tower is dragged."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import stack_of
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest

from lean_trellis.core.job.edits import choose_machine, set_build_offset, set_layer_height
from lean_trellis.core.layers.paths import Kind
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.parts.stacking import Separator


@pytest.fixture
def extruded(with_parts, library):
    """Two columns on one base, extruded in thick layers; the paths of the layer are shown."""
    solid = to_manifold(box((30, 10, 2))) + to_manifold(box((8, 8, 10), corner=(1, 1, 2)))
    user = with_parts(from_manifold(solid + to_manifold(box((8, 8, 10), corner=(21, 1, 2)))))
    user.session.do(lambda job: choose_machine(job, library.machine("filament-320"), library.material("pla")))
    user.session.do(lambda job: set_layer_height(job, 0.4))
    user.session.do(lambda job: set_build_offset(job, [job.parts[0].id], 0.0))
    bench = user.station("layers")
    user.press(bench.paths)
    user.type_into(bench.height_field, "6.0")  # it is kept until the layers are cut
    bench.tabs.show_page("paths")
    user.settle()
    return user, bench


def shown_paths(bench):
    return next(paths for kind, paths in bench.sheet.paths if kind == "part")


def pixel(sheet, x, y):
    return QPoint(*(round(step) for step in sheet._frame_now().to_screen(x, -y)))


def drag(widget, begin, end):
    """A drag with the left button; Qt's own test moves tell no buttons."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=begin)
    for share in (0.3, 1.0):
        at = QPointF(begin) + (QPointF(end) - QPointF(begin)) * share
        move = QMouseEvent(QEvent.Type.MouseMove, at, widget.mapToGlobal(at), Qt.MouseButton.NoButton,
                           Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)  # fmt: skip
        widget.mouseMoveEvent(move)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def test_layers_from_the_current_one_up_get_values_of_their_own(extruded):
    user, bench = extruded
    section = bench.own_paths
    loops = np.isin(shown_paths(bench).kinds, [Kind.OUTLINE, Kind.LOOP]).sum()
    user.press(section.add)
    part = user.session.part
    assert part.path_values == (PathValues(low=pytest.approx(5.6), loops=2),)
    user.type_into(section.fields["loops"], "3")
    user.type_into(section.fields["path_width"], "0.6")
    user.type_into(section.fields["fill_share"], "1")
    user.settle()
    assert np.isin(shown_paths(bench).kinds, [Kind.OUTLINE, Kind.LOOP]).sum() == loops * 3 / 2
    assert shown_paths(bench).widths.max() == pytest.approx(0.6, rel=0.02)
    user.type_into(bench.height_field, "4.0")
    user.settle()
    assert np.isin(shown_paths(bench).kinds, [Kind.OUTLINE, Kind.LOOP]).sum() == loops
    user.type_into(section.fields["high"], "5.0")
    assert user.session.part.path_values[0].high is None, "from 5.6 to 5 there is no layer"
    assert "there is no layer" in user.window.status.message.text()
    user.session.undo()
    assert user.session.part.path_values[0].fill_share is None
    user.press(section.remove)
    assert user.session.part.path_values == ()
    assert not section.fields["loops"].isEnabled()


def test_an_outline_is_picked_in_the_layer_and_escape_ends_picking(extruded):
    user, bench = extruded
    section, sheet = bench.own_paths, bench.sheet
    low, high = user.session.part.bounds()[:, :2]
    user.press(section.pick.buttons["pick"])
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)
    assert not section.pick.mode
    user.press(section.pick.buttons["pick"])
    QTest.mouseClick(sheet, Qt.MouseButton.LeftButton, pos=pixel(sheet, low[0] - 4, low[1] - 4))
    assert "click inside" in user.window.status.message.text()
    assert user.session.part.path_values == ()
    user.press(section.pick.buttons["pick"])
    QTest.mouseClick(sheet, Qt.MouseButton.LeftButton, pos=pixel(sheet, high[0] - 5, (low + high)[1] / 2))
    user.type_into(section.fields["loops"], "0")
    user.settle()
    paths = shown_paths(bench)
    is_right = paths.firsts[:, 0] > (low + high)[0] / 2
    assert set(paths.kinds[is_right].tolist()) == {Kind.FILL}
    assert Kind.OUTLINE in paths.kinds[~is_right]
    assert section.table.keys() == [0]


def test_the_purge_tower_is_dragged_in_the_layer_and_in_the_view(extruded):
    user, bench = extruded
    sheet = bench.sheet
    tower = user.session.job.machine.purge_tower
    part = user.session.job.parts[0]
    user.session.do(lambda job: _beside(job, part, tower))
    user.settle()
    sheet._frame = sheet._frame_now().zoomed(0.4, sheet.width() / 2, sheet.height() / 2)
    middle = tower.x + tower.width / 2, tower.y + tower.depth / 2
    drag(sheet, pixel(sheet, *middle), pixel(sheet, middle[0] - 20, middle[1] - 10))
    moved = user.session.job.machine.purge_tower
    step = 2 / sheet._frame_now().scale
    assert (moved.x, moved.y) == (pytest.approx(tower.x - 20, abs=step), pytest.approx(tower.y - 10, abs=step))
    user.session.undo()
    assert user.session.job.machine.purge_tower == tower
    user.settle()

    view = user.window.views.view
    view.look("top")
    view.draw_now()
    eye = view.eye
    user.drag(user.on_screen((*middle, 0.0)), user.on_screen((middle[0] - 15, middle[1], 0.0)))
    moved = user.session.job.machine.purge_tower
    assert moved.x == pytest.approx(tower.x - 15, abs=1.5)
    assert moved.y == pytest.approx(tower.y, abs=1.5)
    assert view.eye == eye
    user.settle()
    place = next(iter(view.scene.extras._tower))[0].GetPosition()
    assert place[:2] == (0.0, 0.0), "what is drawn stands where the tower is, and is no longer shifted"


def _beside(job, part, tower):
    from lean_trellis.core.job.edits import move_part

    return move_part(job, part.id, tower.x - 40, tower.y + tower.depth / 2)


def test_other_processes_say_why_nothing_can_be_changed(with_parts):
    user = with_parts(box((4, 4, 4)))
    bench = user.station("layers")
    user.settle()
    assert "where material is extruded" in bench.own_paths.words.text()
    assert not bench.own_paths.add.isEnabled()
    assert not bench.own_paths.fields["loops"].isEnabled()


@pytest.mark.parametrize("layers", [2, 0], ids=["with changes of material", "without"])
def test_the_purge_tower_is_in_sight_with_the_paths_that_fill_it_and_else_the_parts_have_the_room(user, layers):
    session = user.session
    filling = Separator(session.library.material("petg"), inset=0.4, layers=layers) if layers else None
    session.replace_job(stack_of(session.library, filling, 2), None)
    bench = user.station("layers")
    user.settle()
    sheet, tower = bench.sheet, session.job.machine.purge_tower
    corners = (tower.x, tower.y), (tower.x + tower.width, tower.y + tower.depth)

    def in_sight():
        return [sheet.rect().contains(pixel(sheet, *corner)) for corner in corners]

    assert in_sight() == [False, False]
    user.press(bench.paths)
    user.settle()
    assert in_sight() == [layers > 0] * 2

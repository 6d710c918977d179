"""Sections of the benches: modes that end, fields that refuse, pictures and drawings that show what was found."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QScrollArea

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.job import edits
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.parts.stacking import Spacer
from lean_trellis.core.planning import FIGURES, PoseRequest, search_poses
from lean_trellis.core.shop import keep_own, own_folder
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.scatter import Scatter
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.stations.listed import STATIONS
from lean_trellis.studio.stations.sections.search import points_of
from lean_trellis.studio.theme import DAY, NIGHT
from lean_trellis.studio.thumbnails import drawn_pose


def escape(user):
    user.window.setFocus()
    user.key(Qt.Key.Key_Escape)


# --- small pieces ---


def test_a_fold_opens_and_closes_and_says_so(application):
    fold = Fold("Mesh", is_open=False)
    fold.show()
    assert fold.heading.text() == "▸  Mesh"
    QTest.mouseClick(fold.heading, Qt.MouseButton.LeftButton, pos=QPoint(5, 5))
    assert fold.is_open
    assert fold.heading.text() == "▾  Mesh"
    fold.set_words("Mesh, 3 faults")
    assert fold.heading.text() == "▾  Mesh, 3 faults"
    fold.close()


def test_of_several_modes_one_is_on_at_most(application):
    modes = ModeButtons((("a", "A", "click a"), ("b", "B", "click b")), "mode")
    modes.show()
    heard: list[str] = []
    modes.changed.connect(heard.append)
    assert not modes.note.isVisible()
    modes.buttons["a"].click()
    assert (modes.mode, modes.note.text()) == ("a", "click a")
    modes.buttons["b"].click()
    assert (modes.mode, modes.note.text()) == ("b", "click b")
    assert not modes.buttons["a"].isChecked()
    assert modes.end()
    assert not modes.end()
    assert (modes.mode, heard[-1]) == ("", "")
    modes.allow(False)
    assert not modes.buttons["a"].isEnabled()
    modes.close()


@pytest.mark.parametrize("tokens", [DAY, NIGHT])
def test_a_pose_is_drawn_as_large_as_the_picture_and_turned(application, tokens):
    def drawn(rotation):
        picture = drawn_pose(box((40, 10, 4)), rotation, tokens, 3).pixmap(112, 112).toImage()
        picture = picture.convertToFormat(QImage.Format.Format_ARGB32)
        raw = np.frombuffer(picture.constBits().asstring(picture.sizeInBytes()), np.uint8)
        return raw.reshape(picture.height(), picture.bytesPerLine() // 4, 4)[:, :, 3] > 0

    lying = drawn(np.eye(3))[34:]  # below the number
    assert np.ptp(np.flatnonzero(lying.any(axis=0))) > 90
    standing = drawn(np.array([[0, 0, 1], [0, 1, 0], [-1, 0, 0.0]]))
    assert np.ptp(np.flatnonzero(standing.any(axis=1))) > 90


def test_the_scatter_gives_the_pose_that_is_clicked(application):
    found = search_poses(PoseRequest(metal_parts.strut_bracket(), np.eye(3), 45.0, 4.0, directions=2000))
    scatter = Scatter()
    scatter.resize(320, 168)
    scatter.show()
    scatter.show_points(points_of(found), ("critical_area", "height"), -1)
    heard: list[int] = []
    scatter.selected.connect(heard.append)
    keys = list(FIGURES)
    for place in found.best.tolist():
        at = scatter.place_of(found.figures[place])
        QTest.mouseClick(scatter, Qt.MouseButton.LeftButton, pos=at.toPoint())
        selected = found.figures[heard[-1]]
        wanted = found.figures[place]
        for key in ("critical_area", "height"):
            span = np.ptp(found.figures[found.front][:, keys.index(key)])
            assert selected[keys.index(key)] == pytest.approx(wanted[keys.index(key)], abs=0.03 * span)
    assert scatter.grab().toImage().width() >= 320
    scatter.close()


# --- modes and marks in the window ---


def test_escape_ends_every_mode_before_it_cancels_anything(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("pose")
    for key in ("down", "angle", "points", "patch"):
        bench.lay_down.modes.buttons[key].click()
        assert bench.lay_down.modes.mode == key
        escape(user)
        assert bench.lay_down.modes.mode == ""
    bench = user.station("parts")
    user.unfold(bench.shape)
    for name in ("shape.drain", "shape.vent"):
        user.bring_into_view(user.field(name))
        user.press(user.field(name))
        escape(user)
        assert not bench.shape.holes.mode


def test_leaving_a_bench_ends_its_modes_and_measuring_goes_on(with_parts):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("pose")
    user.unfold(bench.lay_down)
    user.press(bench.lay_down.modes.buttons["down"])
    user.station("parts")
    assert bench.lay_down.modes.mode == ""
    user.window.menus.run("measure")
    user.window.views.view.look("top")
    low, high = user.session.part.bounds()
    user.click_at((low[0] + 3, low[1] + 3, high[2]))
    user.station("pose")
    user.click_at((low[0] + 13, low[1] + 3, high[2]))
    assert float(user.window.views.measure_bar.words.text().split()[0]) == pytest.approx(10, abs=0.3)
    user.window.menus.run("measure")
    assert user.window.views.view.scene._hints == [], "nothing stays marked"


def test_three_places_in_a_line_are_no_circle(with_parts):
    user = with_parts(box((40, 20, 10)))
    user.window.views.view.look("top")
    low, high = user.session.part.bounds()
    line = [(low[0] + x, (low[1] + high[1]) / 2, high[2]) for x in (5, 20, 35)]
    user.window.menus.run("measure")
    bar = user.window.views.measure_bar
    user.press(user.field("measure.circle"))
    words = bar.words.text()
    for place in line:
        user.click_at(place)
    if bar.words.text() == words:
        assert "in a line" in user.window.status.message.text()
    else:  # the clicks are pixels: a circle far larger than the part is as good as a line
        assert float(bar.words.text().split()[1]) > 400


def test_next_place_goes_round_the_places_of_a_fault(with_parts):
    whole = ball(10, subdivisions=3)
    user = with_parts(whole.with_faces(np.setdiff1d(np.arange(len(whole.faces)), [10, 700])))
    bench = user.station("parts")
    user.bring_into_view(bench.mesh)
    user.click_row(bench.mesh.table, "open")
    seen = []
    for _ in range(7):
        seen.append(user.window.views.view.eye.focus)
        user.press(user.field("parts.next"))
    assert len(set(seen)) == 6
    assert seen[6] == seen[0]


def test_walls_that_are_too_thin_are_listed_with_the_materials_limit(with_parts):
    user = with_parts(box((20, 20, 0.2)))
    bench = user.station("parts")
    assert "thin" in bench.mesh.table.keys()  # noqa: SIM118 - the table's rows, not a dictionary
    row = bench.mesh.table.keys().index("thin")
    assert "0.35 mm" in bench.mesh.table.model().index(row, 0).data()


def test_an_offer_to_mend_is_forgotten_with_another_part(with_parts):
    cube = box((10, 10, 10))
    user = with_parts(join([cube, Mesh(cube.vertices + 5, cube.faces)]), ball(5))
    bench = user.station("parts")
    user.choose(bench.mesh.step, "unite")
    user.bring_into_view(bench.mesh)
    user.press(user.field("parts.mend"))
    wait_until(lambda: bench.mesh.keep.isVisible())
    user.click_row(bench.table, "part-2")
    assert not bench.mesh.keep.isVisible()
    assert user.session.job.part("part-1").mesh.volume == pytest.approx(2000)


# --- fields that refuse ---


@pytest.mark.parametrize(
    ("station", "section", "field", "text", "words"),
    [
        ("parts", "size_section", "size.scale.x", "0", "no scale"),
        ("parts", "size_section", "size.print.x", "80", "no shrinkage"),
        ("pose", "turn", "pose.degrees", "much", "no number"),
        ("pose", "lift", "pose.offset", "-1", "below the plate"),
    ],
)
def test_what_cannot_be_is_refused_in_one_line_and_changes_nothing(with_parts, station, section, field, text, words):
    user = with_parts(box((30, 20, 10)))
    before = user.session.job
    bench = user.station(station)
    user.unfold(getattr(bench, section))
    user.type_into(user.field(field), text)
    assert words in user.window.status.message.text()
    assert user.session.job is before


@pytest.mark.parametrize(("name", "field", "text", "words"), [
    ("copies.grid", "copies.columns", "0", "no grid"),
    ("stack.make", "stack.count", "1", "no stack"),
    ("stack.make", "stack.gap", "1.5", "cannot be built"),
])  # fmt: skip
def test_copies_that_cannot_be_are_refused(with_parts, name, field, text, words):
    user = with_parts(box((30, 20, 10)))
    bench = user.station("parts")
    user.unfold(bench.copies)
    user.type_into(user.field(field), text)
    user.bring_into_view(user.field(name))
    user.press(user.field(name))
    assert words in user.window.status.message.text()
    assert len(user.session.job.parts) == 1


# --- stacks, rest, own things ---


def test_a_spacer_from_a_file_stands_between_and_is_seen(with_parts, tmp_path, monkeypatch):
    user = with_parts(box((30, 20, 4)))
    path = tmp_path / "ring.stl"
    path.write_bytes(stl_bytes(cylinder(6, 5)))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    bench = user.station("parts")
    user.unfold(bench.copies)
    user.press(user.field("stack.make"))
    user.choose(user.field("stack.filling"), "spacer")
    wait_until(lambda: isinstance(user.session.job.stacks[0].filling, Spacer))
    user.settle()
    upper, lower = user.session.job.parts[1], user.session.job.parts[0]
    assert upper.bounds()[0, 2] - lower.bounds()[1, 2] == pytest.approx(5)
    extras = user.window.views.view.scene.extras
    (body,) = extras.bodies()
    user.window.setFocus()
    user.key("j")
    assert not body.GetVisibility()
    user.session.do(lambda job: edits.ungroup_parts(job, ("part-1",)))
    user.settle()
    assert list(extras.bodies()) == []


def test_own_machines_are_offered_by_a_new_window_and_wrong_files_named(user, library):
    keep_own(library.machine("vat-150"), "Attic vat")
    (own_folder() / "machines").mkdir(parents=True)
    (own_folder() / "machines" / "bad.toml").write_text("name = 3")
    from lean_trellis.core.shop import full_library, own_problems

    user.session.library = full_library()
    bench = user.station("setup")
    bench.refresh()
    assert bench.machine.findData("attic-vat") >= 0
    assert "bad.toml" in str(own_problems()[0])


def test_surface_and_tray_are_offered_where_the_machine_has_them(user):
    bench = user.station("setup")
    assert not bench._surface_row.isVisible()
    user.choose(bench.machine, "filament-320")
    assert bench._surface_row.isVisible()
    user.choose(bench.surface, "textured sheet")
    assert user.session.job.surface == "textured sheet"
    user.choose(bench.machine, "vat-150")
    user.choose(bench.fitting, "clear film tray")
    assert user.session.job.fitting == "clear film tray"
    user.type_into(bench.lot, "26-118")
    assert user.session.job.lot == "26-118"


@pytest.mark.parametrize("key", [station.key for station in STATIONS])
def test_no_bench_is_wider_than_the_room_it_has(user, key):
    """Every section open, at 1280 pixels: nothing is cut off at the right."""
    user.window.bench.open(key)
    station = user.window.station
    for fold in station.findChildren(Fold):
        fold.heading.setChecked(True)
    user.settle()
    scroll = station.findChild(QScrollArea)
    assert scroll.widget().minimumSizeHint().width() <= scroll.viewport().width()

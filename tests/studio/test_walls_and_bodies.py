"""Lattices, walls, rafts, blocks and cradles in the window: selected, changed, worked on by hand, undone."""

from __future__ import annotations

import numpy as np
import pytest
from on_the_map import CONTROL, click_map, drag_map
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from lean_trellis.core.formats import stl
from lean_trellis.core.formats.body import Named
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.studio.families.bar_tools import BarTools
from lean_trellis.studio.view3d.camera import Eye

HEIGHT = 14.0


@pytest.fixture
def with_set(with_parts):
    """A part above the plate with a support of a set on all of it, in hand, with its bench by hand open."""

    def opened(name, *meshes, offset=HEIGHT):
        user = with_parts(*(meshes or (box((30, 20, 4)),)))
        ids = [part.id for part in user.session.job.parts]
        user.session.do(lambda job: edits.set_build_offset(job, ids, offset))
        user.session.select(parts=(ids[0],))
        bench = user.station("supports")
        user.settle()
        user.choose(bench.set_choice, name)
        user.press(bench.support_all)
        user.settle()
        user.unfold(bench.hand)
        low, high = user.session.part.bounds()
        user.window.views.map.fit()
        user.window.views.view.eye = Eye(azimuth=-90, height=-30).fitted(low, high, 1.2)
        user.settle()
        return user, bench

    return opened


def made(user):
    return user.session.structure(user.session.support)


def lonely_place(walls, least=0):
    """A slab, of a wall numbered `least` or more, and its middle in plan that is far from every other wall."""
    middles = (walls.columns.places[walls.slabs.left] + walls.columns.places[walls.slabs.right]) / 2
    for slab in np.flatnonzero(walls.slabs.walls >= least).tolist():
        others = middles[walls.slabs.walls != walls.slabs.walls[slab]]
        if np.hypot(*(others - middles[slab]).T).min() > 0.45:
            return slab, middles[slab].tolist()
    raise AssertionError("all walls lie close together")


def mode(user, bench, key):
    user.bring_into_view(bench.hand.modes.buttons[key])
    user.press(bench.hand.modes.buttons[key])


def test_a_set_of_another_family_shows_its_own_form_and_tools(with_set):
    user, bench = with_set("lattice-metal")
    assert isinstance(made(user), Panels)
    assert bench.hand.isVisible() and not any(tools.isVisible() for tools in bench.tools if tools is not bench.hand)
    assert str(made(user).counted) in bench.totals.text()
    assert f"{made(user).counted} in " in bench.words.text() and "% open" in bench.words.text()
    user.open_tab(bench.values)
    assert user.field("parameter.cell_along").isVisible()
    assert not user.window.findChild(type(user.field("parameter.spacing")), "parameter.spacing").isVisible()
    before = made(user).counted.number
    user.type_into(user.field("parameter.cell_along"), "3")
    user.settle()
    assert made(user).counted.number < before
    user.type_into(user.field("parameter.cell_along"), "0.1")
    assert "no cells" in user.window.status.message.text()
    assert user.session.support.parameters.cell_along == 3
    user.change_set("bars-metal")
    user.settle()
    user.open_tab(bench.hand)
    assert isinstance(bench.hand, BarTools) and bench.hand.isVisible()


def test_a_wall_is_selected_in_either_view_and_deleted_and_a_piece_as_a_whole(with_set):
    user, bench = with_set("lattice-metal")
    walls = made(user)
    slab, (x, y) = lonely_place(walls)
    click_map(user, x, y)
    assert user.session.selection.bars == {int(walls.slabs.walls[slab])}
    assert bench.hand.selected_note.text() == "1 wall selected"
    before = user.session.job
    user.press(bench.hand.wall)
    user.settle()
    assert made(user).counted.number == walls.counted.number - 1
    user.session.undo()
    assert user.session.job is before
    user.settle()
    click_map(user, x, y)
    user.press(bench.hand.piece)
    user.settle()
    assert made(user).piece_count == walls.piece_count - 1
    assert "1 deleted" in bench.hand.kept.text()
    user.press(bench.hand.give_up)
    user.settle()
    assert made(user).counted.number == walls.counted.number
    scene = user.window.views.view.scene
    place = (x, y, float(walls.slabs.low[slab].mean() + walls.slabs.high[slab].mean()) / 2)
    user.window.views.view.eye = Eye(azimuth=-90, height=12).fitted(*user.session.part.bounds(), 1.6)
    user.settle()
    assert {support for support, _ in scene._solids.actors()} == {"support-1"}
    user.click_at(tuple(place))
    assert user.session.selection.support == "support-1"


@pytest.mark.parametrize("where", ["map", "view"])
def test_part_of_a_lattice_is_cut_out_with_a_lasso(with_set, where):
    user, bench = with_set("lattice-metal")
    before, low = made(user).area_mm2, user.session.part.bounds()[0]
    mode(user, bench, "cut")
    if where == "map":
        x, y = (low[:2] + [6, 6]).tolist()
        drag_map(user, [(x, y), (x + 8, y), (x + 8, y + 8), (x, y + 8), (x, y + 1)])
    else:
        middle = user.on_screen(tuple(user.session.part.bounds().mean(axis=0).tolist()))
        canvas = user.window.views.view.canvas
        corners = [middle + QPoint(dx, dy) for dx, dy in ((-50, -40), (50, -40), (50, 40), (-50, 40), (-50, -38))]
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, corners[0])
        for corner in corners[1:]:
            QTest.mouseMove(canvas, corner)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, corners[-1])
    user.settle()
    assert user.session.support.hand.cut_out
    assert made(user).area_mm2 < before - 20
    user.key(Qt.Key.Key_Escape)
    assert not bench.hand.modes.mode


def test_a_wall_is_drawn_extended_and_its_path_dragged(with_set):
    user, bench = with_set("wall-line")
    user.trigger(bench.menu.delete)
    user.settle()
    low = user.session.part.bounds()[0]
    mode(user, bench, "path")
    drag_map(user, [(low[0] + 4, low[1] + 4), (low[0] + 12, low[1] + 10), (low[0] + 20, low[1] + 4)])
    user.settle()
    support = user.session.support
    assert support is not None and len(support.hand.paths) == 1 and support.target == ()
    length = made(user).length_mm
    assert length == pytest.approx(20, abs=1.5)
    mode(user, bench, "drag")
    places = user.session.part.pose.to_plate(user.session.part.mesh, np.array(support.hand.paths[0].places))
    end = places[-1][:2]
    drag_map(user, [tuple(end), tuple(end + [4, 0])])
    user.settle()
    assert made(user).length_mm > length + 2
    user.key(Qt.Key.Key_Escape)
    length = made(user).length_mm
    walls = made(user)
    click_map(user, *walls.columns.places[walls.slabs.right[len(walls.slabs) // 3]].tolist())
    assert len(user.session.selection.bars) == 1
    user.type_into(bench.hand.by, "2")
    user.press(bench.hand.extend)
    user.settle()
    assert made(user).length_mm == pytest.approx(length + 2, abs=0.1)


def test_a_flank_wall_follows_the_band_that_is_drawn_and_goes_once_round(with_set):
    user, bench = with_set("wall-flank", box((30, 4, 60)), offset=0.0)
    low, high = user.session.part.bounds()
    mode(user, bench, "band")
    drag_map(user, [(low[0] + 4, low[1] - 1), (low[0] + 14, low[1] - 1), (low[0] + 24, low[1] - 1)])
    user.settle()
    parameters = user.session.support.parameters
    assert parameters.along_start == pytest.approx(4, abs=0.6)
    assert parameters.along_length == pytest.approx(20, abs=1)
    assert "holds" in bench.words.text()
    user.open_tab(bench.values)
    assert user.field("parameter.base_width").placeholderText().startswith("= ")
    user.unfold(bench.hand)
    mode(user, bench, "drag")
    end = made(user).path[-1]
    drag_map(user, [tuple(end), tuple(end + [4, 0])])
    user.settle()
    assert user.session.support.parameters.along_length == pytest.approx(24, abs=1)
    user.key(Qt.Key.Key_Escape)
    user.press(bench.hand.round)
    user.settle()
    assert user.session.support.parameters.along_length is None
    assert made(user).derived_values["along_length"] == pytest.approx(68, abs=0.01)
    assert (high - low)[2] == 60


def test_a_raft_is_shared_by_selected_parts_and_a_wrong_margin_is_refused_beside_the_field(with_set):
    user, bench = with_set("raft-follow", box((20, 14, 4)), ball(6, subdivisions=3))
    alone = made(user).area_mm2
    assert "mm² on the plate" in bench.words.text()
    user.session.select(parts=("part-1", "part-2"), support="support-1")
    user.settle()
    user.press(bench.hand.share)
    user.settle()
    assert user.session.support.others == ("part-2",)
    assert made(user).area_mm2 > alone + 80
    user.press(bench.hand.alone)
    user.settle()
    assert made(user).area_mm2 == alone
    user.open_tab(bench.values)
    user.type_into(user.field("parameter.margin"), "-9")
    user.settle()
    assert "leaves nothing of the raft" in bench.problems.text
    assert user.field("parameter.margin").property("wrong") is True
    user.session.undo()
    user.settle()
    assert made(user).area_mm2 == alone and not bench.problems.boxes


def test_a_block_is_dragged_sized_and_takes_the_shape_of_a_file_or_of_another_part(with_set, tmp_path):
    user, bench = with_set("block-plain", box((30, 20, 4)), ball(4, subdivisions=2))
    middle = user.session.part.bounds().mean(axis=0)[:2]
    mode(user, bench, "drag")
    drag_map(user, [tuple(middle), tuple(middle + [5, 3])])
    user.settle()
    p = user.session.support.parameters
    assert (p.place_x, p.place_y) == (pytest.approx(5, abs=0.4), pytest.approx(3, abs=0.4))
    corner = middle + [p.place_x + 4, p.place_y + 4]
    drag_map(user, [tuple(corner), tuple(corner + [2, 1])])
    user.settle()
    p = user.session.support.parameters
    assert (p.size_x, p.size_y) == (pytest.approx(12, abs=0.8), pytest.approx(10, abs=0.8))
    user.key(Qt.Key.Key_Escape)
    user.session.select(parts=("part-1", "part-2"), support="support-1")
    user.press(bench.hand.from_part)
    user.settle()
    assert user.session.support.parameters.shape == "own"
    assert user.session.support.parameters.size_x == pytest.approx(8, abs=0.2)
    with (tmp_path / "foot.stl").open("wb") as file:
        stl.write(file, [Named("foot", box((5, 5, 9)))])
    bench.hand.take_file(tmp_path / "foot.stl")
    user.settle()
    assert user.session.support.parameters.size_z == pytest.approx(9)
    bench.hand.take_file(tmp_path / "none.stl")
    user.settle()
    assert "none.stl" in user.window.status.message.text()


def test_a_cradle_tells_what_each_post_does_and_flies_there(with_set):
    user, bench = with_set("cradle-posts", ball(9, subdivisions=4))
    posts = made(user).posts
    assert bench.hand.posts.isVisible() and bench.hand.posts.model().rowCount() == len(posts)
    assert "posts in" in bench.words.text()
    eye = user.window.views.view.eye
    user.click_row(bench.hand.posts, 0)
    assert user.window.views.view.eye != eye
    assert user.session.selection.support == "support-1"


def test_walls_of_a_lattice_add_up_with_control_and_leave_regions_alone(with_set):
    user, _ = with_set("lattice-metal")
    walls = made(user)
    first, place = lonely_place(walls)
    click_map(user, *place)
    _, place = lonely_place(walls, least=int(walls.slabs.walls[first]) + 1)
    click_map(user, *place, CONTROL)
    assert len(user.session.selection.bars) == 2
    assert not user.session.selection.regions


def test_del_takes_selected_walls_first_and_the_support_where_none_is_selected(with_set):
    user, bench = with_set("lattice-metal")
    _, place = lonely_place(made(user))
    before = made(user).counted.number
    click_map(user, *place)
    bench.delete()
    user.settle()
    assert made(user).counted.number == before - 1
    user.session.select(bars=frozenset())
    bench.delete()
    assert not user.session.job.supports
    user.session.undo()
    user.settle()
    user.session.select(support="support-1")
    user.change_set("bars-metal")
    user.settle()
    bench.delete()
    assert not user.session.job.supports


def test_families_that_serve_no_region_are_added_to_the_part(with_set):
    user, bench = with_set("raft-follow")
    assert bench.support_all.text() == "Add to the part" and not bench.support_selected.isVisible()
    user.choose(bench.set_choice, "lattice-metal")
    user.settle()
    assert bench.support_all.text() == "Support all" and bench.support_selected.isVisible()


def test_where_a_part_would_tip_over_the_bench_offers_a_wall_beside_it(with_parts):
    user = with_parts(box((30, 1.2, 200)))
    library = user.session.library
    user.session.do(lambda job: edits.choose_machine(job, library.machine("filament-320"), library.material("pla")))
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 0.0))
    bench = user.station("supports")
    user.settle()
    user.press(bench.problems.cures["Add a flank wall"])
    user.settle()
    assert [support.set_name for support in user.session.job.supports] == ["wall-flank"]
    assert "tips_over" not in {finding.code for finding in user.session.findings()}
    user.session.undo()
    assert not user.session.job.supports


def test_a_tag_says_what_is_typed_and_every_part_gets_one(with_parts):
    user = with_parts(box((20, 10, 4)), box((20, 10, 4)), box((20, 10, 4)))
    session, bench = user.session, user.station("supports")
    user.choose(bench.set_choice, "tag-number")
    user.press(bench.next.support_all)
    user.settle()
    (tag,) = session.job.supports
    assert session.structure(tag).says == "1"
    user.press(user.field("shapes.tag_every"))
    user.settle()
    assert [session.structure(support).says for support in session.job.supports] == ["1", "2", "3"]
    assert not user.field("shapes.tag_every").isEnabled()
    session.select(support=tag.id)
    user.type_into(user.field("parameter.text"), "A-#")
    user.settle()
    assert session.structure(session.job.support(tag.id)).says == "A-1"
    user.type_into(user.field("parameter.text"), "")
    assert session.job.support(tag.id).parameters.text == "A-#"
    assert user.field("parameter.text").text() == "A-#"
    assert "1 to 24 letters" in user.window.status.message.text()
    session.undo()
    assert session.job.support(tag.id).parameters.text == "#"

"""Bars by hand in both views, figures and their colours: as a person works, with results looked up in the core."""

from __future__ import annotations

import numpy as np
import pytest
from on_the_map import CONTROL, LEFT, PLAIN, click_map, drag_map, on_map
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.bars.struts import ON_PLATE
from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.view3d.camera import Eye

SLAB = box((30, 20, 4))
HEIGHT = 18.0


@pytest.fixture
def at_supports(with_parts):
    """A slab high above the plate, supported all over, its support in hand, with the bench of bars by hand open."""

    def opened(mesh=SLAB, *, supported=True):
        user = with_parts(mesh)
        user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], HEIGHT))
        bench = user.station("supports")
        user.settle()
        if supported:
            user.press(bench.support_all)
            user.settle()
        user.unfold(bench.hand)
        user.window.views.map.fit()
        user.window.views.view.eye = Eye(azimuth=-90, height=-30).fitted(*user.session.part.bounds(), 1.2)
        user.settle()
        return user, bench

    return opened


def bars_of(user):
    return user.session.bars(user.session.support)


def mode(user, bench, key):
    modes = bench.hand.modes if key in bench.hand.modes.buttons else bench.hand.pickers
    user.bring_into_view(modes.buttons[key])
    user.press(modes.buttons[key])


def undone_at_once(user, before):
    user.session.undo()
    return user.session.job is before


def middle_bar(user):
    bars = bars_of(user)
    middle = np.append(np.mean(user.session.part.bounds()[:, :2], axis=0), HEIGHT)
    return int(np.linalg.norm(bars.holds - middle, axis=1).argmin())


def front_bar(user):
    """The foremost bar, near the middle of the front."""
    bars = bars_of(user)
    middle = np.mean(user.session.part.bounds()[:, 0])
    return int(np.lexsort((np.abs(bars.holds[:, 0] - middle), np.round(bars.holds[:, 1], 3)))[0])


@pytest.mark.parametrize("where", ["map", "view"])
def test_a_bar_is_added_by_a_click_in_either_view(at_supports, where):
    user, bench = at_supports()
    bars, before = bars_of(user), user.session.job
    place = bars.holds[middle_bar(user)] + [1.3, 0.75, 0]
    mode(user, bench, "add")
    if where == "map":
        click_map(user, *place[:2])
    else:
        user.click_at(tuple(place))
    wait_until(lambda: user.session.job is not before)
    user.settle()
    added = bars_of(user)
    mine = np.flatnonzero(added.by_hand >= 0)
    assert len(mine) == 1
    np.testing.assert_allclose(added.holds[mine[0]], place, atol=0.4 if where == "view" else 0.3)
    assert user.session.selection.bars == frozenset(mine.tolist()), "it is selected at once"
    assert bench.hand.modes.mode == "add", "until Escape"
    user.key(Qt.Key.Key_Escape)
    assert bench.hand.modes.mode == ""
    assert undone_at_once(user, before)


def test_the_way_is_shown_before_the_click_in_both_views(at_supports):
    user, bench = at_supports()
    place = bars_of(user).holds[middle_bar(user)] + [1.3, 0.75, 0]
    mode(user, bench, "add")
    for step in (6, 0):
        QTest.mouseMove(user.window.views.map, on_map(user, *place[:2]) + QPoint(step, step))
        QApplication.processEvents()

    def is_there():
        ghost = user.window.views.map._ghost
        return ghost is not None and np.allclose(ghost[0].holds[0], place, atol=0.3)

    wait_until(is_there)
    assert user.window.views.map._ghost[1], "it has a way"
    assert "mm long" in bench.hand.modes.note.text()
    assert user.window.views.view.scene._hints
    assert user.session.under_way.startswith("nothing runs"), "without a word in the status line"
    QTest.mouseMove(user.window.views.view.canvas, user.on_screen(tuple(place)))
    user.window.views.view._hover.timeout.emit()
    user.key(Qt.Key.Key_Escape)
    assert user.window.views.map._ghost is None
    assert not user.window.views.view.scene._hints


def test_without_a_support_adding_begins_one_in_one_step(at_supports):
    user, bench = at_supports(supported=False)
    before = user.session.job
    mode(user, bench, "add")
    x, y = np.mean(user.session.part.bounds()[:, :2], axis=0)
    click_map(user, x, y)
    wait_until(lambda: bool(user.session.job.supports))
    user.settle()
    (support,) = user.session.job.supports
    assert support.target == ()
    assert user.session.selection.support == support.id
    assert len(bars_of(user)) == 1
    assert undone_at_once(user, before)


def test_no_bar_is_set_on_a_top_side_and_that_is_said(at_supports):
    user, bench = at_supports()
    before, said = user.session.job, []
    user.session.said.connect(lambda kind, words: said.append((kind, words)))
    mode(user, bench, "add")
    user.window.views.view.eye = Eye(azimuth=-90, height=60).fitted(*user.session.part.bounds(), 1.2)
    low, high = user.session.part.bounds()
    user.click_at((float(low[0] + 10), float(low[1] + 10), float(high[2])))
    wait_until(lambda: bool(said))
    assert said[-1] == ("stop", "A bar needs an underside to support; there is none here")
    assert user.session.job is before


@pytest.mark.parametrize("where", ["map", "view"])
def test_a_stroke_sets_bars_at_the_spacing(at_supports, where):
    user, bench = at_supports(supported=False)
    mode(user, bench, "stroke")
    low, high = user.session.part.bounds()
    begin, end = (low[0] + 4, low[1] + 9), (high[0] - 4, low[1] + 12)
    if where == "map":
        drag_map(user, [begin, end])
    else:
        user.drag(user.on_screen((*begin, HEIGHT)), user.on_screen((*end, HEIGHT)))
    wait_until(lambda: bool(user.session.job.supports))
    user.settle()
    bars = bars_of(user)
    spacing = user.session.support.parameters.spacing
    steps = np.linalg.norm(np.diff(bars.holds[np.argsort(bars.holds[:, 0])], axis=0), axis=1)
    assert len(bars) == pytest.approx(22.2 / spacing + 1, abs=1.6)
    assert steps.max() <= spacing + 0.3
    assert (bars.by_hand >= 0).all()


def test_a_foot_is_pulled_on_the_map(at_supports):
    user, bench = at_supports()
    bars, bar, before = bars_of(user), middle_bar(user), user.session.job
    hold = bars.holds[bar]
    mode(user, bench, "pull")
    ring = float(bars.radii[bar, 0]) * 0.9
    drag_map(user, [(hold[0] + ring, hold[1]), (hold[0] + 4, hold[1] + 3)])
    wait_until(lambda: user.session.job is not before)
    user.settle()
    led = bars_of(user)
    mine = int(np.flatnonzero(led.by_hand >= 0)[0])
    np.testing.assert_allclose(led.holds[mine], hold, atol=1e-6)
    np.testing.assert_allclose(led.centres[mine, 0, :2], hold[:2] + [4, 3], atol=0.5)
    assert user.session.undo_title == "Move a foot"


def test_a_hold_point_is_pulled_on_the_map_and_in_the_view(at_supports):
    user, bench = at_supports()
    mode(user, bench, "pull")
    for where in ("map", "view"):
        bars, bar, before = bars_of(user), middle_bar(user), user.session.job
        hold = bars.holds[bar]
        goal = hold + [1.0, -0.8, 0]
        if where == "map":
            drag_map(user, [tuple(hold[:2]), tuple(goal[:2])])
        else:
            bar = front_bar(user)
            hold, own = bars.holds[bar], bars.centres[bar]
            goal = hold + [1.0, 0.5, 0]
            grip = own[4] + 0.1 * (own[5] - own[4]) - [0, bars.radii[bar, 2], 0]
            user.drag(user.on_screen(tuple(grip)), user.on_screen(tuple(goal)))
        wait_until(lambda before=before: user.session.job is not before)
        user.settle()
        moved = bars_of(user)
        away = np.linalg.norm(moved.holds[moved.by_hand >= 0] - goal, axis=1)
        assert away.min() < 0.5, where
        assert user.session.undo_title == "Move a support point"


def test_a_bend_is_pulled_in_the_view(at_supports):
    user, bench = at_supports()
    bars, before, front = bars_of(user), user.session.job, front_bar(user)
    user.window.views.view.eye = Eye(azimuth=-90, height=6).fitted(*user.session.part.bounds(), 1.2)
    mode(user, bench, "pull")
    bend = bars.centres[front, 3]
    user.drag(user.on_screen(tuple(bend)), user.on_screen(tuple(bend + [2.5, 0, 0])))
    wait_until(lambda: user.session.job is not before)
    user.settle()
    led = bars_of(user)
    assert user.session.undo_title == "Move a bend"
    (kept,) = user.session.support.hand.bars
    assert kept.bend is not None
    mine = int(np.flatnonzero(led.by_hand >= 0)[0])
    assert led.landings[mine] == ON_PLATE
    assert led.centres[mine, 0, 0] - led.holds[mine, 0] == pytest.approx(2.5, abs=0.6)


def test_bars_are_selected_in_a_box_on_both_views_and_taken_out_with_delete(at_supports):
    user, bench = at_supports()
    low, high = user.session.part.bounds()
    middle = float((low[0] + high[0]) / 2)
    mode(user, bench, "box")
    drag_map(user, [(low[0] - 2, low[1] - 2), (middle, high[1] + 2)])
    bars = bars_of(user)
    expected = frozenset(np.flatnonzero(bars.holds[:, 0] < middle).tolist())
    clear = np.flatnonzero(np.abs(bars.holds[:, 0] - middle) > 0.5)
    assert not (user.session.selection.bars ^ expected) & set(clear.tolist())
    user.drag(
        QPoint(2, 2), QPoint(user.window.views.view.canvas.width() - 2, user.window.views.view.canvas.height() - 2)
    )
    assert len(user.session.selection.bars) == len(bars)
    drag_map(user, [(low[0] - 2, low[1] - 2), (middle, high[1] + 2)])
    gone, before = sorted(user.session.selection.bars), user.session.job
    user.key(Qt.Key.Key_Escape)
    user.window.setFocus()
    user.key(Qt.Key.Key_Delete)
    user.settle()
    assert len(bars_of(user)) == len(bars) - len(gone)
    assert user.session.undo_title == f"Delete {len(gone)} bars"
    assert undone_at_once(user, before)


def test_bars_on_a_patch_are_selected_and_every_second_taken_out(at_supports):
    user, bench = at_supports()
    mode(user, bench, "patch")
    x, y = np.mean(user.session.part.bounds()[:, :2], axis=0)
    click_map(user, x + 0.4, y + 0.2)
    wait_until(lambda: bool(user.session.selection.bars))
    count = len(bars_of(user))
    assert len(user.session.selection.bars) == count, "the whole underside is one patch"
    user.press(bench.hand.second)
    user.settle()
    assert 0.45 * count < len(bars_of(user)) < 0.7 * count
    told = bench.hand.kept.text()
    assert "deleted" in told
    user.bring_into_view(bench.hand.give_up)
    user.press(bench.hand.give_up)
    user.settle()
    assert len(bars_of(user)) == count


def test_a_selected_bar_is_made_thicker_and_locked_and_stays_selected(at_supports):
    user, bench = at_supports()
    bar = middle_bar(user)
    hold = bars_of(user).holds[bar]
    click_map(user, *hold[:2])
    assert user.session.selection.bars == {bar}
    click_map(user, *bars_of(user).holds[bar - 1, :2], CONTROL)
    assert user.session.selection.bars == {bar, bar - 1}
    click_map(user, *hold[:2], PLAIN)
    for press in (bench.hand.thicker, bench.hand.lock):
        user.bring_into_view(press)
        user.press(press)
        user.settle()
        assert len(user.session.selection.bars) == 1
    assert bench.hand.lock.text() == "Unlock"
    assert "locked" in bench.hand.selected_note.text()
    number = user.session.selection.bar
    shaft = user.session.support.parameters.shaft_diameter / 2
    assert bars_of(user).radii[number, 2] == pytest.approx(shaft * 1.25)
    said = []
    user.session.said.connect(lambda kind, words: said.append(words))
    user.press(bench.hand.take_out)
    assert "locked" in said[-1] or "deleted" in said[-1]
    assert len(user.session.support.hand.bars) == 1


def test_a_tie_is_set_by_two_clicks_and_told_apart(at_supports):
    user, bench = at_supports()
    mode(user, bench, "tie")
    low, high = user.session.part.bounds()
    front, back = (low[0] + 5, low[1], HEIGHT + 2), (high[0] - 5, low[1], HEIGHT + 2)
    for place in (front, back):
        user.click_at(tuple(float(value) for value in place))
    user.settle()
    bars = bars_of(user)
    assert len(bars.ties) == 1
    assert bars.ties.lengths_mm[0] == pytest.approx(20.6, abs=1.0)
    assert "1 tie" in bench.words.text()
    user.key(Qt.Key.Key_Escape)
    assert bench.hand.pickers.mode == ""


def test_what_could_not_be_kept_is_listed(at_supports):
    user, bench = at_supports()
    place = bars_of(user).holds[middle_bar(user)] + [1.3, 0.75, 0]
    user.session.do(lambda job: edits.add_bars(job, "support-1", place[None]))
    user.session.do(lambda job: edits.turn_part(job, "part-1", "x", 60))
    user.settle()
    assert bench.hand.unkept.isVisible()
    assert "no longer below the critical angle" in bench.hand.unkept.text()
    user.session.undo()
    user.settle()
    assert not bench.hand.unkept.isVisible()


def test_trees_are_offered_with_what_they_save_and_taken_as_one_edit(at_supports):
    user, bench = at_supports()
    figures = bench.hand.figures
    user.unfold(figures)
    user.press(figures.offer_trees)
    user.settle()
    before = user.session.job
    if "save nothing" in figures.offered.text():
        user.session.do(lambda job: edits.set_build_offset(job, [job.parts[0].id], 40.0))
        user.settle()
        assert not figures.offered.isVisible(), "it was for the support as it was"
        user.press(figures.offer_trees)
        user.settle()
        before = user.session.job
    assert "% less" in figures.offered.text()
    user.press(figures.join_trees)
    user.settle()
    support = user.session.support
    assert (support.parameters.join, support.parameters.join_levels) == ("on", 2)
    assert len(user.session.bars(support).trunks) > 0
    assert not figures.offer_trees.isVisible()
    user.session.undo()
    assert user.session.job is before


def test_figures_colour_the_bars_and_the_worst_is_flown_to(at_supports):
    user, bench = at_supports()
    user.unfold(bench.hand.figures)
    assert not bench.sketch.isVisible(), "one of the three is open at a time"
    user.settle()
    figures = user.session.figures(user.session.support)
    assert bench.hand.figures.table.keys() == figures.worst.tolist()
    plain = _colours(user)
    assert len(np.unique(plain, axis=0)) <= 2
    user.choose(bench.hand.figures.choice, "used")
    user.settle()
    assert bench.hand.figures.legend.isVisible()
    assert len(np.unique(_colours(user), axis=0)) > 3
    focus = user.window.views.view.eye.focus
    worst = int(figures.worst[0])
    user.bring_into_view(bench.hand.figures.table)
    user.click_row(bench.hand.figures.table, worst)
    assert user.session.selection.bars == {worst}
    assert user.window.views.view.eye.focus != focus
    assert f"Bar {worst + 1}:" in bench.bar_facts.text()
    assert "of its strength" in bench.bar_facts.text()
    assert "assumed" in bench.hand.figures.source.text()
    user.choose(bench.hand.figures.choice, "")
    user.settle()
    assert not bench.hand.figures.legend.isVisible()


def _colours(user):
    entry = user.window.views.view.scene._bars["support-1"]
    scalars = entry.data.GetCellData().GetScalars()
    count = len(entry.bars) * entry.faces_per_bar
    return np.array([scalars.GetTuple3(cell) for cell in range(0, count, entry.faces_per_bar)])


def test_the_same_again_and_on_copies(with_parts, table):
    user = with_parts(table)
    user.session.do(lambda job: edits.set_build_offset(job, ["part-1"], 6.0))
    bench = user.station("supports")
    user.settle()
    regions = user.session.regions(user.session.part).regions
    user.session.select(regions=frozenset({regions[0].id}))
    user.press(bench.support_selected)
    user.session.select(regions=frozenset({regions[1].id}))
    user.trigger(bench.menu.again)
    user.settle()
    assert len(user.session.job.supports) == 2
    assert set(bars_of(user).regions.tolist()) == {regions[1].id}
    assert not bench.menu.copies.isEnabled()
    user.session.do(lambda job: edits.copy_part(job, "part-1"))
    user.session.do(lambda job: edits.remove_supports(job, [s.id for s in job.supports_of("part-2")]))
    user.settle()
    user.trigger(bench.menu.copies)
    user.settle()
    (copied,) = user.session.job.supports_of("part-2")
    assert len(user.session.bars(copied)) == len(bars_of(user))


def test_hold_points_without_a_way_are_cured_where_they_are_told(with_parts, shelf):
    user = with_parts(shelf)
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    support = user.session.support.id
    for key, value in (("spacing", 4.0), ("landing", "plate_only"), ("lean_limit", 30.0)):
        user.session.do(lambda job, key=key, value=value: edits.change_support(job, support, key, value))
    user.settle()
    missed = len(bars_of(user).missed.holds)
    buttons = bench.problems.cures
    assert set(buttons) >= {
        "Allow landing on the part", "Let bars lean by 45°", "Move them to where there is a clear path"
    }  # fmt: skip
    before = user.session.job
    user.press(buttons["Move them to where there is a clear path"])
    wait_until(lambda: user.session.job is not before)
    user.settle()
    assert len(bars_of(user).missed.holds) < missed


def test_panning_with_the_other_button_draws_nothing(at_supports):
    user, bench = at_supports()
    before = user.session.job
    mode(user, bench, "stroke")
    x, y = np.mean(user.session.part.bounds()[:, :2], axis=0)
    drag_map(user, [(x, y), (x + 5, y + 5)], button=Qt.MouseButton.MiddleButton)
    QTest.mouseClick(user.window.views.map, LEFT, PLAIN, QPoint(30, 30))
    user.settle()
    assert user.session.job is before

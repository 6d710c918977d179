"""What is shown on each picture: the window is brought there as a user would, through its own parts."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QWidget
from PyQt6.sip import voidptr

from lean_trellis.core.demo import DEMOS
from lean_trellis.core.job.edits import change_support, keep_trial, move_part
from lean_trellis.studio.families.bar_tools import BarTools
from lean_trellis.studio.pictures import open_demo_window, settle, show_demo, take_picture, wait_until
from lean_trellis.studio.shots_of_release import after_board, board, gate
from lean_trellis.studio.start_page import PICTURE, PICTURES
from lean_trellis.studio.stations.layers import LayersStation
from lean_trellis.studio.stations.overhangs import OverhangsStation
from lean_trellis.studio.stations.release import ReleaseStation
from lean_trellis.studio.stations.setup import SetupStation
from lean_trellis.studio.stations.supports import SupportsStation
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.view3d.camera import Eye
from lean_trellis.studio.window import MainWindow


def _setup(window: MainWindow) -> None:
    window.bench.open("setup")


def _parts(window: MainWindow) -> None:
    window.bench.open("parts")
    window.session.select(parts=(window.session.job.parts[2].id,))


def _pose(window: MainWindow) -> None:
    window.bench.open("pose")
    window.session.select(parts=(window.session.job.parts[0].id,))


def _layers(window: MainWindow) -> None:
    show_demo(window, "extrusion")
    window.bench.open("layers")
    settle(window)
    bench = window.bench.of(LayersStation)
    bench.go_to(68)
    bench.paths.setChecked(True)
    settle(window)


def _after_layers(window: MainWindow) -> None:
    window.bench.of(LayersStation).paths.setChecked(False)


def _trials(window: MainWindow) -> None:
    """Two states side by side at the moment of greatest danger."""
    show_demo(window, "vat")
    session, bench = window.session, window.bench.of(LayersStation)
    session.do(partial(keep_trial, name="6 mm apart"))
    session.do(partial(change_support, support_id=session.job.supports[0].id, key="spacing", value=4.5))
    window.bench.open("layers")
    settle(window)
    bench.tabs.show_page("trials")
    bench.holds.go.click()
    bench.trials.beside.setChecked(True)
    second = window.views.beside.second_session
    assert second is not None
    wait_until(lambda: second.is_settled, why_not=lambda: second.under_way)


def _after_trials(window: MainWindow) -> None:
    window.bench.of(LayersStation).trials.beside.setChecked(False)


def _overhangs(window: MainWindow) -> None:
    window.bench.open("overhangs")
    part = window.session.job.parts[2]
    window.session.select(parts=(part.id,))
    seen = window.session.regions(part)
    assert seen is not None
    largest = max(seen.regions, key=lambda region: region.area_mm2)
    window.session.select(regions=frozenset({largest.id}))
    low, high = part.bounds().copy()
    window.views.view.eye = Eye(azimuth=-60.0, height=-28.0).fitted(low, high, 1.2)


def _protect(window: MainWindow) -> None:
    _overhangs(window)
    window.menus.run("swap_map")
    bench = window.bench.of(OverhangsStation)
    bench.tabs.show_page("protect")
    part = window.session.part
    assert part is not None
    low, high = part.bounds()
    settle(window)
    window.views.map._take_frame(
        MapFrame.fitted(low[:2] - 2, high[:2] + 2, window.views.map.width(), window.views.map.height())
    )
    bench.protect.modes.buttons["brush"].setChecked(True)
    x, y = ((low + high) / 2)[:2].tolist()
    before = window.session.job
    window.views.map.drawn.emit("brush", [(x - 14 + step, y + 8 + 0.45 * step) for step in range(0, 12, 1)])
    wait_until(lambda: window.session.job is not before)


def _after_protect(window: MainWindow) -> None:
    """As before: the map small, no current tool, the part without marks."""
    window.bench.of(OverhangsStation).end_mode()
    window.session.undo()
    window.status.say("", "")
    window.menus.run("swap_map")
    window.bench.of(OverhangsStation).tabs.show_page("regions")


def _supports(window: MainWindow) -> None:
    window.bench.open("supports")
    window.views.map.fit()
    part = window.session.job.parts[0]
    window.session.select(parts=(part.id,))
    window.session.select(support=window.session.job.supports_of(part.id)[0].id)
    low, high = part.bounds().copy()
    low[2] = 0
    window.views.view.eye = Eye(azimuth=-68.0, height=6.0).fitted(low, high, 1.2)


def _supports_below(window: MainWindow) -> None:
    _supports(window)
    part = window.session.job.parts[1]
    window.session.select(parts=(part.id,))
    window.session.select(support=window.session.job.supports_of(part.id)[0].id)
    low, high = part.bounds().copy()
    window.views.view.eye = Eye(azimuth=-72.0, height=-64.0).fitted(low, high, 1.2)


def _by_hand(window: MainWindow) -> None:
    """A bar about to be added from below, some bars selected, one led aside before."""
    _supports_below(window)
    bench, session = window.bench.of(SupportsStation), window.session
    bench.tabs.show_page("hand")
    settle(window)
    support = session.support
    bars = None if support is None else session.bars(support)
    assert bars is not None
    middle = bars.holds.mean(axis=0)
    near = np.argsort(np.linalg.norm(bars.holds - middle, axis=1))
    session.select(bars=frozenset(near[:9].tolist()))
    window.views.map._take_frame(
        MapFrame.fitted(middle[:2] - 16, middle[:2] + 16, window.views.map.width(), window.views.map.height())
    )
    tools = bench.hand
    assert isinstance(tools, BarTools)
    tools.modes.buttons["add"].setChecked(True)
    x, y = (bars.holds[near[30], :2] + [0.7, 0.9]).tolist()
    window.views.map.hovered.emit((x, y))
    wait_until(lambda: window.views.map._ghost is not None)


def _after_by_hand(window: MainWindow) -> None:
    bench = window.bench.of(SupportsStation)
    bench.end_mode()
    window.session.select(bars=frozenset())
    bench.tabs.show_page("settings")
    window.views.map.fit()


def _held_by(window: MainWindow, part_number: int, support_number: int, key: str) -> None:
    """A support of a current part, its values open with one of them drawn, the part in the middle of the map."""
    window.bench.open("supports")
    part = window.session.job.parts[part_number]
    window.session.select(parts=(part.id,))
    window.session.select(support=window.session.job.supports_of(part.id)[support_number].id)
    bench = window.bench.of(SupportsStation)
    bench.tabs.show_page("settings")
    bench.sketch.show_key(key)
    settle(window)
    low, high = part.bounds()[:, :2]
    window.views.map._take_frame(
        MapFrame.fitted(low - 3, high + 3, window.views.map.width(), window.views.map.height())
    )
    window.views.map._draw_smoothly()


def _lattice(window: MainWindow) -> None:
    """The impeller on its lattice, from the side: openings, and pieces in their tints."""
    _held_by(window, 3, 0, "open_share")
    low, high = window.session.job.parts[3].bounds().copy()
    middle = (low + high) / 2
    low[1], high[0], low[2], high[2] = middle[1] + 4, middle[0] + 6, 0, low[2] + 6
    window.views.view.eye = Eye(azimuth=112.0, height=4.0).fitted(low, high, 1.2)


def _recipe(window: MainWindow) -> None:
    """A recipe of two rules, and what each takes of the strut bracket."""
    show_demo(window, "metal")
    window.bench.open("supports")
    window.session.select(parts=(window.session.job.parts[0].id,))
    settle(window)
    bench = window.bench.of(SupportsStation)
    bench.tabs.show_page("recipe")
    editor = bench.recipe
    editor.add.click()
    editor.form.changed.emit(editor.draft.rules[0].model_copy(update={  # type: ignore[union-attr]
        "name": "Broad undersides", "least_area": 20.0, "place": "outer", "set": "lattice-metal"}))  # fmt: skip
    wait_until(lambda: editor.is_shared)
    editor.table.pick(["Broad undersides"])


def _after_recipe(window: MainWindow) -> None:
    bench = window.bench.of(SupportsStation)
    bench.recipe.undo.trigger()
    bench.tabs.show_page("settings")


def _sets(window: MainWindow) -> None:
    """A set as a draft, with its specimen, beside another."""
    show_demo(window, "metal")
    window.show_sets()
    library = window.sets
    assert library is not None
    library.choose("bars-metal")
    library.show_beside("bars-metal-braced")
    wait_until(lambda: library.shows_specimen)


def _after_sets(window: MainWindow) -> None:
    assert window.sets is not None
    window.sets.close()


def _coupon(window: MainWindow) -> None:
    """A ladder of angles in the build, and what came out of two of them."""
    show_demo(window, "metal")
    window.bench.open("setup")
    section = window.bench.of(SetupStation).coupons
    section.heading.setChecked(True)
    section.add.click()
    settle(window)
    part = window.session.job.parts[-1].id
    window.session.do(partial(move_part, part_id=part, x=130.0, y=30.0))
    settle(window)
    for first in (4, 3):
        keys = section.table.keys()[-8:]
        section.table.pick(keys[:first])
        section.failed.click()
        section.table.pick(keys[first:])
        section.held.click()
        if first == 4:
            section.another.click()
    section.fit.click()
    section.own_name.setText("Our 316L")
    settle(window)
    _scroll_to(section.take)


def _after_coupon(window: MainWindow) -> None:
    window.bench.of(SetupStation).coupons.heading.setChecked(False)
    window.menus.run("undo")
    window.menus.run("undo")


def _scroll_to(widget: QWidget) -> None:
    """Bring a widget of a bench into sight."""
    holder = widget.parentWidget()
    while holder is not None and not isinstance(holder, QScrollArea):
        holder = holder.parentWidget()
    if isinstance(holder, QScrollArea):
        holder.ensureWidgetVisible(widget)


def _section(window: MainWindow) -> None:
    _supports(window)
    part = window.session.job.parts[1]
    window.session.select(parts=(part.id,))
    window.session.select(support=window.session.job.supports_of(part.id)[0].id)
    low, high = part.bounds().copy()
    window.views.view.eye = Eye(azimuth=-75.0, height=14.0).fitted(low, high, 1.2)
    window.menus.run("section")
    window.views.viewbar.section.place.setText(f"{(low[1] + high[1]) / 2 - 1.0:.1f}")
    window.views.viewbar.section.place.setModified(True)
    window.views.viewbar.section.place._take()


def _after_section(window: MainWindow) -> None:
    window.menus.run("section")


def _release(window: MainWindow) -> None:
    window.bench.open("release")
    settle(window)
    station = window.bench.of(ReleaseStation)
    findings = window.session.findings()
    assert findings is not None
    station.show_finding(next(f for f in findings if f.code == "region_not_held" and f.part == "Exhaust elbow"))


def _night(window: MainWindow) -> None:
    show_demo(window, "metal")
    _supports(window)
    window.menus.run("night")


def _overhangs_of(window: MainWindow, demo: str, part: int) -> None:
    show_demo(window, demo)
    window.bench.open("overhangs")
    window.views.map.fit()
    window.session.select(parts=(window.session.job.parts[part].id,))
    settle(window)
    chosen = window.session.part
    assert chosen is not None
    low, high = chosen.bounds().copy()
    window.views.view.eye = Eye(azimuth=-60.0, height=-25.0).fitted(low, high, 1.2)


def _belt_overhangs(window: MainWindow) -> None:
    _overhangs_of(window, "belt", 1)


SHOTS: tuple[tuple[str, Callable[[MainWindow], None]], ...] = (
    ("setup", _setup),
    ("parts", _parts),
    ("pose", _pose),
    ("overhangs-below", _overhangs),
    ("protect", _protect),
    ("supports", _supports),
    ("by-hand", _by_hand),
    ("lattice", _lattice),
    ("section", _section),
    ("release", _release),
    ("recipe", _recipe),
    ("sets", _sets),
    ("coupon", _coupon),
    ("belt-overhangs", _belt_overhangs),
    ("layers", _layers),
    ("trials", _trials),
    ("gate", gate),
    ("board", board),
    ("night-shift", _night),
)


_AFTER: dict[str, Callable[[MainWindow], None]] = {
    "protect": _after_protect,
    "by-hand": _after_by_hand,
    "recipe": _after_recipe,
    "sets": _after_sets,
    "coupon": _after_coupon,
    "layers": _after_layers,
    "section": _after_section,
    "trials": _after_trials,
    "board": after_board,
}
"""What puts things back that the next pictures do not expect."""


def take_demo_pictures(window: MainWindow, folder: Path) -> Iterator[Path]:
    """The small pictures of the demos that an empty job offers, by day."""
    if window.menus.by_id["night"].isChecked():
        window.menus.run("night")
    window.bench.open("parts")
    for name in DEMOS:
        show_demo(window, name)
        job = window.session.job
        bounds = np.array([part.bounds() for part in job.parts])
        low, high = bounds[:, 0].min(axis=0), bounds[:, 1].max(axis=0)
        window.views.view.eye = Eye(azimuth=-62.0, height=16.0).fitted(low, high, 1.25)
        window.session.select(parts=())
        settle(window)
        canvas = window.views.view.canvas
        screen = window.screen()
        assert screen is not None, "shown windows are on a screen"
        corner = canvas.mapToGlobal(canvas.rect().topLeft())
        whole = screen.grabWindow(voidptr(0), corner.x(), corner.y(), canvas.width(), canvas.height())
        size = 2 * PICTURE
        scaled = whole.scaled(
            size, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
        )
        left, top = (scaled.width() - size.width()) // 2, (scaled.height() - size.height()) // 2
        path = folder / f"{name}.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        if not scaled.copy(left, top, size.width(), size.height()).save(str(path)):
            raise OSError(f"{path}: cannot be written")
        yield path


def take_all(folder: Path, only: set[str]) -> Iterator[Path]:
    """Take the pictures and give their paths; only the named ones, when some are named."""
    window = open_demo_window()
    for name, bring in SHOTS:
        if only and name not in only:
            continue
        window.views.view.fit()
        bring(window)
        settle(window)
        path = folder / f"{name}.png"
        beside = next((one for one in (window.sets, window.board) if one is not None and one.isVisible()), window)
        take_picture(beside, path)
        yield path
        if name in _AFTER:
            _AFTER[name](window)
    if not only or "demos" in only:
        yield from take_demo_pictures(window, PICTURES)
    window.session.replace_job(window.session.job, None)
    window.close()

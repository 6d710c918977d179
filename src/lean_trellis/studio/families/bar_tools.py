"""Bars by hand: added by click or stroke with their path shown first, pulled by handles, selected and changed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats
from lean_trellis.core.job import Edit, Job
from lean_trellis.core.job.edits import (
    add_bars,
    add_support,
    add_tie,
    delete_bars,
    every_second,
    lead_bar,
    lock_bars,
    make_thicker,
    move_hold,
)
from lean_trellis.core.job.edits.by_hand import THICKER
from lean_trellis.core.mesh.sampling import spaced_along
from lean_trellis.core.sets import ParameterSet, shipped_sets
from lean_trellis.core.sets.recipe import usual_set
from lean_trellis.core.supports import BARS, Bars, Support
from lean_trellis.core.supports.bars.parameters import BarParameters, bar_parameters
from lean_trellis.core.supports.common.spec import spec_for, spec_of
from lean_trellis.studio.face_requests import Place
from lean_trellis.studio.families.bar_figures import FiguresSection, bar_in_words, selected_words
from lean_trellis.studio.family_tools import HandTools, counted_words, hand_of
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.gestures import Pick, Pull, Stroke
from lean_trellis.studio.hand_requests import BarsOnPatch, HandPlaces, Placed, PreviewWay, Way
from lean_trellis.studio.messages import Ghost, ShowPoints
from lean_trellis.studio.session import Session

_MODES = (
    ("add", "Add bar", "Click an underside, in the view or on the map; its path is shown first. Escape ends."),
    ("stroke", "Add along a line", "Draw over the underside to add bars at the spacing. Escape ends."),
    ("pull", "Move", "Drag a bar by its upper end, its foot or its middle. Escape ends."),
)
_PICKERS = (
    ("box", "Select in a box", "Drag a box to select the bars whose contact is in it. Escape ends."),
    ("patch", "Select on a surface", "Click a surface to select the bars under it. Escape ends."),
    ("tie", "Add tie", "Click two places of the part to tie them with a bar, against distortion. Escape ends."),
)
_AGAIN_MS = 70
_SAME_MM = 1e-4


class BarTools(HandTools):
    """What is done to the bars of the current support by hand."""

    def __init__(self, session: Session, chosen_set: Callable[[], ParameterSet]) -> None:
        super().__init__(session, chosen_set)
        self.modes = ModeButtons(_MODES, "hand")
        self.body.addWidget(self.modes)
        self.pickers = ModeButtons(_PICKERS, "hand")
        self.body.addWidget(self.pickers)
        self.edges = button("Add along selected edges", self.add_along_edges, "Bars at the spacing along the "
                            "selected low edges", name="hand.edges")  # fmt: skip
        self.selected_note = muted()
        self.body.addWidget(self.selected_note)
        self.take_out = button("Delete bars", self.delete, "Delete the selected bars (Del)", name="hand.delete")
        self.second = button("Delete every second", self.every_second, "Delete one of every two neighbours, "
                             "of the selected bars or of all", name="hand.second")  # fmt: skip
        self.thicker = button(
            "Thicker", lambda: self._reshape(THICKER), "Make the selected bars a quarter thicker", name="hand.thicker"
        )
        self.thinner = button(
            "Thinner", lambda: self._reshape(1 / THICKER), "Make the selected bars a fifth thinner", name="hand.thinner"
        )
        self.lock = button("Lock", self.lock_or_free, "Keep the selected bars as they are when settings change",
                           name="hand.lock")  # fmt: skip
        self.body.addWidget(row(self.take_out, self.second, 1, spacing=5))
        self.body.addWidget(row(self.thicker, self.thinner, self.lock, 1, spacing=5))
        self.body.addWidget(row(self.edges, 1))
        self.add_lost_and_kept("hand")
        self.mode_rows = (self.modes, self.pickers)
        self.figures = FiguresSection(session)
        self.further = (self.figures,)
        self._tie_start: Place | None = None
        self._next: PreviewWay | None = None
        self._again: Floats = np.zeros((0, 3))
        self._retry = single_shot(self, _AGAIN_MS)
        self._retry.timeout.connect(self._ask_preview)
        for modes in (self.modes, self.pickers):
            modes.changed.connect(lambda _: self._begin())

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """Clicks with the way shown, strokes as wide as a tip, boxes, pulling."""
        support = self.session.support
        values = support.parameters if support is not None else self.chosen_set().parameters
        width = values.tip_diameter if isinstance(values, BarParameters) else 1.0
        gestures = {"add": "hover", "stroke": "brush", "pull": "pull", "box": "box", "patch": "click", "tie": "click"}
        return gestures.get(mode, ""), width

    def _begin(self) -> None:
        self._tie_start, self._next = None, None
        self.asks.emit(Ghost(None))
        self.asks.emit(ShowPoints(()))

    # --- what is current ---

    @property
    def _bars(self) -> Bars | None:
        support = self.session.support
        return None if support is None else self.session.bars(support)

    def _which(self) -> list[int]:
        bars = self._bars
        return [] if bars is None else sorted(n for n in self.session.selection.bars if n < len(bars))

    def _do(self, make: Callable[[Job, str, Bars], Edit], holds: Floats | None = None) -> bool:
        """An edit of the current support; the bars at `holds` are selected again once they are known."""
        support, bars = self.session.support, self._bars
        if support is None or bars is None:
            return False
        places = bars.holds[self._which()] if holds is None else holds
        if not self.session.do(lambda job: make(job, support.id, bars)):
            return False
        self._again = places
        self.refresh()
        return True

    def _would_be(self) -> Support | None:
        """The support that a bar would go to: the current one, or a new one of the chosen set."""
        support, part = self.session.support, self.session.part
        if part is None or (support is not None and spec_of(support) is BARS):
            return support
        chosen = self.chosen_set()
        if spec_for(chosen.parameters) is not BARS:
            chosen = shipped_sets()[usual_set(self.session.job.machine.process)]
        return add_support(self.session.job, part.id, chosen, ()).job.supports[-1]

    # --- edits ---

    def delete(self) -> bool:
        """Take the selected bars out. True when there were some."""
        which = self._which()
        if which:
            self._do(lambda job, support, bars: delete_bars(job, support, bars, which), np.zeros((0, 3)))
        return bool(which)

    def every_second(self) -> None:
        """Delete every second of the selected bars, or of all."""
        bars = self._bars
        if bars is not None:
            gone = every_second(bars, self._which() or range(len(bars)))
            self._do(lambda job, support, bars: delete_bars(job, support, bars, gone), np.zeros((0, 3)))

    def _reshape(self, factor: float) -> None:
        which = self._which()
        if which:
            self._do(lambda job, support, bars: make_thicker(job, support, bars, which, factor))

    def _are_locked(self) -> bool:
        support, bars = self.session.support, self._bars
        if support is None or bars is None:
            return False
        numbers = [int(bars.by_hand[bar]) for bar in self._which()]
        known = support.hand.bars
        return bool(numbers) and all(0 <= n < len(known) and known[n].is_locked for n in numbers)

    def lock_or_free(self) -> None:
        """Lock the selected bars, or let them follow the values again where all are locked."""
        which, locked = self._which(), not self._are_locked()
        if which:
            self._do(lambda job, support, bars: lock_bars(job, support, bars, which, locked=locked))

    def add_along_edges(self) -> None:
        """Bars at the spacing along the selected low edges."""
        part, support = self.session.part, self._would_be()
        overhangs = None if part is None else self.session.regions(part)
        if part is None or support is None or overhangs is None:
            return
        places = []
        for number in sorted(self.session.selection.regions):
            region = overhangs.regions[number]
            if region.kind == "edge":
                along = part.pose.to_plate(part.mesh, part.mesh.vertices[region.vertices])
                order = np.argsort(along @ np.ptp(along, axis=0))
                places.append(spaced_along(along[order], bar_parameters(support).spacing))
        self._add(np.concatenate(places) if places else np.zeros((0, 3)))

    def _add(self, places: Floats, *, on_any_slope: bool = False) -> None:
        """Bars at places (k, 3): to the current support, or to a new one of the chosen set, in one step."""
        part, support = self.session.part, self.session.support
        if part is None:
            return
        chosen = self.chosen_set()

        def make(job: Job) -> Edit:
            if support is not None:
                return add_bars(job, support.id, places, on_any_slope=on_any_slope)
            job = add_support(job, part.id, chosen, ()).job
            return add_bars(job, job.supports[-1].id, places, on_any_slope=on_any_slope)

        if self.session.do(make):
            if support is None:
                self.session.select(support=self.session.job.supports[-1].id)
            self._again = places
            if on_any_slope:
                self.session.said.emit("note", "Nothing needs support there; the bar is kept where you set it")

    # --- picks and strokes ---

    def take_pick(self, pick: Pick) -> bool:
        """A click in a mode is the mode's."""
        if not (self.modes.mode or self.pickers.mode):
            return False
        if pick.part and pick.place is not None:
            self._clicked(pick.face, pick.place, pick.part)
        return bool(pick.part) or self.modes.mode == "add"

    def _clicked(self, face: int, place: Place, part_id: str) -> None:
        if part_id != self.session.selection.part:
            self.session.select(parts=(part_id,))
        part, support = self.session.part, self.session.support
        if part is None:
            return
        if self.modes.mode == "add":
            self._place(((face, place),), None)
        elif self.pickers.mode == "patch" and support is not None:
            request = BarsOnPatch(part, self.session.job, support, (face, place))
            self.session.ask("Looking for bars on the surface", request, self._pick_bars)
        elif self.pickers.mode == "tie":
            self._tie(place)

    def _tie(self, place: Place) -> None:
        if self._tie_start is None:
            self._tie_start = place
            self.asks.emit(ShowPoints((place,)))
            self.pickers.say("Click the other end. Escape ends.")
            return
        start, self._tie_start = self._tie_start, None
        self.asks.emit(ShowPoints(()))
        part, support, chosen = self.session.part, self.session.support, self.chosen_set()
        if part is None:
            return

        def make(job: Job) -> Edit:
            revised = job if support is not None else add_support(job, part.id, chosen, ()).job
            target = support or revised.supports[-1]
            return add_tie(revised, target.id, start, place, bar_parameters(target).shaft_diameter)

        if self.session.do(make) and support is None:
            self.session.select(support=self.session.job.supports[-1].id)

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A click on the map, a stroke over the part, or a box round bars."""
        if self.pickers.mode == "box":
            self._pick_in(drawn)
            return
        if drawn.picks:
            part_id = next((pick.part for pick in drawn.picks if pick.part), "")
            stroke = tuple((p.face, p.place) for p in drawn.picks if p.part == part_id and p.place is not None)
        else:
            part_id = self.session.selection.part
            stroke = tuple((-1, (x, y, -1.0)) for x, y in drawn.places)
        if not stroke or not part_id:
            return
        if self.modes.mode == "stroke":
            if part_id != self.session.selection.part:
                self.session.select(parts=(part_id,))
            support = self._would_be()
            if support is not None and len(stroke) > 1:
                self._place(stroke, bar_parameters(support).spacing)
        else:
            self._clicked(*stroke[0], part_id)

    def _place(self, stroke: tuple[tuple[int, Place], ...], spacing: float | None) -> None:
        part = self.session.part
        assert part is not None

        def take(placed: Placed) -> None:
            if part.id != self.session.selection.part:
                return
            if not len(placed.places):
                self.session.said.emit("stop", "A bar needs an underside to support; there is none here")
                return
            self._add(placed.places, on_any_slope=placed.on_any_slope)

        self.session.ask("Placing bars", HandPlaces(part, self.session.job, stroke, spacing), take)

    def _pick_in(self, drawn: Stroke) -> None:
        """Select the bars whose support points lie in an area of the map or of the picture."""
        bars = self._bars
        if bars is None or len(drawn.places) < 3:
            return
        shown = bars.holds[:, :2]
        if drawn.matrix is not None:
            flat = np.column_stack([bars.holds, np.ones(len(bars))]) @ np.reshape(drawn.matrix, (4, 4)).T
            shown = flat[:, :2] / flat[:, 3:]
        area = shapely.Polygon(drawn.places).buffer(0)
        self._pick_bars(np.flatnonzero(shapely.contains_xy(area, shown[:, 0], shown[:, 1])))

    def _pick_bars(self, which: Any) -> None:
        self.session.select(bars=frozenset(int(number) for number in which))

    # --- the way before the click, and while a bar is pulled ---

    def take_hover(self, pick: Pick) -> None:
        """Show the way that a bar would take here."""
        support = self._would_be()
        if self.modes.mode != "add" or support is None:
            return
        if pick.place is None or pick.part != self.session.selection.part:
            self._next = None
            self.asks.emit(Ghost(None))
            return
        self._preview(PreviewWay(self.session.job, support, ((pick.face, pick.place),)))

    def _preview(self, request: PreviewWay) -> None:
        self._next = request
        self._ask_preview()

    def _ask_preview(self) -> None:
        request, self._next = self._next, None
        if request is None:
            return
        if not self.session.ask_quietly(request, self._show_way):
            self._next = request
            self._retry.start()

    def _show_way(self, way: Way) -> None:
        if self.modes.mode in ("add", "pull"):
            is_way = len(way.bars) > 0 and not way.bars.unkept.reasons
            self.asks.emit(Ghost(way.bars, is_way))
            self.modes.say(f"{way.words}. Escape ends.")
        if self._next is not None:
            self._retry.start()

    def take_pull(self, pull: Pull) -> None:
        """A bar goes where its handle is pulled; the edit is made when it is let go."""
        support = self.session.job.support(pull.support)
        bars = self.session.bars(support)
        if bars is None or self.modes.mode != "pull":
            return
        if self.session.selection.support != pull.support:
            self.session.select(parts=(support.part_id,), support=pull.support)
        if self.session.selection.bars != frozenset({pull.bar}):
            self.session.select(bars=frozenset({pull.bar}))
        if pull.is_over:
            self._next = None
            self.asks.emit(Ghost(None))
            self._let_go(pull, bars)
            return
        x, y, z = bars.holds[pull.bar].tolist()
        top: tuple[int, Place] = (0, (x, y, z))
        match pull.handle:
            case "hold":
                self._preview(PreviewWay(self.session.job, support, ((pull.face, pull.place),)))
            case "foot":
                self._preview(PreviewWay(self.session.job, support, (top,), foot=pull.place[:2]))
            case "bend":
                self._preview(PreviewWay(self.session.job, support, (top,), bend=pull.place))

    def _let_go(self, pull: Pull, bars: Bars) -> None:
        hold = bars.holds[[pull.bar]]
        match pull.handle:
            case "foot":
                self._do(lambda job, key, now: lead_bar(job, key, now, pull.bar, foot=pull.place[:2]), hold)
            case "bend":
                self._do(lambda job, key, now: lead_bar(job, key, now, pull.bar, bend=pull.place), hold)
            case "hold":
                self._move_hold(pull)

    def _move_hold(self, pull: Pull) -> None:
        part = self.session.part
        assert part is not None

        def take(placed: Placed) -> None:
            if not len(placed.places):
                self.session.said.emit("stop", "A bar needs an underside to support; there is none here")
                return
            x, y, z = placed.places[0].tolist()
            self._do(lambda job, key, now: move_hold(job, key, now, pull.bar, (x, y, z)), placed.places[:1])

        stroke = ((pull.face, pull.place),)
        self.session.ask("Moving a support point", HandPlaces(part, self.session.job, stroke), take)

    # --- what is shown ---

    def refresh(self) -> None:
        """What is selected, and the manual edits."""
        support, bars = self.session.support, self._bars
        if bars is not None and len(self._again):
            self._pick_again(bars)
        which = self._which()
        has_part = self.session.part is not None
        self.modes.allow(has_part)
        self.pickers.allow(has_part)
        for widget in (self.take_out, self.thicker, self.thinner, self.lock):
            widget.setEnabled(bool(which))
        self.second.setEnabled(bars is not None and len(bars) > 1)
        self.edges.setEnabled(self._has_selected_edge())
        self.lock.setText("Unlock" if self._are_locked() else "Lock")
        self.selected_note.setText(selected_words(which, support, bars))
        hand = hand_of(support)
        words = counted_words((len(hand.bars), "set or changed"), (len(hand.removed), "deleted"),
                              (len(hand.ties), "ties"))  # fmt: skip
        reasons = () if bars is None else bars.unkept.reasons
        counted = {reason: reasons.count(reason) for reason in dict.fromkeys(reasons)}
        self.show_kept(words, tuple(f"{count} not kept: {reason}." for reason, count in counted.items()))

    def words_of_selected(self) -> str:
        """The figures of the one bar that is selected."""
        support, bars, bar = self.session.support, self._bars, self.session.selection.bar
        if support is None or bars is None or not 0 <= bar < len(bars):
            return ""
        return bar_in_words(bars, self.session.figures(support), bar)

    def _has_selected_edge(self) -> bool:
        part = self.session.part
        overhangs = None if part is None else self.session.regions(part)
        chosen = self.session.selection.regions
        return overhangs is not None and any(
            overhangs.regions[n].kind == "edge" for n in chosen if n < len(overhangs.regions)
        )

    def _pick_again(self, bars: Bars) -> None:
        """The bars that were worked on are selected again: their numbers may be others."""
        places, self._again = self._again, np.zeros((0, 3))
        away = np.linalg.norm(bars.holds[None] - places[:, None], axis=2) if len(bars) else np.zeros((0, 0))
        if away.size:
            near = away.argmin(axis=1)[away.min(axis=1) <= _SAME_MM]
            self._pick_bars(near)

    def leave(self) -> None:
        """Modes end."""
        self._retry.stop()
        self._begin()

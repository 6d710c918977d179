"""Supports: a set for the selected regions or for all, its values, its bars."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QScrollArea, QSizePolicy, QSplitter, QVBoxLayout, QWidget

from lean_trellis.core.errors import Cancelled
from lean_trellis.core.job.edits import (
    again_on,
    copies_of,
    copy_support,
    extend_target,
    remove_supports,
)
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import RegionPick, Support
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.core.supports.common.structure import Counted
from lean_trellis.core.supports.common.targets import pick_region
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.fields import figure, muted
from lean_trellis.studio.forms.sketch import Sketch
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.gestures import Pick, Pull, Stroke
from lean_trellis.studio.looks import look_for, looks
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.overhangs import pick_region_at
from lean_trellis.studio.stations.sections.next_support import NextSupport
from lean_trellis.studio.stations.sections.problems import Problems
from lean_trellis.studio.stations.sections.recipe_editor import RecipeEditor
from lean_trellis.studio.stations.sections.save_set import SaveSet
from lean_trellis.studio.stations.sections.set_values import SetValuesSection
from lean_trellis.studio.stations.sections.support_menu import SupportMenu
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.theme import DAY, Tokens

_LEAST_LIST = 60
_LIST = 116


class SupportsStation(Station):
    """The supports of the current part."""

    key = "supports"
    name = "Supports"
    codes = frozenset({
            "bar_no_way", "bar_slender", "limit_leaves_bare", "support_empty", "support_on_protected",
            "bars_too_near", "cradle_one_sided", "support_through_part", "supported_twice",
            "supports_overlap", "hand_work_lost", "raft_hole_closed", "held_too_little", "plate_hold_low",
            "too_flexible", "out_of_reach", "trapped", "warp",
            "raft_too_thick", "wall_left_out", "walls_end_in_air", "in_the_air", "region_not_held", "island_not_held",
        })  # fmt: skip
    shows_angles = True
    has_tabs = True
    shows_map = True
    picks_bars = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._add_head()
        self._add_list()
        self._add_pages()
        self.inset = self.sketch

    def _add_head(self) -> None:
        """What is selected, what the next support is made with, the two buttons, the current support's totals."""
        self.subject = muted()
        self.put_beside_heading(self.subject)
        self.menu = SupportMenu(self.session, self)
        self.menu.extended.connect(self._extend)
        self.menu.repeated.connect(self._again)
        self.menu.copied.connect(self._to_copies)
        self.menu.deleted.connect(self.delete_support)
        self.more = QPushButton("…")
        self.more.setObjectName("supports.more")
        self.more.setAccessibleName("More for the current support")
        self.more.setToolTip("What can be done with the current support: another set, more regions, copies, delete")
        self.more.setMenu(self.menu)
        self.next = NextSupport(self.session, self.more)
        self.next.changed.connect(self.refresh)
        self.set_choice, self.already = self.next.choice, self.next.already
        self.support_selected, self.support_all = self.next.support_selected, self.next.support_all
        self.head.addWidget(self.next)
        self.totals = figure()
        self.totals.setObjectName("supports.totals")
        self.totals.setWordWrap(False)
        self.totals.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.head.addWidget(self.totals)

    def _add_list(self) -> None:
        """The supports of the part above the tabs; the line between them is dragged."""
        self.table = PickTable(("Set", "For", "Count", "cm³"), several=False)
        self.table.setObjectName("supports.table")
        self.table.setMinimumHeight(_LEAST_LIST)
        self.table.selected.connect(lambda keys: self.session.select(support=keys[0] if keys else ""))
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(lambda at: self.menu.popup(self.table.mapToGlobal(at)))
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(12, 2, 12, 4)
        column.setSpacing(4)
        column.addWidget(self.already)
        column.addWidget(self.table)
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.halves.setHandleWidth(1)
        self.halves.setChildrenCollapsible(False)
        self.halves.addWidget(upper)
        self.halves.addWidget(self.tabs)
        self.halves.setStretchFactor(0, 0)
        self.halves.setStretchFactor(1, 1)
        outer = self.layout()
        assert isinstance(outer, QVBoxLayout)
        self.halves.setSizes([_LIST, 400])
        outer.addWidget(self.halves, 1)

    def _add_pages(self) -> None:
        settings = self.tabs.add_page("settings", "Settings")
        by_hand = self.tabs.add_page("hand", "By hand")
        figures = self.tabs.add_page("figures", "Figures")
        problems = self.tabs.add_page("problems", "Problems")
        recipe = self.tabs.add_page("recipe", "Recipe")
        self.values = SetValuesSection(self.session)
        settings.addWidget(self.values)
        self.save_set = SaveSet(self.session)
        self.save_set.saved.connect(self.next.choose)
        self.values.put_at_heading(self.save_set.button, self.save_set)
        kinds = dict.fromkeys(look.tools for look in looks())
        self._tools_of = {make: make(self.session, self._chosen_set) for make in kinds}
        self.bar_facts = figure()
        self.words = figure()
        for page, widget in ((by_hand, self.bar_facts), (figures, self.words)):
            page.addWidget(widget)
        self.tabs.currentChanged.connect(lambda _: self.refresh())
        for tools in self._tools_of.values():
            for section, page in ((tools, by_hand), *((further, figures) for further in tools.further)):
                section.asks.connect(self.asks)
                section.stay_open()
                page.addWidget(section)
        self.no_support = muted()
        by_hand.addWidget(self.no_support)
        self.problems = Problems(self.session)
        self.problems.wanted.connect(self.wanted)
        problems.addWidget(self.problems)
        self.recipe = RecipeEditor(self.session)
        self.recipe.applies.connect(self.next.apply)
        self.recipe.saved.connect(self.next.choose_recipe)
        self.recipe.best.saved.connect(self.next.choose)
        recipe.addWidget(self.recipe)
        for page in (settings, by_hand, figures, problems, recipe):
            page.addStretch(1)
        self.watch_tools(*(modes for tools in self._tools_of.values() for modes in tools.mode_rows))
        self.sketch = Sketch(DAY)
        self.values.entered.connect(self._entered)
        self.values.left.connect(self.sketch.hide)

    def _entered(self, key: str) -> None:
        """A value has the focus: its drawing shows over the view."""
        self.sketch.show_key(key)
        self.sketch.show()

    # --- edits ---

    def _chosen_set(self) -> ParameterSet:
        return self.next.set

    @property
    def _parameters(self) -> FamilyParameters:
        """The values that are worked with: those of the current support, or without one of the chosen set."""
        support = self.session.support
        return self._chosen_set().parameters if support is None else support.parameters

    @property
    def tools(self) -> tuple[HandTools, ...]:
        """The tools of all families."""
        return tuple(self._tools_of.values())

    @property
    def hand(self) -> HandTools:
        """The tools of the family that is worked on."""
        return self._tools_of[look_for(self._parameters).tools]

    def add(self, *, selected_only: bool) -> None:
        """Support the selected regions, or all of the current part, with the chosen set or recipe."""
        self.next.add(selected_only=selected_only)

    def _selected_targets(self) -> tuple[RegionPick, ...]:
        part = self.session.part
        overhangs = None if part is None else self.session.regions(part)
        if part is None or overhangs is None:
            return ()
        return tuple(pick_region(overhangs.regions[number], part) for number in sorted(self.session.selection.regions))

    def _extend(self) -> None:
        support = self.session.support
        if support is not None:
            targets = self._selected_targets()
            self.session.do(lambda job: extend_target(job, support.id, targets))

    def _again(self) -> None:
        support, targets = self.session.support, self._selected_targets()
        if support is not None and self.session.do(lambda job: again_on(job, support.id, targets)):
            self.session.select(support=self.session.job.supports[-1].id, regions=frozenset())

    def _to_copies(self) -> None:
        """To the copies among the selected parts; to all copies where none of them is selected."""
        support = self.session.support
        if support is None:
            return
        known = copies_of(self.session.job, support.part_id)
        selected = [part for part in self.session.selection.parts if part in known]
        self.session.do(lambda job: copy_support(job, support.id, selected or known))

    def delete(self) -> bool:
        """Delete the selected bars or walls; where none is selected, the current support. True when there is one."""
        if self.session.support is None:
            return False
        if not self.hand.delete():
            self.delete_support()
        return True

    def delete_support(self) -> None:
        """Delete the current support."""
        support = self.session.support
        if support is not None:
            self.session.do(lambda job: remove_supports(job, [support.id]))

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """In a mode the click is the mode's; else it picks a bar and its support, or a region."""
        if self.hand.take_pick(pick):
            return True
        if pick.support:
            return self.take_bar_pick(pick.support, frozenset({pick.bar} - {-1}), adds=adds)
        return self.session.part is not None and pick_region_at(self.session, pick, adds=adds)

    def take_bar_pick(self, support: str, bars: frozenset[int], *, adds: bool) -> bool:
        """Pick bars and their support; with Ctrl besides those of the same support that are selected, or no more."""
        owner = self.session.job.support(support).part_id
        if owner != self.session.selection.part:
            self.session.select(parts=(owner,))
        same = self.session.selection.support == support
        chosen = self.session.selection.bars ^ bars if adds and same else bars
        self.session.select(support=support, bars=chosen)
        return True

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """How the tools of the family draw in the views."""
        return self.hand.gesture_of(mode)

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """What was drawn goes to the tools."""
        self.hand.take_drawn(gesture, drawn)

    def take_hover(self, pick: Pick) -> None:
        """Where the pointer rests goes to the tools."""
        self.hand.take_hover(pick)

    def take_pull(self, pull: Pull) -> None:
        """A pull goes to the tools."""
        self.hand.take_pull(pull)

    def end_mode(self) -> bool:
        """Escape: end the mode that is on. True when there was one."""
        return self.end_tools()

    def leave(self) -> None:
        """Modes end."""
        self.end_tools()
        for tools in self._tools_of.values():
            tools.leave()
        self.already.hide()
        self.sketch.hide()

    # --- what is shown ---

    def findables(self) -> list[tuple[str, Callable[[], object]]]:
        """The settings of the current support, or of the set that is chosen; and the sets."""
        if self.set_choice.currentData() is None:
            self.refresh()  # the bench was not open yet
        declared = type(self._parameters).declared()
        settings = [
            (f"{known.label}: setting of the support", partial(self._show_setting, known.key)) for known in declared
        ]
        process = self.session.job.machine.process
        sets = [
            (f"{chosen.title}: next support", partial(self.next.choose, chosen.name))
            for chosen in self.session.sets.every().values()
            if chosen.suits(process)
        ]
        return [*settings, *sets]

    def _show_setting(self, key: str) -> None:
        self.tabs.show_page("settings")
        field = self.values.form(type(self._parameters)).field(key)
        field.setFocus()
        holder = self.tabs.currentWidget()
        if isinstance(holder, QScrollArea):
            holder.ensureWidgetVisible(field)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours of the sketch and of the signs."""
        self.sketch.set_tokens(tokens)
        self.next.set_tokens(tokens)

    def refresh(self) -> None:
        """Show the supports of the current part."""
        session, part, support = self.session, self.session.part, self.session.support
        self.next.refresh()
        selected = len(session.selection.regions)
        self.subject.setText(
            "select a part in the view or in the list" if part is None
            else f"{part.name} · {selected} region{'s' * (selected != 1)} selected"
        )  # fmt: skip
        if self.tabs.key == "recipe":
            self.recipe.refresh()
        self.menu.refresh(regions_selected=selected > 0)
        self.more.setEnabled(support is not None)
        mine = () if part is None else session.job.supports_of(part.id)
        self.table.show_rows([(s.id, self._row(s)) for s in mine], [session.selection.support])
        self._show_support(support, has_any=bool(mine))
        hand = self.hand
        for tools in self._tools_of.values():
            for section in (tools, *tools.further):
                section.setVisible(tools is hand and (section is tools or support is not None))
        for section in (hand, *hand.further):
            section.refresh()

    def _row(self, support: Support) -> tuple[Any, ...]:
        totals = self.session.totals(support)
        target = "all" if support.target is None else f"{len(support.target)}"
        if support.others:
            target = f"{len(support.parts)} parts"
        elif not spec_of(support).serves_regions:
            target = "part"
        chosen = self.session.job.set_of(support) or self.session.sets.every().get(support.set_name)
        differs = chosen is not None and bool(support.parameters.differences(chosen.parameters))
        title = f"{chosen.title if chosen else support.set_name}{' ≠' if differs else ''}"
        problem = self.session.problem_of(support)
        waiting = "…" if problem is None else "cancelled" if isinstance(problem, Cancelled) else "refused"
        if totals is None:
            return title, target, waiting, ""
        volume = self.session.volume(support)
        return title, target, totals.counted.number, "…" if volume is None else round(volume.mm3 / 1000, 2)

    def _show_support(self, support: Support | None, *, has_any: bool) -> None:
        layer = self.session.job.layer_height
        self.values.show_support(support, self._chosen_set())
        self.save_set.refresh()
        self.sketch.show_values(self._parameters, layer)
        facts = self.hand.words_of_selected() if support is not None else ""
        self.bar_facts.setText(facts)
        self.bar_facts.setVisible(bool(facts))
        self.no_support.setVisible(support is None)
        first = "Select regions in the view and press Support selected regions, or press Support all."
        self.no_support.setText(
            "" if support is not None else "Select a support in the list first." if has_any else first
        )
        totals = None if support is None else self.session.totals(support)
        self.words.setText("No support is selected." if support is None else "" if totals is None else totals.words)
        count = self.problems.show_support(support)
        self.tabs.set_words("problems", f"Problems {count}" if count else "Problems")
        self._show_totals(support, has_any=has_any)

    def _show_totals(self, support: Support | None, *, has_any: bool) -> None:
        """One line that keeps its place: what the current support comes to, or what to do first."""
        if support is None:
            first = "Select a support in the list to change it" if has_any else "Select regions, or support all of them"
            words = first if self.session.part is not None else "Select a part first"
        elif isinstance(self.session.problem_of(support), Cancelled):
            words = "Cancelled: what is drawn is out of date. F5 resumes"
        elif self.session.problem_of(support) is not None:
            words = "Nothing was generated: see Problems"
        else:
            totals = self.session.totals(support)
            words = "Generating …" if totals is None else totals.in_a_line(self.session.volume_words([support]))
        self.totals.setText(words)
        self.totals.setToolTip(f"{words}\nCount, volume as built, total length, area of contact with the part")

    def fact(self) -> Fact:
        """How many bars, and how much they take."""
        supports = self.session.job.supports
        if not supports:
            return Fact("open", "none yet")
        known = [self.session.totals(support) for support in supports]
        problems = [problem for support in supports if (problem := self.session.problem_of(support)) is not None]
        if any(not isinstance(problem, Cancelled) for problem in problems):
            return Fact("stop", "a set is refused here")
        if problems:
            return Fact("stale", "cancelled, out of date")
        if None in known:
            return Fact("stale", "generating …")
        made = [entry for entry in known if entry is not None]
        kind = made[0].counted
        alike = [entry for entry in made if entry.counted.several == kind.several]
        count = Counted(sum(entry.counted.number for entry in alike), kind.one, kind.several)
        others = len(made) - len(alike)
        if others:
            return Fact(self.mark(), f"{count}, {others} other{'s' * (others > 1)}")
        return Fact(self.mark(), f"{count}, {self.session.volume_words(supports)}")

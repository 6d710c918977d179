"""Supports: a set for the picked regions or for all, its values, its bars."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout

from lean_trellis.core.checks import Cure
from lean_trellis.core.job.edits import (
    Edit,
    add_support,
    again_on,
    copies_of,
    copy_support,
    extend_target,
    remove_supports,
)
from lean_trellis.core.job.job import Job
from lean_trellis.core.sets import ParameterSet, shipped_sets
from lean_trellis.core.sets.recipe import usual_set
from lean_trellis.core.supports import RegionPick, Support
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import spec_for
from lean_trellis.core.supports.common.structure import Counted
from lean_trellis.core.supports.common.targets import pick_region
from lean_trellis.studio.cures import apply_cure
from lean_trellis.studio.family_tools import HandTools
from lean_trellis.studio.forms.fields import ChoiceField, figure, muted, row, set_role
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.sketch import Sketch
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.gestures import Pick, Pull, Stroke
from lean_trellis.studio.looks import look_for, looks
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.overhangs import pick_region_at
from lean_trellis.studio.stations.sections.already import AlreadySupported, in_the_way
from lean_trellis.studio.stations.sections.change_set import ChangeSet
from lean_trellis.studio.stations.sections.set_values import SetValuesSection
from lean_trellis.studio.stations.station import Fact, Station
from lean_trellis.studio.theme import DAY, Tokens

_CURED_HERE = ("bar_no_way", "raft_too_thick", "raft_hole_closed", "supports_overlap", "walls_end_in_air")
"""Findings on the support in hand whose cures stand in the bench."""


class SupportsStation(Station):
    """The supports of the part in hand."""

    key = "supports"
    name = "Supports"
    shows_angles = True
    shows_map = True
    picks_bars = True

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.selected = muted()
        self.page.addWidget(self.selected)
        self.set_choice = ChoiceField()
        self.set_choice.setObjectName("supports.set")
        self.set_choice.setAccessibleName("Parameter set")
        self.set_choice.setToolTip("What the next support is made with; supports that are there stay as they are")
        self.set_choice.chosen.connect(lambda _: self.refresh())
        self.page.addWidget(row(QLabel("Next support"), self.set_choice))
        self.support_picked = QPushButton("Support picked")
        self.support_picked.setProperty("role", "main")
        self.support_picked.clicked.connect(lambda: self.add(picked_only=True))
        self.support_all = QPushButton("Support all")
        self.support_all.setToolTip("Every region of the part in hand")
        self.support_all.clicked.connect(lambda: self.add(picked_only=False))
        self.extend = QPushButton("Extend")
        self.extend.setToolTip("The support in hand serves the picked regions as well")
        self.extend.clicked.connect(self._extend)
        self.page.addWidget(row(self.support_picked, self.support_all, 1, spacing=6))
        self.already = AlreadySupported()
        self.already.replaced.connect(lambda: self._answered(replaces=True))
        self.already.added.connect(lambda: self._answered(replaces=False))
        self.page.addWidget(self.already)
        self._asked: tuple[RegionPick, ...] | None = None
        self.table = PickTable(("Set", "For", "Count", "cm³"), several=False)
        self.table.setObjectName("supports.table")
        self.table.setFixedHeight(96)
        self.table.picked.connect(lambda keys: session.select(support=keys[0] if keys else ""))
        self.page.addWidget(self.table)
        self.remove = QPushButton("Delete")
        self.remove.clicked.connect(self.delete_support)
        self.again = button("Same again", self._again, "The same support on the picked regions", name="supports.again")
        self.copies = button("To copies", self._to_copies, "The support on all copies of the part, or on those picked "
                             "as well", name="supports.copies")  # fmt: skip
        self.other_set = ChangeSet(session)
        self.page.addWidget(row(self.extend, self.again, self.copies, 1, spacing=5))
        self.page.addWidget(row(self.other_set, self.remove, 1, spacing=5))
        self.problem = QLabel()
        self.problem.setWordWrap(True)
        self.page.addWidget(self.problem)
        self._cures = QVBoxLayout()
        self._cures.setSpacing(4)
        self._cured: tuple[Cure, ...] = ()
        self.page.addLayout(self._cures)
        self.limit = QLabel()
        self.limit.setWordWrap(True)
        self.limit.setProperty("role", "warn")
        self.page.addWidget(self.limit)
        self.totals = figure()
        self.page.addWidget(self.totals)
        self.bar_facts = figure()
        self.page.addWidget(self.bar_facts)
        kinds = dict.fromkeys(look.tools for look in looks())
        self._tools_of = {make: make(session, self._chosen_set) for make in kinds}
        for tools in self._tools_of.values():
            for section in (tools, *tools.further):
                section.asks.connect(self.asks)
                self.page.addWidget(section)
        self.watch_tools(*(modes for tools in self._tools_of.values() for modes in tools.mode_rows))
        self.values = SetValuesSection(session)
        self.page.addWidget(self.values)
        self.page.addStretch(1)
        self.sketch = Sketch(DAY)
        self.values.entered.connect(self.sketch.show_key)
        self.footing.addWidget(self.sketch)
        self._folds = (
            *(section for tools in self._tools_of.values() for section in (tools, *tools.further)),
            self.values,
        )
        for fold in self._folds:
            fold.heading.toggled.connect(lambda is_open, fold=fold: self._unfolded(fold, is_open=is_open))

    def _unfolded(self, opened: Fold, *, is_open: bool) -> None:
        """One of the three at a time; the drawing belongs to the values."""
        if is_open:
            for fold in self._folds:
                if fold is not opened:
                    fold.heading.setChecked(False)
        self.sketch.setVisible(self.values.is_open)

    # --- edits ---

    def _chosen_set(self) -> ParameterSet:
        return shipped_sets()[str(self.set_choice.currentData())]

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

    def add(self, *, picked_only: bool) -> None:
        """Support the picked regions, or all of the part in hand, with the chosen set."""
        session, part = self.session, self.session.part
        if part is None:
            return
        target = self._picked_targets() if picked_only else None
        there = in_the_way(session, self._chosen_set(), target)
        if there:
            self._asked = target
            self.already.ask(session, there)
            return
        self._add(target, ())

    def _answered(self, *, replaces: bool) -> None:
        """Add what was asked about, in place of what is there or beside it."""
        self.already.hide()
        there = in_the_way(self.session, self._chosen_set(), self._asked) if replaces else ()
        self._add(self._asked, there)

    def _add(self, target: tuple[RegionPick, ...] | None, instead_of: tuple[Support, ...]) -> None:
        session, part, chosen = self.session, self.session.part, self._chosen_set()
        if part is None:
            return

        def make(job: Job) -> Edit:
            kept = remove_supports(job, [support.id for support in instead_of]).job if instead_of else job
            added = add_support(kept, part.id, chosen, target)
            return Edit(f"Replace supports by {chosen.title}", added.job) if instead_of else added

        if session.do(make):
            session.select(support=session.job.supports[-1].id, regions=frozenset())

    def _picked_targets(self) -> tuple[RegionPick, ...]:
        part = self.session.part
        overhangs = None if part is None else self.session.regions(part)
        if part is None or overhangs is None:
            return ()
        return tuple(pick_region(overhangs.regions[number], part) for number in sorted(self.session.selection.regions))

    def _extend(self) -> None:
        support = self.session.support
        if support is not None:
            targets = self._picked_targets()
            self.session.do(lambda job: extend_target(job, support.id, targets))

    def _again(self) -> None:
        support, targets = self.session.support, self._picked_targets()
        if support is not None and self.session.do(lambda job: again_on(job, support.id, targets)):
            self.session.select(support=self.session.job.supports[-1].id, regions=frozenset())

    def _to_copies(self) -> None:
        """To the copies among the picked parts; to all copies where none of them is picked."""
        support = self.session.support
        if support is None:
            return
        known = copies_of(self.session.job, support.part_id)
        picked = [part for part in self.session.selection.parts if part in known]
        self.session.do(lambda job: copy_support(job, support.id, picked or known))

    def delete(self) -> bool:
        """Delete the picked bars or walls; where none is picked, the support in hand. True when there is one."""
        if self.session.support is None:
            return False
        if not self.hand.delete():
            self.delete_support()
        return True

    def delete_support(self) -> None:
        """Delete the support in hand."""
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
        """Pick bars and their support; with Ctrl besides those of the same support that are picked, or no more."""
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

    # --- what is shown ---

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours of the sketch."""
        self.sketch.set_tokens(tokens)

    def refresh(self) -> None:
        """Show the supports of the part in hand."""
        session, part, support = self.session, self.session.part, self.session.support
        process = session.job.machine.process
        offered = [(s.name, s.title) for s in shipped_sets().values() if s.suits(process)]
        current = str(self.set_choice.currentData())
        self.set_choice.offer(offered, current if current in dict(offered) else usual_set(process))
        picked = len(session.selection.regions)
        self.selected.setText(
            "Pick a part in the view or in the list." if part is None
            else f"{part.name}, {picked} region{'s' * (picked != 1)} picked"
        )  # fmt: skip
        for_regions = spec_for(self._chosen_set().parameters).serves_regions
        self.support_picked.setVisible(for_regions)
        self.support_all.setText("Support all" if for_regions else "Add to the part")
        self.support_all.setToolTip("Every region of the part in hand" if for_regions else "For the part in hand")
        self.support_picked.setEnabled(part is not None and picked > 0)
        self.support_all.setEnabled(part is not None)
        self.extend.setEnabled(support is not None and support.target is not None and picked > 0)
        self.again.setEnabled(support is not None and picked > 0)
        self.copies.setEnabled(support is not None and bool(copies_of(session.job, support.part_id)))
        self.remove.setEnabled(support is not None)
        self.other_set.refresh()
        mine = () if part is None else session.job.supports_of(part.id)
        self.table.show_rows([(s.id, self._row(s)) for s in mine], [session.selection.support])
        self._show_support(support, has_any=bool(mine))
        self._show_cures(support)
        hand = self.hand
        for tools in self._tools_of.values():
            for section in (tools, *tools.further):
                section.setVisible(tools is hand)
        for section in (hand, *hand.further):
            section.refresh()

    def _show_cures(self, support: Support | None) -> None:
        """What can be done about findings on the support in hand, or for a part that tips over, as buttons."""
        findings = self.session.findings() or ()
        mine = [f for f in findings if support is not None and f.support_id == support.id and f.code in _CURED_HERE]
        mine += [f for f in findings if f.part_id == self.session.selection.part and f.code == "tips_over"]
        cures = tuple(dict.fromkeys(cure for finding in mine for cure in finding.cures if cure.change is not None))
        if cures == self._cured:
            return
        self._cured = cures
        while (item := self._cures.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        for words, cure in {cure.words: cure for cure in reversed(cures)}.items():
            made = QPushButton(words)
            made.clicked.connect(lambda _, cure=cure: apply_cure(self.session, cure, self.wanted.emit))
            self._cures.insertWidget(0, made)

    def _row(self, support: Support) -> tuple[Any, ...]:
        totals = self.session.totals(support)
        target = "all" if support.target is None else f"{len(support.target)}"
        if support.others:
            target = f"{len(support.parts)} parts"
        chosen = self.session.job.set_of(support) or shipped_sets().get(support.set_name)
        differs = chosen is not None and bool(support.parameters.differences(chosen.parameters))
        title = f"{chosen.title if chosen else support.set_name}{' ≠' if differs else ''}"
        waiting = "refused" if self.session.problem_of(support) else "…"
        if totals is None:
            return title, target, waiting, ""
        return title, target, totals.counted.number, round(totals.volume_mm3 / 1000, 2)

    def _show_support(self, support: Support | None, *, has_any: bool) -> None:
        for widget in (self.values, self.totals):
            widget.setVisible(support is not None)
        self.bar_facts.hide()
        self.limit.hide()
        self.problem.hide()
        if support is None:
            self.sketch.show_values(self._chosen_set().parameters, self.session.job.layer_height)
            self.problem.setVisible(True)
            set_role(self.problem, "muted")
            self.problem.setText(
                "Pick a support in the list to change its values." if has_any
                else "No supports yet. Pick regions in the view and press Support picked, or Support all."
            )  # fmt: skip
            return
        self.values.show_support(support)
        self.sketch.show_values(support.parameters, self.session.job.layer_height)
        self._show_structure(support)

    def _show_structure(self, support: Support) -> None:
        totals, problem = self.session.totals(support), self.session.problem_of(support)
        trouble = "" if totals is None else totals.trouble
        if problem is not None:
            set_role(self.problem, "stop")
            self.problem.setText(f"{problem}  Nothing was generated.")
        elif trouble:
            set_role(self.problem, "warn")
            self.problem.setText(trouble)
        self.problem.setVisible(problem is not None or bool(trouble))
        waiting = "Generating …" if problem is None else ""
        self.totals.setText(waiting if totals is None else totals.words)
        for label, words in ((self.bar_facts, self.hand.words_of_selected()), (self.limit, self.hand.warning())):
            label.setText(words)
            label.setVisible(bool(words))

    def fact(self) -> Fact:
        """How many bars, and how much they take."""
        supports = self.session.job.supports
        if not supports:
            return Fact("open", "none yet")
        known = [self.session.totals(support) for support in supports]
        if any(self.session.problem_of(support) for support in supports):
            return Fact("stop", "a set is refused here")
        if None in known:
            return Fact("stale", "generating …")
        made = [entry for entry in known if entry is not None]
        kind = made[0].counted
        alike = [entry for entry in made if entry.counted.several == kind.several]
        count = Counted(sum(entry.counted.number for entry in alike), kind.one, kind.several)
        others = len(made) - len(alike)
        if others:
            return Fact("fine", f"{count}, {others} other{'s' * (others > 1)}")
        return Fact("fine", f"{count}, {sum(entry.volume_mm3 for entry in made) / 1000:,.2f} cm³")

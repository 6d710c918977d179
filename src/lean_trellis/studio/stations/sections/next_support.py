"""What the next support is made with, a set or a recipe, and the buttons that make it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.job.edits import Edit, add_support, remove_supports, support_by_recipe
from lean_trellis.core.job.job import Job
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, shipped_recipes, usual_set
from lean_trellis.core.supports import RegionPick, Support
from lean_trellis.core.supports.common.spec import spec_for
from lean_trellis.core.supports.common.targets import pick_region
from lean_trellis.studio.forms.fields import ChoiceField, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.already import AlreadySupported, in_the_way

_RECIPE = "recipe:"


class NextSupport(QWidget):
    """A list of sets and recipes; support the selected regions, or all; what to do with what is there already."""

    changed = pyqtSignal()

    def __init__(self, session: Session, beside: QWidget) -> None:
        """`beside` stands behind the buttons."""
        super().__init__()
        self.session = session
        self._asked: frozenset[int] | None = None
        self.choice = ChoiceField()
        self.choice.setObjectName("supports.set")
        self.choice.setAccessibleName("Parameter set or recipe of the next support")
        self.choice.setToolTip("What the next support is made with; existing supports stay as they are")
        self.choice.chosen.connect(lambda _: self.changed.emit())
        self.choice.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.support_selected = button("Support selected regions", lambda: self.add(selected_only=True))
        self.support_selected.setProperty("role", "main")
        self.support_all = button("Support all", lambda: self.add(selected_only=False))
        self.already = AlreadySupported()
        self.already.replaced.connect(lambda: self._answered(replaces=True))
        self.already.added.connect(lambda: self._answered(replaces=False))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(row("Next support", self.choice))
        column.addWidget(row(self.support_selected, self.support_all, 1, beside, spacing=6))

    # --- what is chosen ---

    @property
    def recipe(self) -> Recipe | None:
        """The recipe that is chosen, if one is."""
        chosen = str(self.choice.currentData())
        return shipped_recipes().get(chosen.removeprefix(_RECIPE)) if chosen.startswith(_RECIPE) else None

    @property
    def set(self) -> ParameterSet:
        """The set that is chosen; of a recipe that of its first rule."""
        every, recipe = self.session.sets.every(), self.recipe
        chosen = str(self.choice.currentData()) if recipe is None else recipe.rules[0].set
        return every[chosen if chosen in every else usual_set(self.session.job.machine.process)]

    def choose(self, name: str) -> None:
        """Choose a set by its name."""
        self.choice.setCurrentIndex(self.choice.findData(name))
        self.changed.emit()

    # --- making it ---

    def add(self, *, selected_only: bool) -> None:
        """Support the selected regions, or all of the current part; where they are supported already, ask first."""
        if self.session.part is None:
            return
        self._asked = self.session.selection.regions if selected_only else None
        there = self._there()
        if there:
            self.already.ask(self.session, there)
            return
        self._add(())

    def _answered(self, *, replaces: bool) -> None:
        """Add the support in question, in place of what is there or beside it."""
        self.already.hide()
        self._add(self._there() if replaces else ())

    def _there(self) -> tuple[Support, ...]:
        """What serves already what is to be supported, by families of the set or of the recipe's sets."""
        found: dict[str, Support] = {}
        for chosen in self._sets():
            for support in in_the_way(self.session, chosen, self._target()):
                found[support.id] = support
        return tuple(found.values())

    def _sets(self) -> list[ParameterSet]:
        recipe, every = self.recipe, self.session.sets.every()
        return [self.set] if recipe is None else [every[rule.set] for rule in recipe.rules if rule.set in every]

    def _regions(self) -> tuple[Region, ...]:
        """The regions in question."""
        part = self.session.part
        known = None if part is None else self.session.regions(part)
        if known is None:
            return ()
        if self._asked is None:
            return tuple(region for region in known.regions if not region.left_out)
        return tuple(known.regions[number] for number in sorted(self._asked) if number < len(known.regions))

    def _target(self) -> tuple[RegionPick, ...] | None:
        part = self.session.part
        return None if self._asked is None or part is None else tuple(pick_region(one, part) for one in self._regions())

    def _add(self, instead_of: tuple[Support, ...]) -> None:
        session, part, recipe, chosen = self.session, self.session.part, self.recipe, self.set
        if part is None:
            return
        target, regions, sets = self._target(), self._regions(), session.sets.every()

        def make(job: Job) -> Edit:
            kept = remove_supports(job, [support.id for support in instead_of]).job if instead_of else job
            if recipe is None:
                added = add_support(kept, part.id, chosen, target)
            else:
                added = support_by_recipe(kept, part.id, recipe, sets, regions)
            by = chosen.title if recipe is None else recipe.title
            return Edit(f"Replace supports by {by}", added.job) if instead_of else added

        if session.do(make) and session.job.supports_of(part.id):
            session.select(support=session.job.supports_of(part.id)[-1].id, regions=frozenset())

    # --- what is shown ---

    def refresh(self) -> None:
        """Offer what suits the process; enable what can be done now."""
        session, part = self.session, self.session.part
        process = session.job.machine.process
        sets = [(one.name, one.title) for one in session.sets.every().values() if one.suits(process)]
        recipes = [(f"{_RECIPE}{one.id}", f"Recipe: {one.title}") for one in shipped_recipes().values()
                   if one.process == process]  # fmt: skip
        current, offered = str(self.choice.currentData()), [*sets, *recipes]
        self.choice.offer(offered, current if current in dict(offered) else usual_set(process))
        for_regions = self.recipe is not None or spec_for(self.set.parameters).serves_regions
        self.support_selected.setVisible(for_regions)
        self.support_all.setText("Support all" if for_regions else "Add to the part")
        self.support_all.setToolTip("Every region of the current part" if for_regions else "For the current part")
        self.support_selected.setEnabled(part is not None and bool(session.selection.regions))
        is_ready = self.recipe is None or (part is not None and session.regions(part) is not None)
        self.support_all.setEnabled(part is not None and is_ready)

"""What the next support is made with, a set or a recipe, and the buttons that make it."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.job.edits import Edit, add_support, remove_supports, support_by_recipe
from lean_trellis.core.job.job import Job
from lean_trellis.core.overhang.region import Region, RegionKind
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.parts.part import Part
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, RecipeDetection, usual_recipe, usual_set
from lean_trellis.core.supports import RegionPick, Support
from lean_trellis.core.supports.common.spec import spec_for
from lean_trellis.core.supports.common.targets import pick_region
from lean_trellis.studio.forms.fields import ChoiceField, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.sketch import SIGN, sign_of
from lean_trellis.studio.recipe_requests import ApplyRecipe, ByRecipe
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.already import AlreadySupported, in_the_way
from lean_trellis.studio.theme import DAY, Tokens

_RECIPE = "recipe:"


_KEYS = ("spacing", "tip_diameter", "tab_width", "shaft_diameter", "thickness", "cell_along", "landing", "margin")


def _key_figures(one: ParameterSet) -> str:
    """What a set is like, in a few values, and what it is for."""
    values = []
    for known in one.parameters.declared():
        value = getattr(one.parameters, known.key)
        if known.key in _KEYS and value is not None:
            shown = f"{value:g}" if isinstance(value, float) else str(value).replace("_", " ")
            values.append(f"{known.label.lower()} {shown} {known.unit}".rstrip())
    return f"{spec_for(one.parameters).title}: {', '.join(values)}\n{one.note}".strip()


def _unsuited(one: ParameterSet, kinds: frozenset[RegionKind]) -> int:
    """How little a set suits regions of some kinds: 0 where its family suits them best; the worst of them counts."""
    suits = spec_for(one.parameters).region_kinds
    return max((suits.index(kind) if kind in suits else len(kinds) + len(suits) + 1 for kind in kinds), default=0)


def _first_set(recipe: Recipe) -> str:
    """The first set that a recipe names; nothing where it leaves everything alone."""
    return next((use.set for rule in recipe.rules for use in rule.uses), "")


class NextSupport(QWidget):
    """A list of sets and recipes; support the selected regions, or all; what to do with what is there already."""

    changed = pyqtSignal()

    def __init__(self, session: Session, beside: QWidget) -> None:
        """`beside` stands behind the buttons."""
        super().__init__()
        self.session = session
        self._asked: frozenset[int] | None = None
        self._tokens = DAY
        self._signs: dict[str, tuple[ParameterSet, Tokens, QIcon]] = {}
        self.choice = ChoiceField()
        self.choice.setIconSize(SIGN)
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
        return self.session.recipes.every().get(chosen.removeprefix(_RECIPE)) if chosen.startswith(_RECIPE) else None

    @property
    def set(self) -> ParameterSet:
        """The set that is chosen; of a recipe that of its first rule."""
        every, recipe = self.session.sets.every(), self.recipe
        chosen = str(self.choice.currentData()) if recipe is None else _first_set(recipe)
        return every[chosen if chosen in every else usual_set(self.session.job.machine.process)]

    def choose(self, name: str) -> None:
        """Choose a set by its name."""
        self.choice.setCurrentIndex(self.choice.findData(name))
        self.changed.emit()

    def choose_recipe(self, name: str) -> None:
        """Choose a recipe by its id."""
        self.refresh()
        self.choose(f"{_RECIPE}{name}")

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
        """What serves already what is to be supported, by families of the set or of the recipe's sets.

        What the recipe itself has made is brought up to date by it, and in nobody's way.
        """
        recipe = self.recipe
        supports: dict[str, Support] = {}
        for chosen in self._sets():
            for support in in_the_way(self.session, chosen, self._target()):
                if recipe is None or support.made_by is None or support.made_by.recipe != recipe.id:
                    supports[support.id] = support
        return tuple(supports.values())

    def _sets(self) -> list[ParameterSet]:
        recipe, every = self.recipe, self.session.sets.every()
        if recipe is None:
            return [self.set]
        return [every[use.set] for rule in recipe.rules for use in rule.uses if use.set in every]

    def _regions(self) -> tuple[Region, ...]:
        """The regions in question."""
        part = self.session.part
        known = None if part is None else self.session.regions(part)
        if known is None:
            return ()
        if self._asked is None:
            return tuple(region for region in known.regions if not region.left_out)
        return tuple(known.regions[number] for number in sorted(self._asked) if number < len(known.regions))

    def _selected_kinds(self) -> frozenset[RegionKind]:
        """Of what kinds the selected regions are."""
        part = self.session.part
        known = None if part is None else self.session.regions(part)
        every = () if known is None else known.regions
        return frozenset(every[number].kind for number in self.session.selection.regions if number < len(every))

    def _target(self) -> tuple[RegionPick, ...] | None:
        part = self.session.part
        return None if self._asked is None or part is None else tuple(pick_region(one, part) for one in self._regions())

    def _add(self, instead_of: tuple[Support, ...]) -> None:
        part, recipe, chosen = self.session.part, self.recipe, self.set
        if part is None:
            return
        settings, material = self.session.settings, self.session.job.material.id
        settings.last_supports = {**settings.last_supports, material: str(self.choice.currentData())}
        gone = tuple(support.id for support in instead_of)
        if recipe is not None:
            self._add_by_recipe(recipe, part, gone)
            return
        target = self._target()

        def make(job: Job) -> Edit:
            kept = remove_supports(job, gone).job if gone else job
            added = add_support(kept, part.id, chosen, target)
            return Edit(f"Replace supports by {chosen.title}", added.job) if gone else added

        if self.session.do(make):
            self._show_last(part.id)

    def _add_by_recipe(self, recipe: Recipe, part: Part, gone: tuple[str, ...]) -> None:
        """At once where one rule takes all that there is; else beside the window, since regions are measured."""
        session, job = self.session, self.session.job
        regions = session.regions(part)
        is_alike = recipe.takes_all_alike(job.machine.process, job.material.id)
        if is_alike and regions is not None and recipe.detection == RecipeDetection():
            own_regions = self._regions()
            traits = [RegionTraits(region.id, region.kind) for region in own_regions]
            sets, is_whole = session.sets.every(), self._asked is None

            def make(job: Job) -> Edit:
                kept = remove_supports(job, gone).job if gone else job
                return support_by_recipe(kept, part.id, recipe, sets, own_regions, traits, is_whole=is_whole).edit

            if session.do(make):
                self._show_last(part.id)
            return
        self.apply(recipe, (part.id,), gone)

    def apply(self, recipe: Recipe, part_ids: tuple[str, ...], gone: tuple[str, ...] = ()) -> None:
        """Support parts by a recipe beside the window, as one step."""
        session, only = self.session, self._asked
        self._asked = None
        request = ApplyRecipe(session.job, part_ids, recipe, dict(session.sets.every()), only, gone)

        def take(made: ByRecipe) -> None:
            if session.job is not request.job:
                session.said.emit("note", "The job has moved on: nothing was done")
            elif session.do(lambda _: made.edit):
                session.said.emit("fine", f"{recipe.title}: {made.words}")
                self._show_last(part_ids[0])

        session.ask(f"Supporting by {recipe.title}", request, take)

    def _show_last(self, part_id: str) -> None:
        """The support that was added last is the current one."""
        there = self.session.job.supports_of(part_id)
        if there and part_id == self.session.selection.part:
            self.session.select(support=there[-1].id, regions=frozenset())

    # --- what is shown ---

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours of the signs, when they are shown next."""
        self._tokens = tokens

    def _show_signs(self, recipes: Mapping[str, Recipe]) -> None:
        """A small drawing beside each set, and beside each recipe that of its first set; only what is new is drawn."""
        every, layer = self.session.sets.every(), self.session.job.layer_height
        for place in range(self.choice.count()):
            key = str(self.choice.itemData(place))
            name = _first_set(recipes[key.removeprefix(_RECIPE)]) if key.startswith(_RECIPE) else key
            one, known = every.get(name), self._signs.get(key)
            if one is None:
                continue
            is_new = known is None or known[:2] != (one, self._tokens)
            if known is None or is_new:
                known = self._signs[key] = one, self._tokens, sign_of(one.parameters, self._tokens, layer)
            if is_new or self.choice.itemIcon(place).isNull():
                self.choice.setItemIcon(place, known[2])

    def refresh(self) -> None:
        """Offer what suits the process; enable what can be done now."""
        session, part = self.session, self.session.part
        process = session.job.machine.process
        stars = session.settings.favourite_sets
        suited = [one for one in session.sets.every().values() if one.suits(process)]
        kinds = self._selected_kinds()
        suited.sort(
            key=lambda one: (one.name not in stars, session.job.material.id not in one.materials, _unsuited(one, kinds))
        )
        sets = [(one.name, f"★ {one.title}" if one.name in stars else one.title) for one in suited]
        material, every = session.job.material.id, session.recipes.every()
        recipes = [(f"{_RECIPE}{one.id}", f"Recipe: {one.title}") for one in every.values()
                   if one.suits(process, material)]  # fmt: skip
        usual = usual_recipe(every, process, material)
        current, offered = str(self.choice.currentData()), [*recipes, *sets]
        first = f"{_RECIPE}{usual.id}" if usual is not None else usual_set(process)
        last = session.settings.last_supports.get(material, "")
        first = last if last in dict(offered) else first
        self.choice.offer(offered, current if current in dict(offered) else first)
        self._show_signs(every)
        for one in suited:
            record = self.session.records.of(one.name, one.version)
            words = _key_figures(one) + ("" if record is None else f"\nIn this shop: {record.words()}")
            self.choice.setItemData(self.choice.findData(one.name), words, Qt.ItemDataRole.ToolTipRole)
        for_regions = self.recipe is not None or spec_for(self.set.parameters).serves_regions
        self.support_selected.setVisible(for_regions)
        self.support_all.setText("Support all" if for_regions else "Add to the part")
        self.support_all.setToolTip("Every region of the current part" if for_regions else "For the current part")
        self.support_selected.setEnabled(part is not None and bool(session.selection.regions))
        self.support_all.setEnabled(part is not None)

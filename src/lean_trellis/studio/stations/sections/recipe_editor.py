"""A recipe and its rules, with what each takes of the part at hand; changed, saved, applied."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.job import Job
from lean_trellis.core.sets.merging import merged, recipe_differences
from lean_trellis.core.sets.recipe import (
    Recipe,
    RecipeDetection,
    RegionsByRule,
    Rule,
    recipe_text,
    usual_recipe,
    usual_set,
)
from lean_trellis.core.sets.recipe_words import action_words, condition_words
from lean_trellis.core.sets.saved import RECIPES
from lean_trellis.core.shop.store.kept import ChangedMeanwhileError
from lean_trellis.core.shop.words import words_of
from lean_trellis.studio.archived import offer_archived
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, muted, number_row, row
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.forms.whose import WhoseValues
from lean_trellis.studio.recipe_requests import ShareRegions
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.find_best import FindBestSection
from lean_trellis.studio.stations.sections.rule_form import RuleForm

_SHARE_AFTER_MS = 150
_UNTAKEN = ""
_TABLE_PX = 142


@dataclass(frozen=True)
class _Shared:
    """What rules take of a part's regions, and of which recipe, part and job that is."""

    recipe: Recipe
    part_id: str
    job: Job
    by_rule: RegionsByRule


class RecipeEditor(QWidget):
    """The recipe that is chosen here as a draft: nothing is saved without a press on Save."""

    applies = pyqtSignal(object, tuple)
    """A recipe and the ids of the parts that it is to support."""
    saved = pyqtSignal(str)
    """The id of the recipe that was saved."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.draft: Recipe | None = None
        self._base: Recipe | None = None
        self._rule = ""
        self._shared: _Shared | None = None
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(_SHARE_AFTER_MS)
        self._due.timeout.connect(self._share)
        self.choice = ChoiceField()
        self.choice.setObjectName("recipe.choice")
        self.choice.setAccessibleName("Recipe")
        self.choice.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.choice.chosen.connect(self._choose)
        self.menu = QMenu(self)
        self.save, self.save_as, self.undo, self.export, self.put_away, self.archived = (
            self._entry(words, act) for words, act in (
                ("Save to the recipe, as its next version", self._save), ("Save as new recipe …", self._ask),
                ("Back to the saved recipe", self._back), ("Export as TOML …", self._export),
                ("Archive this recipe", self._put_away), ("Archived recipes …", self._offer_archived),
            )
        )  # fmt: skip
        self.more = QPushButton("Save")
        self.more.setObjectName("recipe.menu")
        self.more.setMenu(self.menu)
        self.title = TextField()
        self.title.setObjectName("recipe.title")
        self.title.setAccessibleName("Name of the new recipe")
        self.title.setPlaceholderText("Name of the new recipe")
        self.keep = button("Save", self._save_as, name="recipe.keep")
        self.cancel = button("Cancel", lambda: self.naming.hide(), name="recipe.cancel")
        self.naming = row(self.title, self.keep, self.cancel, spacing=5)
        self.conflict = WhoseValues("recipe")
        self.conflict.merged.connect(self._save_merged)
        self.conflict.given_up.connect(self.conflict.hide)
        self._theirs: Recipe | None = None
        self.table = PickTable(("Rule", "Takes", "Gives"), several=False, stretch=2)
        self.table.setObjectName("recipe.rules")
        self.table.setAccessibleName("Rules, and how many regions each takes")
        self.table.setFixedHeight(_TABLE_PX)
        self.table.selected.connect(self._pick)
        self.table.clicked.connect(lambda _: self._pick(self.table.selected_keys()))  # the row that is current too
        self.words = muted()
        self.words.setObjectName("recipe.words")
        self.add, self.remove, self.up, self.down = (
            button(words, act, hint, name=f"recipe.{name}") for words, act, hint, name in (
                ("Add", self._add, "A rule for faces, before the last", "add"),
                ("Delete", self._remove, "Delete the rule", "remove"),
                ("Up", lambda: self._move(-1), "The rule takes its regions before the one above", "up"),
                ("Down", lambda: self._move(1), "The rule takes what the one below leaves", "down"),
            )
        )  # fmt: skip
        self.form = RuleForm(session)
        self.form.changed.connect(self._rule_changed)
        self.best = FindBestSection(session)
        self.detection = Fold("Detection values of this recipe", is_open=False)
        self.fields = {key: self._detection_field(key) for key in RecipeDetection.model_fields}
        self.apply_part = button("Support part", self._apply_part, "Every region of the current part, by these rules; "
                                 "what they made before is brought up to date", name="recipe.part")  # fmt: skip
        self.apply_part.setProperty("role", "main")
        self.apply_selected = button("Selected parts", self._apply_selected, name="recipe.selected")
        self.apply_build = button("All parts", self._apply_build, "Every part of the build", name="recipe.build")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        for widget in (
            row("Recipe", self.choice, self.more, spacing=6), self.naming, self.conflict,
            row(self.apply_part, self.apply_selected, self.apply_build, 1, spacing=5), self.table, self.words,
            row(self.add, self.remove, self.up, self.down, 1, spacing=5), self.form, self.detection, self.best,
        ):  # fmt: skip
            column.addWidget(widget)
        self.naming.hide()

    def _entry(self, words: str, act: Callable[[], None]) -> QAction:
        action = self.menu.addAction(words)
        assert action is not None, "a menu makes its actions"
        action.triggered.connect(lambda _: act())
        return action

    def _detection_field(self, key: str) -> NumberField:
        words = words_of(f"detection.{key}", {})
        field = NumberField(words.unit, may_be_empty=True, width=72)
        field.setObjectName(f"recipe.{key}")
        field.setPlaceholderText("as material")
        field.taken.connect(lambda value: self._detect(key, value))
        field.emptied.connect(lambda: self._detect(key, None))
        self.detection.body.addWidget(number_row(words.label, field, help_text=words.help))
        return field

    # --- the draft ---

    def _choose(self, name: str) -> None:
        known = self.session.recipes.every().get(name)
        if known is not None:
            self._base = self.draft = known
            self._rule = known.rules[0].name
            self.conflict.hide()
            self.refresh()

    def _change(self, **changes: object) -> bool:
        """Change the draft; what cannot be is said."""
        if self.draft is None:
            return False
        try:
            self.draft = Recipe.model_validate({**self.draft.model_dump(), **changes})
        except ValueError as problem:
            errors = getattr(problem, "errors", None)
            words = str(errors()[0]["msg"]) if callable(errors) else str(problem)
            self.session.said.emit("stop", words.removeprefix("Value error, ").capitalize())
            self.refresh()
            return False
        self.refresh()
        return True

    def _detect(self, key: str, value: float | None) -> None:
        if self.draft is not None:
            self._change(detection={**self.draft.detection.model_dump(), key: value})

    def _rules(self) -> list[Rule]:
        return [] if self.draft is None else list(self.draft.rules)

    def _place(self) -> int:
        return next((place for place, rule in enumerate(self._rules()) if rule.name == self._rule), -1)

    def _rule_changed(self, rule: Rule) -> None:
        rules, place = self._rules(), self._place()
        if place >= 0:
            before, self._rule = self._rule, rule.name
            rules[place] = rule
            if not self._change(rules=rules):
                self._rule = before
                self.refresh()

    def _add(self) -> None:
        rules = self._rules()
        if not rules:
            return
        names, number = {rule.name for rule in rules}, len(rules) + 1
        while f"Rule {number}" in names:
            number += 1
        place = max(self._place(), 0)
        usual = usual_set(self.session.job.machine.process)
        fresh = Rule(name=f"Rule {number}", kinds=("face",), set=next((rule.set for rule in rules if rule.set), usual))
        self._rule = fresh.name
        self._change(rules=[*rules[:place], fresh, *rules[place:]])

    def _remove(self) -> None:
        rules, place = self._rules(), self._place()
        if place >= 0 and len(rules) > 1:
            del rules[place]
            self._rule = rules[min(place, len(rules) - 1)].name
            self._change(rules=rules)

    def _move(self, by: int) -> None:
        rules, place = self._rules(), self._place()
        if place >= 0 and 0 <= place + by < len(rules):
            rules[place], rules[place + by] = rules[place + by], rules[place]
            self._change(rules=rules)

    def _pick(self, keys: list[str]) -> None:
        """A row: its rule is edited, its regions are selected in the views."""
        name = keys[0] if keys else _UNTAKEN
        if name:
            self._rule = name
        shared = self._of_now()
        if shared is not None:
            numbers = shared.rest if not name else shared.by_rule.get(name, ())
            self.session.select(regions=frozenset(numbers))
        self.refresh()

    # --- saving ---

    def _back(self) -> None:
        if self._base is not None:
            self._choose(self._base.id)

    def _ask(self) -> None:
        self.naming.show()
        self.title.setFocus()

    def _save_as(self) -> None:
        draft = self.draft
        if draft is not None:
            process = self.session.job.machine.process
            fresh = draft.model_copy(update={"process": process if draft.process == "any" else draft.process})
            self._done(lambda: self.session.recipes.save_as(fresh, self.title.text()))

    def _save(self) -> None:
        draft = self.draft
        if draft is not None:
            self._done(lambda: self.session.recipes.save(draft))

    def _done(self, save: Callable[[], Recipe]) -> None:
        def done(kept: Recipe) -> None:
            self.draft = self._base = kept
            self.naming.hide()
            self.conflict.hide()
            self.title.clear()
            self.session.said.emit("fine", f"Saved {kept.title}, version {kept.version}")
            self.saved.emit(kept.id)
            self.refresh()

        self.session.library_work.ask(save, done, self._refuse)

    def _refuse(self, problem: Exception) -> None:
        draft, base = self.draft, self._base
        if not isinstance(problem, ChangedMeanwhileError) or draft is None or base is None:
            self.session.said.emit("stop", str(problem))
            return
        self._theirs = theirs = RECIPES.read_kept(problem.theirs, problem.theirs.id)
        conflicts = recipe_differences(draft, theirs, base, self.session.sets.every())
        self.conflict.ask(problem.theirs.who, theirs.version, conflicts)

    def _save_merged(self) -> None:
        draft, theirs = self.draft, self._theirs
        if draft is None or theirs is None:
            return
        try:
            both = merged(draft, theirs, self.conflict.taken)
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self._done(lambda: self.session.recipes.save(both))

    def _put_away(self) -> None:
        base = self._base

        def done(_: None) -> None:
            assert base is not None, "only an own recipe is archived"
            self.session.said.emit("fine", f"{base.title} is archived; its versions stay in the library")
            self.draft = self._base = None
            self.refresh()

        if base is not None:
            self.session.library_work.ask(lambda: self.session.recipes.put_away(base.id), done, self._refuse)

    def _offer_archived(self) -> None:
        offer_archived(self.session, self.session.recipes, self.more, self._choose)

    def _export(self) -> None:
        draft = self.draft
        if draft is None:
            return
        start = str(Path(self.session.folder) / f"{draft.id}.toml")
        chosen, _ = QFileDialog.getSaveFileName(self, "Export the recipe", start, "Recipes (*.toml)")
        if chosen:
            try:
                with written_whole(Path(chosen)) as file:
                    file.write(recipe_text(draft).encode())
            except TrellisError as problem:
                self.session.said.emit("stop", str(problem))
                return
            self.session.said.emit("fine", f"Wrote {chosen}")

    # --- applying ---

    def _apply_part(self) -> None:
        if self.session.part is not None:
            self._apply((self.session.part.id,))

    def _apply_selected(self) -> None:
        self._apply(self.session.selection.parts)

    def _apply_build(self) -> None:
        self._apply(tuple(part.id for part in self.session.job.parts))

    def _apply(self, part_ids: tuple[str, ...]) -> None:
        if self.draft is not None and part_ids:
            self.applies.emit(self.draft, part_ids)

    # --- what is shown ---

    def _of_now(self) -> RegionsByRule | None:
        """What the draft takes of the current part, if that is known."""
        shared, part = self._shared, self.session.part
        if shared is None or part is None or shared.recipe != self.draft or shared.part_id != part.id:
            return None
        return shared.by_rule if shared.job is self.session.job else None

    @property
    def is_shared(self) -> bool:
        """Whether it is known what the draft takes of the current part."""
        return self._of_now() is not None

    def _share(self) -> None:
        """Have it worked out beside the window which rule takes which region."""
        part, draft, job = self.session.part, self.draft, self.session.job
        if part is None or draft is None or not self.isVisible() or self._of_now() is not None:
            return

        def shared(regions: RegionsByRule) -> None:
            self._shared = _Shared(draft, part.id, job, regions)
            self.refresh()

        if not self.session.ask_quietly(ShareRegions(job, part.id, draft), shared):
            self._due.start()

    def refresh(self) -> None:
        """Show the draft, and what its rules take."""
        session = self.session
        every, job = session.recipes.every(), session.job
        offered = [(one.id, one.title) for one in every.values() if one.suits(job.machine.process)]
        if self.draft is None or (self.draft.process not in ("any", job.machine.process)):
            usual = usual_recipe(every, job.machine.process, job.material.id)
            self._base = self.draft = usual
            self._rule = usual.rules[0].name if usual is not None else ""
        draft = self.draft
        self.choice.offer(offered, draft.id if draft is not None else "")
        self.setEnabled(draft is not None)
        if draft is None:
            return
        is_changed, is_own = draft != self._base, session.recipes.is_own(draft.id)
        self.save.setEnabled(is_changed and is_own)
        self.undo.setEnabled(is_changed)
        self.put_away.setEnabled(is_own)
        by_rule = self._of_now()
        if by_rule is None and self.isVisible():
            self._due.start()
        self.table.show_rows(self._rows(draft, by_rule), [self._rule])
        self.words.setText(self._summary(draft, by_rule, is_changed=is_changed))
        self.form.show_rule(draft.rule(self._rule) if self._place() >= 0 else None)
        for key, field in self.fields.items():
            field.show_value(getattr(draft.detection, key))
        self.best.show_recipe(draft, self._rule)
        place = self._place()
        self.remove.setEnabled(len(draft.rules) > 1)
        self.up.setEnabled(place > 0)
        self.down.setEnabled(0 <= place < len(draft.rules) - 1)
        self.apply_part.setEnabled(session.part is not None)
        self.apply_selected.setVisible(len(session.selection.parts) > 1)
        self.apply_build.setEnabled(bool(job.parts))

    def _rows(self, draft: Recipe, by_rule: RegionsByRule | None) -> list[tuple[str, tuple[object, ...]]]:
        sets = self.session.sets.every()
        rows: list[tuple[str, tuple[object, ...]]] = [
            (rule.name, (rule.name, None if by_rule is None else len(by_rule.by_rule.get(rule.name, ())),
                         action_words(rule, sets)))
            for rule in draft.rules
        ]  # fmt: skip
        if by_rule is not None and by_rule.rest:
            rows.append((_UNTAKEN, ("no rule", len(by_rule.rest), "nothing: not supported by this recipe")))
        return rows

    def _summary(self, draft: Recipe, by_rule: RegionsByRule | None, *, is_changed: bool) -> str:
        part = self.session.part
        place = self._place()
        takes = f"Takes {condition_words(draft.rules[place])}. " if place >= 0 else ""
        state = "Not saved. " if is_changed else ""
        if part is None:
            return f"{state}{takes}Select a part to see what each rule takes."
        if by_rule is None:
            return f"{state}{takes}Sharing the regions of {part.name} …"
        return f"{state}{takes}"

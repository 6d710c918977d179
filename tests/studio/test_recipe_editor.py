"""The recipe editor: what each rule takes, changed, saved as the shop's own, applied to parts."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QMenu

from lean_trellis.core.job.edits import set_build_offset
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.sets.saved import shop_recipes
from lean_trellis.studio.pictures import wait_until


@pytest.fixture
def shelved(with_parts):
    """A part with one broad shelf and a small one, its recipe tab open."""
    mesh = united([box((4, 20, 30)), box((20, 20, 2), corner=(3, 0, 24)), box((6, 4, 2), corner=(-5, 0, 14))])
    user = with_parts(mesh)
    user.session.do(lambda job: set_build_offset(job, ["part-1"], 0.0))
    bench = user.station("supports")
    user.settle()
    user.open_tab(bench.recipe)
    user.settle()
    return user, bench, bench.recipe


def takes(user, editor):
    wait_until(lambda: editor.is_shared)
    return {row[1][0]: row[1][1] for row in editor.table._model.rows}


def test_each_rule_says_how_many_regions_it_takes_and_a_row_selects_them(shelved):
    user, _, editor = shelved
    count = len(user.session.regions(user.session.part).regions)
    assert takes(user, editor) == {"Everything": count}
    user.press(editor.add)
    user.type_into(user.field("rule.least_area"), "100")
    assert takes(user, editor) == {"Rule 2": 1, "Everything": count - 1}
    assert "Not saved" in editor.words.text()
    user.click_row(editor.table, "Rule 2")
    (number,) = user.session.selection.regions
    assert user.session.regions(user.session.part).regions[number].area_mm2 > 100
    user.press(editor.down)
    assert takes(user, editor) == {"Everything": count, "Rule 2": 0}
    user.press(editor.remove)
    assert takes(user, editor) == {"Everything": count}


def test_what_no_rule_takes_is_a_row_of_its_own_and_is_left_without_supports(shelved):
    user, _, editor = shelved
    user.type_into(user.field("rule.least_area"), "100")
    rows = takes(user, editor)
    assert rows["Everything"] == 1
    assert rows["no rule"] >= 1
    user.press(editor.apply_part)
    user.settle()
    (support,) = user.session.job.supports
    assert len(support.target) == 1
    assert "that no rule takes" in user.window.status.message.text()


def test_a_changed_recipe_is_saved_as_ones_own_runs_again_and_offers_itself_first(shelved):
    user, bench, editor = shelved
    user.press(editor.apply_part)
    user.settle()
    user.choose(editor.form.set, "bars-metal-fine")
    user.trigger(editor.save_as)
    user.type_into(editor.title, "Shelves")
    user.press(editor.keep)
    assert editor.draft.id == "shelves"
    assert editor.choice.currentData() == "shelves"
    assert bench.set_choice.currentData() == "recipe:shelves"
    user.press(editor.apply_part)
    user.settle()
    assert [one.set_name for one in user.session.job.supports] == ["bars-metal", "bars-metal-fine"]
    user.choose(editor.form.set, "bars-metal-braced")
    user.trigger(editor.save)
    assert editor.draft.version == 2
    user.press(editor.apply_part)
    user.settle()
    mine = [one for one in user.session.job.supports if one.made_by.recipe == "shelves"]
    assert [(one.set_name, one.made_by.version) for one in mine] == [("bars-metal-braced", 2)]
    other = shop_recipes()
    other.look()
    assert other.all["shelves"].rules[0].set == "bars-metal-braced"
    user.trigger(editor.put_away)
    assert "shelves" not in user.session.recipes.every()
    user.trigger(editor.archived)
    menu = user.window.findChild(QMenu, "archived.menu")
    user.trigger(menu.actions()[0])
    menu.close()
    assert editor.draft.id == "shelves"
    assert user.session.recipes.every()["shelves"].rules[0].set == "bars-metal-braced"
    user.trigger(editor.put_away)


def test_what_a_rule_cannot_be_is_said_and_nothing_changes(shelved):
    user, _, editor = shelved
    before = editor.draft
    user.type_into(user.field("rule.least_area"), "50")
    user.type_into(user.field("rule.most_area"), "20")
    assert "must not be above" in user.window.status.message.text()
    assert editor.draft.rules[0].most_area is None
    user.choose(editor.form.set, "")
    assert editor.draft.rules[0].leave
    user.type_into(editor.form.leave, "they hold by themselves")
    assert editor.draft.rules[0].leave == "they hold by themselves"
    user.trigger(editor.undo)
    assert editor.draft == before


def test_values_of_the_current_support_become_the_rules_and_detection_values_the_recipes(shelved):
    user, bench, editor = shelved
    user.press(editor.apply_part)
    user.settle()
    user.session.select(support=user.session.job.supports[-1].id)
    user.open_tab(bench.values)
    user.type_into(user.field("parameter.spacing"), "3.1")
    user.open_tab(editor)
    user.press(editor.form.take)
    assert editor.draft.rules[0].values == {"spacing": 3.1}
    user.unfold(editor.detection)
    user.type_into(user.field("recipe.critical_angle"), "30")
    assert editor.draft.detection.critical_angle == 30
    user.press(editor.apply_build)
    user.settle()
    assert user.session.part.critical_angle == 30
    (support,) = user.session.job.supports
    assert support.parameters.spacing == 3.1
    assert dict(support.made_by.values) == {"spacing": 3.1}


def test_the_second_to_save_a_recipe_sees_both_and_chooses_value_by_value(shelved):
    user, _, editor = shelved
    user.trigger(editor.save_as)
    user.type_into(editor.title, "Shelves")
    user.press(editor.keep)
    other = shop_recipes()
    other.look()
    there = other.every()["shelves"]
    (rule,) = there.rules
    other.save(there.model_copy(update={"note": "for shelves", "rules": (
        rule.model_copy(update={"least_area": 5.0, "set": "bars-metal-fine", "values": {}}),
    )}))  # fmt: skip
    user.type_into(user.field("rule.least_area"), "8")
    user.type_into(user.field("rule.least_height"), "3")
    user.trigger(editor.save)
    user.settle()
    panel = editor.conflict
    assert panel.isVisible()
    assert "has saved version 2 meanwhile" in panel.note.text()
    shown = {cells[0]: cells[1:] for _, cells in panel.values._model.rows}
    assert shown["Everything: area"] == ("8 mm² or more", "5 mm² or more", "yours")
    assert shown["Everything: height"][2] == "yours"
    assert shown["Note"][2] == shown["Everything: gives"][2] == "theirs"
    user.click_row(panel.values, ("rule", rule.name, "area"))
    user.press(panel.merge)
    user.settle()
    kept = user.session.recipes.every()["shelves"]
    (made,) = kept.rules
    assert (kept.version, kept.note, made.least_area, made.least_height, made.set) == (
        3, "for shelves", 5.0, 3.0, "bars-metal-fine",
    )  # fmt: skip
    assert editor.draft == kept
    assert not panel.isVisible()

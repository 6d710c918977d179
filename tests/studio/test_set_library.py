"""The window of parameter sets: found, starred, changed as a draft, compared, saved, archived; TOML by drop."""

from __future__ import annotations

from contextlib import closing
from dataclasses import replace

import pytest
from PyQt6.QtWidgets import QMenu

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import recipe_text, shipped_recipes
from lean_trellis.core.sets.saved import shop_sets
from lean_trellis.core.sets.text import set_text
from lean_trellis.core.shop.store.kept import ToSave
from lean_trellis.core.shop.store.store import open_store
from lean_trellis.studio.forms.sketch import SIGN
from lean_trellis.studio.pictures import wait_until


@pytest.fixture
def library(with_parts):
    user = with_parts(box((12, 9, 2)))
    user.window.menus.run("sets")
    shown = user.window.sets
    shown.draft = None
    shown.search.clear()
    shown.refresh()
    yield user, shown
    shown.close()


def test_sets_are_found_by_words_and_favourites_come_first_here_and_at_supports(library):
    user, shown = library
    shown.search.setText("lattice 0.4")
    assert shown.table.keys() == ["lattice-metal-light"]
    shown.choose("lattice-metal-light")
    shown.star.click()
    shown.search.clear()
    names = shown.table.keys()
    assert names[0] == "lattice-metal-light"
    assert "bars-resin-fine" not in names
    shown.all_processes.click()
    names = shown.table.keys()
    assert "bars-resin-fine" in names
    bench = user.station("supports")
    words = [bench.set_choice.itemText(place) for place in range(bench.set_choice.count())]
    assert words[1].startswith("★ Lattice")
    signs = [bench.set_choice.itemIcon(place).pixmap(SIGN).toImage() for place in range(bench.set_choice.count())]
    assert not any(sign.isNull() for sign in signs)
    lattice, bars = (signs[bench.set_choice.findData(name)] for name in ("lattice-metal-light", "bars-metal"))
    assert lattice != bars, "each is drawn as what it makes"
    shown.star.click()
    assert user.session.settings.favourite_sets == []


def test_a_draft_is_shown_on_the_specimen_and_beside_another_set(library):
    _, shown = library
    shown.choose("bars-metal")
    wait_until(lambda: "utilisation" in shown.figures.text())
    before = shown.figures.text()
    shown._change("spacing", 3.0)
    wait_until(lambda: shown.figures.text() != before)
    assert int(shown.figures.text().split()[0]) < int(before.split()[0])
    assert shown.compared.keys() == ["spacing"]
    shown.other.setCurrentIndex(shown.other.findData("bars-metal-braced"))
    shown.refresh()
    assert set(shown.compared.keys()) == set(
        shown.draft.parameters.differences(shipped_sets()["bars-metal-braced"].parameters)
    )  # fmt: skip


def test_what_cannot_be_is_said_in_words_and_the_value_stays(library):
    _, shown = library
    shown.choose("bars-metal")
    shown._change("lean_limit", 80.0)
    assert "lean" in shown.wrong.text().lower()
    assert shown.draft == shipped_sets()["bars-metal"]
    assert not shown.save.isEnabled()


def test_a_set_is_saved_as_a_new_one_changed_and_archived_with_its_history(library):
    user, shown = library
    shown.choose("bars-metal")
    shown._change("spacing", 2.4)
    shown.name.setText("Lids")
    shown.why.setText("lids are stiff")
    shown.save_as.click()
    user.settle()
    assert shown.draft.name == "lids"
    shown._change("spacing", 2.5)
    assert shown.save.isEnabled()
    shown.why.setText("stiffer still")
    shown.save.click()
    user.settle()
    assert (shown.draft.version, shown.save.isEnabled()) == (2, False)
    assert shown.history.text().splitlines()[0].startswith("v2")
    assert "stiffer still" in shown.history.text()
    shown._change("spacing", 9.0)
    shown.undo.click()
    assert shown.draft.parameters.spacing == 2.5
    shown.put_away.click()
    user.settle()
    assert "lids" not in user.session.sets.every()
    assert shown.draft.name != "lids"
    shown.name.setText("Lids")
    shown.save_as.click()
    user.settle()
    assert "is what an archived set is called" in shown.wrong.text()
    shown.archived.click()
    user.settle()
    menu = shown.findChild(QMenu, "archived.menu")
    (action,) = menu.actions()
    assert action.text() == "Lids, version 3"
    action.trigger()
    menu.close()
    user.settle()
    assert shown.draft.name == "lids"
    assert user.session.sets.every()["lids"].parameters.spacing == 2.5
    shown.archived.click()
    user.settle()
    assert "No set is archived" in user.window.status.message.text()


def test_two_who_save_a_set_choose_value_by_value_here_too(library):
    user, shown = library
    shown.choose("bars-metal")
    shown.name.setText("Ours")
    shown.save_as.click()
    user.settle()
    other = shop_sets()
    other.look()
    there = other.every()["ours"]
    other.save(replace(there, parameters=there.parameters.with_value("sides", 10)))
    shown._change("spacing", 2.6)
    shown.save.click()
    user.settle()
    assert shown.conflict.isVisible()
    assert {cells[0]: cells[3] for _, cells in shown.conflict.values._model.rows}["Spacing"] == "yours"
    shown.conflict.merge.click()
    user.settle()
    kept = user.session.sets.every()["ours"]
    assert (kept.version, kept.parameters.spacing) == (3, 2.6)
    assert not shown.conflict.isVisible()


def test_whose_a_set_is_and_what_it_is_meant_for_is_changed_and_kept(library):
    user, shown = library
    shown.choose("bars-metal")
    meant = shown.meant
    assert meant.materials.text() == "any material"
    user.type_into(meant.owner, "Second shift")
    meant.offered.aboutToShow.emit()
    titles = {action.data(): action for action in meant.offered.actions()}
    assert "steel-316l" in titles
    assert "petg" not in titles, "of its own process alone"
    titles["steel-316l"].trigger()
    assert meant.materials.text() == titles["steel-316l"].text()
    shown.name.setText("Second")
    shown.save_as.click()
    user.settle()
    kept = user.session.sets.every()["second"]
    assert (kept.owner, kept.materials, kept.process) == ("Second shift", ("steel-316l",), "powder_bed")
    user.choose(meant.process, "any")
    assert shown.save.isEnabled()
    shown.save.click()
    user.settle()
    kept = user.session.sets.every()["second"]
    assert (kept.process, kept.version, kept.owner) == ("any", 2, "Second shift")
    shown._change("spacing", 2.4)
    shown.name.setText("Third")
    shown.save_as.click()
    user.settle()
    assert user.session.sets.every()["third"].owner != "Second shift", "whoever saves a set owns it"


def test_sets_and_recipes_come_in_by_drop_and_wrong_ones_are_named(library, tmp_path):
    user, _ = library
    set_file, recipe_file, bad = (tmp_path / name for name in ("lids.toml", "lids-recipe.toml", "bad.toml"))
    set_file.write_text(
        set_text(shipped_sets()["bars-metal"]).replace("spacing = 1.9", "spacing = 2.2"), encoding="utf-8"
    )
    recipe_file.write_text(
        recipe_text(shipped_recipes()["metal-standard"]).replace("Metal, standard", "Lids"), encoding="utf-8"
    )
    bad.write_text(set_text(shipped_sets()["bars-metal"]).replace("spacing = 1.9", "spacing = -4"), encoding="utf-8")
    user.window.files.take_files([set_file])
    user.settle()
    assert user.session.sets.every()["lids"].parameters.spacing == 2.2
    user.window.files.take_files([recipe_file])
    user.settle()
    assert user.session.recipes.every()["lids-recipe"].title == "Lids"
    user.window.files.take_files([bad])
    user.settle()
    assert "bad.toml: line" in user.window.status.message.text()
    assert "bad" not in user.session.sets.every()


def test_another_shop_library_is_used_by_its_address_and_a_lost_one_is_said(library, tmp_path, monkeypatch):
    user, shown = library
    monkeypatch.delenv("LEAN_TRELLIS_LIBRARY", raising=False)
    elsewhere = f"sqlite:///{tmp_path / 'shared.db'}"
    with closing(open_store(elsewhere)) as store:
        text = set_text(shipped_sets()["bars-metal"]).replace("spacing = 1.9", "spacing = 2.7")
        store.save(ToSave("set", "shared-bars", "Shared bars", text), based_on=0)
    shown.address.setText(elsewhere)
    shown.address.editingFinished.emit()
    wait_until(lambda: "shared-bars" in user.session.sets.every())
    assert user.session.settings.library == elsewhere
    (tmp_path / "noise.db").write_text("no database at all, and longer than some bytes" * 40)
    shown.address.setText(f"sqlite:///{tmp_path / 'noise.db'}")
    shown.address.editingFinished.emit()
    wait_until(lambda: user.session.sets.problem is not None)
    user.window.refresh()
    assert "noise.db" in user.window.status.message.text()
    assert "bars-metal" in user.session.sets.every()
    shown.address.setText("")
    shown.address.editingFinished.emit()

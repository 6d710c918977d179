"""Saving a support's values: as a new set, as the next version, and when somebody else was quicker."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.saved import shop_sets


@pytest.fixture
def supported(with_parts):
    """A plate on bars of a shipped set, one value changed."""
    user = with_parts(box((12, 9, 2)))
    bench = user.station("supports")
    user.press(bench.support_all)
    user.settle()
    user.type_into(user.field("parameter.spacing"), "2.6")
    user.settle()
    return user, bench


def save_as(user, bench, title, why=""):
    user.trigger(bench.save_set.save_as)
    if why:
        user.type_into(bench.save_set.why, why)
    user.type_into(bench.save_set.title, title)  # Return saves it
    user.settle()


def test_values_become_a_new_set_that_the_support_is_of_and_the_next_is_made_with(supported):
    user, bench = supported
    assert not bench.save_set.save.isEnabled(), "sets that ship stay as they are"
    save_as(user, bench, "Wide lids", "lids that are stiff")
    assert user.session.support.set_name == "wide-lids"
    assert user.session.sets.every()["wide-lids"].parameters.spacing == 2.6
    assert bench.values.heading.text() == "Wide lids, version 1"
    assert bench.set_choice.currentData() == "wide-lids"
    assert not bench.save_set.naming.isVisible()
    other = shop_sets()
    other.look()
    assert other.every()["wide-lids"].note == "lids that are stiff"
    user.window.menus.run("undo")
    assert user.session.support.set_name != "wide-lids"
    assert "wide-lids" in user.session.sets.every(), "what is saved stays saved"


def test_an_own_set_gets_a_next_version_and_a_support_goes_back_to_its_set(supported):
    user, bench = supported
    save_as(user, bench, "Wide lids")
    user.type_into(user.field("parameter.spacing"), "2.8")
    user.settle()
    assert "1 changed" in bench.values.heading.text()
    user.trigger(bench.save_set.save)
    user.settle()
    assert bench.values.heading.text() == "Wide lids, version 2"
    assert user.session.job.support(user.session.support.id).set_version == 2
    user.type_into(user.field("parameter.spacing"), "3.1")
    user.settle()
    user.trigger(bench.save_set.back)
    user.settle()
    assert user.session.support.parameters.spacing == 2.8
    assert not bench.save_set.back.isEnabled()


def test_names_that_are_taken_are_refused_and_nothing_typed_is_lost(supported):
    user, bench = supported
    save_as(user, bench, "bars metal")
    assert "what another set is called" in user.window.status.message.text()
    assert bench.save_set.naming.isVisible()
    assert bench.save_set.title.text() == "bars metal"
    user.press(bench.save_set.cancel)
    assert not bench.save_set.naming.isVisible()
    assert set(user.session.sets.every()) == set(shipped_sets())


def test_the_second_to_save_sees_both_and_chooses_value_by_value(supported):
    user, bench = supported
    save_as(user, bench, "Wide lids")
    other = shop_sets()
    other.look()
    there = other.every()["wide-lids"]
    theirs = there.parameters.with_value("spacing", 3.4).with_value("tip_diameter", 0.45)
    other.save(replace(there, parameters=theirs))
    user.type_into(user.field("parameter.spacing"), "2.9")
    user.type_into(user.field("parameter.sides"), "10")
    user.settle()
    user.trigger(bench.save_set.save)
    panel = bench.save_set
    assert panel.conflict.isVisible()
    assert "has saved version 2 meanwhile" in panel.conflict.note.text()
    rows = dict(panel.conflict.values._model.rows)
    assert {key: cells[3] for key, cells in rows.items()} == {
        ("value", "spacing"): "yours", ("value", "tip_diameter"): "theirs", ("value", "sides"): "yours"
    }  # fmt: skip
    user.click_row(panel.conflict.values, ("value", "spacing"))
    assert {key: cells[3] for key, cells in panel.conflict.values._model.rows}["value", "spacing"] == "theirs"
    user.press(panel.conflict.merge)
    user.settle()
    kept = user.session.sets.every()["wide-lids"]
    assert (kept.version, kept.parameters.spacing, kept.parameters.tip_diameter, kept.parameters.sides) == (
        3,
        3.4,
        0.45,
        10,
    )
    assert user.session.support.parameters == kept.parameters
    assert not panel.conflict.isVisible()
    assert [old.version for old in user.session.sets.store().history("set", "wide-lids")] == [1, 2, 3]


def test_a_library_that_cannot_be_written_leaves_the_job_as_it_is(supported, monkeypatch, tmp_path):
    user, bench = supported
    (tmp_path / "broken.db").write_bytes(b"no tables at all, " * 80)
    monkeypatch.setenv("LEAN_TRELLIS_LIBRARY", f"sqlite:///{tmp_path / 'broken.db'}")
    user.session.sets = shop_sets()
    job = user.session.job
    save_as(user, bench, "Wide lids")
    assert "broken.db: cannot be used" in user.window.status.message.text()
    assert user.session.job is job
    assert bench.save_set.title.text() == "Wide lids"


def offered(menu):
    menu.aboutToShow.emit()
    return {action.data(): action for action in menu.actions()}


def test_from_now_on_makes_one_value_the_default_and_leaves_the_others_with_the_support(supported):
    user, bench = supported
    user.type_into(user.field("parameter.sides"), "12")
    user.settle()
    values = offered(bench.save_set.from_now_on)
    assert set(values) == {"spacing", "sides"}
    user.trigger(values["sides"])
    user.settle()
    (own,) = (one for one in user.session.sets.every().values() if user.session.sets.is_own(one.name))
    assert own.title == "Metal, general, own"
    assert (own.parameters.sides, own.parameters.spacing) == (12, 1.9)
    support = user.session.support
    assert (support.set_name, support.parameters.spacing) == (own.name, 2.6)
    assert bench.set_choice.currentData() == own.name
    user.trigger(offered(bench.save_set.from_now_on)["spacing"])
    user.settle()
    own = user.session.sets.every()[own.name]
    assert (own.version, own.parameters.spacing, own.parameters.sides) == (2, 2.6, 12)
    assert not bench.save_set.from_now_on.isEnabled()


def test_a_later_version_of_the_set_is_named_shown_in_numbers_and_taken(supported):
    user, bench = supported
    save_as(user, bench, "Wide lids")
    other = shop_sets()
    other.look()
    mine = other.every()["wide-lids"]
    other.save(replace(mine, parameters=mine.parameters.with_value("spacing", 2.0)), why="closer")
    user.session.sets.look()
    bench.refresh()
    user.settle()
    assert "version 2 is saved" in bench.values.heading.text()
    assert "set_changed" in {one.code for one in user.session.findings()}
    bench.tabs.show_page("problems")
    user.settle()
    (words,) = (words for words in bench.problems.cures if words.startswith("Take version 2"))
    user.press(bench.problems.cures[words])
    user.settle()
    told = bench.problems.cures[words].text()
    assert "cm³" in told
    assert user.session.support.parameters.spacing == 2.6, "nothing is taken before the numbers are seen"
    user.press(bench.problems.cures[words])
    user.settle()
    assert (user.session.support.parameters.spacing, user.session.support.set_version) == (2.0, 2)
    assert "set_changed" not in {one.code for one in user.session.findings()}

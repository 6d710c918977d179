"""Sets that a shop has saved, beside those that ship."""

from __future__ import annotations

import threading
from dataclasses import replace

import pytest

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.saved import SETS
from lean_trellis.core.shop.saved import Saved
from lean_trellis.core.shop.store.kept import ChangedMeanwhileError, StoreError, ToSave
from lean_trellis.core.shop.store.store import open_store


@pytest.fixture
def url(tmp_path):
    return f"sqlite:///{tmp_path / 'library.db'}"


@pytest.fixture
def sets(url):
    return Saved(SETS, lambda: open_store(url))


def closer(sets, name, spacing=1.5):
    there = sets.every()[name]
    return replace(there, parameters=there.parameters.with_value("spacing", spacing))


def test_a_new_set_is_offered_beside_the_shipped_ones_and_saved_again_as_the_next_version(sets, url):
    made = sets.save_as(closer(sets, "bars-metal"), "Our close bars", note="for lids", why="lids sagged")
    assert (made.name, made.version, made.title) == ("our-close-bars", 1, "Our close bars")
    assert sets.every()["our-close-bars"] == made
    assert set(shipped_sets()) < set(sets.every())
    assert sets.is_own("our-close-bars")
    assert not sets.is_own("bars-metal")
    again = sets.save(closer(sets, made.name, 1.4), why="closer still")
    assert again.version == 2
    other = Saved(SETS, lambda: open_store(url))
    other.look()
    assert other.every()[made.name].parameters.spacing == 1.4
    assert [old.why for old in sets.store().history("set", made.name)] == ["lids sagged", "closer still"]


def test_names_that_are_taken_and_shipped_sets_are_refused(sets):
    for title in ("bars metal", "Bars-Metal"):
        with pytest.raises(LibraryError, match="what another set is called"):
            sets.save_as(closer(sets, "bars-metal"), title)
    with pytest.raises(LibraryError, match="no name"):
        sets.save_as(closer(sets, "bars-metal"), " ?! ")
    with pytest.raises(LibraryError, match="save it as a new set"):
        sets.save(closer(sets, "bars-metal"))


def test_the_second_to_save_is_told(sets, url):
    made = sets.save_as(closer(sets, "bars-metal"), "Ours")
    other = Saved(SETS, lambda: open_store(url))
    other.look()
    theirs = other.save(closer(other, made.name, 1.3))
    with pytest.raises(ChangedMeanwhileError) as caught:
        sets.save(replace(made, parameters=made.parameters.with_value("spacing", 1.2)))
    assert caught.value.theirs.version == theirs.version == 2


def test_what_is_put_away_is_offered_no_more_until_it_is_brought_back(sets):
    made = sets.save_as(closer(sets, "bars-metal"), "Ours")
    sets.put_away(made.name, why="coarse")
    assert made.name not in sets.every()
    sets.bring_back(made.name)
    assert sets.every()[made.name].parameters == made.parameters


def test_a_library_that_is_lost_leaves_what_was_read_and_is_taken_up_again(url, monkeypatch):
    is_there = [True]

    def opened():
        if not is_there[0]:
            raise StoreError("shop", "cannot be used (gone)", "see whether it is there")
        return open_store(url)

    first = Saved(SETS, opened)
    first.save_as(closer(first, "bars-metal"), "Ours")
    is_there[0] = False
    sets = Saved(SETS, opened)
    sets.look()
    assert set(sets.every()) == set(shipped_sets())
    assert "gone" in str(sets.problem)
    is_there[0] = True
    sets.look()
    assert "ours" in sets.every()
    assert sets.problem is None


def test_what_a_newer_program_has_saved_is_passed_over_and_said(sets):
    sets.save_as(closer(sets, "bars-metal"), "Ours")
    sets.store().save(
        ToSave("set", "strange", "Strange", 'title = "Strange"\nfamily = "ropes"\n[parameters]\n'), based_on=0
    )
    sets.look()
    assert "strange" not in sets.every()
    assert "ours" in sets.every()
    (fault,) = sets.faults
    assert "set strange" in str(fault)


def test_asking_never_waits_and_what_others_save_comes_by_itself(url, monkeypatch):
    first = Saved(SETS, lambda: open_store(url))
    first.save_as(closer(first, "bars-metal"), "Ours")
    may_open = threading.Event()

    def slowly():
        may_open.wait(30)
        return open_store(url)

    sets = Saved(SETS, slowly)
    assert set(sets.every()) == set(shipped_sets()), "the library has not answered yet"
    may_open.set()
    sets._looks.join(30)
    assert "ours" in sets.every()
    absent = Saved(SETS, slowly, is_there=lambda: False)
    absent.every()
    assert absent._looks is None

"""What a shop asks of its releases."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import LibraryError
from lean_trellis.core.shop.address import ADDRESS
from lean_trellis.core.shop.rules import ShopRules, save_rules, shop_rules
from lean_trellis.core.shop.store.kept import StoreError, ToSave
from lean_trellis.core.shop.store.store import open_store


@pytest.fixture(autouse=True)
def path(tmp_path, monkeypatch):
    monkeypatch.setenv(ADDRESS, f"sqlite:///{tmp_path / 'library.db'}")
    return tmp_path / "library.db"


def test_without_a_library_the_usual_ones_hold():
    assert shop_rules() == ShopRules()
    assert not shop_rules().two_people


def test_they_are_kept_with_every_version():
    save_rules(ShopRules(two_people=True), why="two pairs of eyes")
    save_rules(ShopRules(two_people=False))
    save_rules(ShopRules(two_people=True))
    assert shop_rules().two_people
    store = open_store()
    assert [one.version for one in store.history("rules", "release")] == [1, 2, 3]
    store.close()


def test_a_gate_that_cannot_read_its_rules_stays_shut(path):
    store = open_store()
    store.save(ToSave("rules", "release", "x", '{"two_people": "perhaps"}'), based_on=0)
    store.close()
    with pytest.raises(LibraryError, match="rules of the shop: cannot be read"):
        shop_rules()
    path.write_bytes(b"rubbish" * 1000)
    with pytest.raises(StoreError):
        shop_rules()

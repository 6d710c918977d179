"""Sets and recipes in the shop library: what is saved is what is read."""

from __future__ import annotations

import pytest

from lean_trellis.core.sets.saved import shop_recipes, shop_sets


@pytest.mark.parametrize(("make", "base"), [(shop_sets, "bars-metal"), (shop_recipes, "vat-standard")])
def test_things_are_saved_with_their_heads_and_all_their_versions(make, base):
    saved = make()
    first = saved.save_as(saved.every()[base], "Lids, ours", note="for lids", why="lids sagged")
    head = saved.form.head(first)
    assert (head.id, head.name, head.version, head.note) == ("lids-ours", "Lids, ours", 1, "for lids")
    renamed = saved.form.with_head(first, type(head)(head.id, "Lids", head.version, head.owner, "for all lids"))
    saved.save(renamed, why="a shorter name")
    other = make()
    other.look()
    again = other.all["lids-ours"]
    assert saved.form.head(again) == type(head)("lids-ours", "Lids", 2, head.owner, "for all lids")
    assert saved.form.text(saved.form.with_head(again, head)) == saved.form.text(first)
    assert [(one.version, one.why) for one in other.history("lids-ours")] == [(1, "lids sagged"), (2, "a shorter name")]
    assert other.history(base) == ()
    other.put_away("lids-ours")
    assert [one.id for one in other.away()] == ["lids-ours"]
    assert base in other.all
    assert "lids-ours" not in other.all

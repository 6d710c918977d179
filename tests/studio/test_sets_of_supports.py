"""The next support and the current one have a control each; nothing is doubled or replaced unasked."""

from __future__ import annotations

import pytest

from lean_trellis.core.job.edits import set_build_offset
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold


@pytest.fixture
def bench_of(with_parts):
    user = with_parts(box((30, 20, 4)))
    user.session.do(lambda job: set_build_offset(job, ["part-1"], 8.0))
    bench = user.station("supports")
    user.settle()
    user.choose(bench.set_choice, "bars-metal")
    user.press(bench.support_all)
    user.settle()
    return user, bench


def test_choosing_the_next_set_leaves_the_support_that_is_there(bench_of):
    user, bench = bench_of
    before = user.session.job
    user.choose(bench.set_choice, "wall-flank")
    user.settle()
    assert user.session.job is before
    assert bench.set_choice.currentData() == "wall-flank", "and the choice stays for the next one"
    user.session.select(support="")
    user.session.select(support="support-1")
    assert bench.set_choice.currentData() == "wall-flank"


def test_changing_the_set_of_a_support_says_what_it_replaces_and_can_be_undone(bench_of):
    user, bench = bench_of
    bars = user.session.totals(user.session.support).counted
    bench.menu.sets.aboutToShow.emit()
    words = {action.data(): action.text() for action in bench.menu.sets.actions()}
    assert words["wall-flank"].endswith(f"instead of {bars}")
    assert words["bars-metal"].endswith("(now)")
    assert words["bars-metal-braced"].endswith("other values")
    assert "bars-resin-fine" not in words, "sets of another process are not offered"
    user.change_set("lattice-metal")
    assert str(bars) in user.window.status.message.text()
    user.settle()
    assert user.session.support.set_name == "lattice-metal"
    user.window.menus.run("undo")
    user.settle()
    assert user.session.totals(user.session.support).counted == bars


def test_support_all_twice_asks_and_replaces_or_adds_or_does_nothing(bench_of):
    user, bench = bench_of
    before = user.session.job
    user.press(bench.support_all)
    assert bench.already.isVisible()
    assert str(user.session.totals(before.supports[0]).counted) in bench.already.words.text()
    user.press(bench.already.cancel)
    assert user.session.job is before
    assert not bench.already.isVisible()
    user.choose(bench.set_choice, "bars-metal-braced")
    user.press(bench.support_all)
    user.press(bench.already.replace)
    user.settle()
    assert [support.set_name for support in user.session.job.supports] == ["bars-metal-braced"]
    user.window.menus.run("undo")
    assert user.session.job is before, "one step"
    user.press(bench.support_all)
    user.press(bench.already.beside)
    user.settle()
    assert len(user.session.job.supports) == 2
    twice = [finding for finding in user.session.findings() if finding.code == "supported_twice"]
    assert len(twice) == 1


def test_another_family_or_another_region_is_added_without_a_question(bench_of):
    user, bench = bench_of
    user.choose(bench.set_choice, "raft-follow")
    user.press(bench.support_all)
    user.settle()
    assert not bench.already.isVisible()
    assert [support.set_name for support in user.session.job.supports] == ["bars-metal", "raft-follow"]


def test_sets_that_suit_the_kind_of_the_selected_region_are_offered_first(with_parts):
    """A roof with a bar below that lies on its edge."""
    bar = to_manifold(box((6, 20, 6))).rotate((0, 45, 0)).translate((15, 0, 10))
    roof = to_manifold(box((40, 20, 3), corner=(0, 0, 12))) + bar
    user = with_parts(from_manifold(roof))
    bench = user.station("supports")
    user.settle()
    regions = user.session.regions(user.session.part).regions
    first = {}
    for kind in ("edge", "face"):
        number = next(region.id for region in regions if region.kind == kind)
        user.session.select(regions=frozenset({number}))
        names = [str(bench.set_choice.itemData(place)) for place in range(bench.set_choice.count())]
        sets = [name for name in names if not name.startswith("recipe:")]
        first[kind] = sets.index("wall-line"), sets.index("lattice-metal"), sets.index("block-plain")
    wall, lattice, block = first["edge"]
    assert wall < lattice, "no lattice serves an edge"
    assert wall < block
    wall, lattice, block = first["face"]
    assert lattice < wall < block

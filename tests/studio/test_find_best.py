"""Find the best in the window: values opened, tried, one taken, kept as a trial, saved as a set."""

from __future__ import annotations

import pytest

from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def searched(with_parts):
    user = with_parts(box((9, 7, 3)))
    bench = user.station("supports")
    user.settle()
    user.open_tab(bench.recipe)
    user.settle()
    best = bench.recipe.best
    user.unfold(best)
    user.choose(best.value, "spacing")
    user.type_into(best.low, "1.5")
    user.type_into(best.high, "1.9")
    user.press(best.add)
    user.choose(best.value, "pattern")
    user.press(best.add)
    assert best.table.keys() == ["spacing", "pattern"]
    user.type_into(best.most, "4")
    user.press(best.go)
    user.settle()
    return user, bench, best


def test_what_was_found_is_chosen_taken_kept_and_saved(searched):
    user, _, best = searched
    assert "4 tried" in best.words.text()
    place = best._values.best[0]
    best.scatter.selected.emit(place)
    candidate = best._values.candidates[place]
    assert "Spacing" in best.words.text()
    assert "utilisation" in best.words.text()
    user.bring_into_view(best.take)
    user.press(best.take)
    user.settle()
    (support,) = user.session.job.supports
    assert (support.parameters.spacing, support.parameters.pattern) == candidate.values
    user.window.menus.run("undo")
    best.scatter.selected.emit(place)
    user.type_into(best.title, "found ones")
    user.press(best.keep)
    user.settle()
    assert [trial.name for trial in user.session.job.trials] == ["found ones"]
    assert user.session.job.supports == ()
    user.type_into(best.title, "Our found bars")
    user.press(best.save)
    assert user.session.sets.every()["our-found-bars"].parameters.spacing == candidate.values[0]


def test_a_value_is_fixed_again_and_nothing_is_searched_without_one(searched):
    user, _, best = searched
    for key in ("spacing", "pattern"):
        best.table.pick([key])
        user.press(best.close_one)
    assert best.table.keys() == []
    assert not best.go.isEnabled()
    user.choose(best.value, "spacing")
    user.type_into(best.low, "5")
    user.type_into(best.high, "2")
    user.press(best.add)
    assert "no range" in user.window.status.message.text()

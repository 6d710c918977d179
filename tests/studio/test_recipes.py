"""A recipe in place of a set: one support a rule, asked before anything is supported twice."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt

from lean_trellis.core.job.edits import choose_machine
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold


@pytest.fixture
def lidded(with_parts, library):
    """A lid with a broad underside and a small peg below it, in a vat: the vat's recipe has a rule for each."""
    solid = to_manifold(box((20, 14, 3), corner=(0, 0, 6))) + to_manifold(box((2, 2, 3), corner=(9, 6, 4)))
    user = with_parts(from_manifold(solid))
    user.session.do(lambda job: choose_machine(job, library.machine("vat-150"), library.material("resin-model")))
    bench = user.station("supports")
    user.settle()
    return user, bench


def test_a_recipe_makes_a_support_for_each_of_its_rules_in_one_step(lidded):
    user, bench = lidded
    user.choose(bench.set_choice, "recipe:vat-standard")
    regions = [region for region in user.session.regions(user.session.part).regions if not region.left_out]
    small = [region for region in regions if region.kind != "face" or region.area_mm2 < 12]
    assert 0 < len(small) < len(regions)
    user.press(bench.support_all)
    user.settle()
    made = {support.set_name: len(support.target) for support in user.session.job.supports}
    assert made == {"bars-resin-regular": len(regions) - len(small), "bars-resin-fine": len(small)}
    assert user.session.undo_title.endswith("by Vat, standard")
    user.window.menus.run("undo")
    assert user.session.job.supports == ()


def test_what_is_supported_already_is_asked_about_and_replaced_by_the_recipe(lidded):
    user, bench = lidded
    user.choose(bench.set_choice, "bars-resin-stout")
    user.press(bench.support_all)
    user.settle()
    user.choose(bench.set_choice, "recipe:vat-standard")
    user.press(bench.support_all)
    assert bench.already.isVisible()
    user.press(bench.already.replace)
    user.settle()
    assert {support.set_name for support in user.session.job.supports} == {"bars-resin-regular", "bars-resin-fine"}
    assert all(support.target is not None for support in user.session.job.supports)


def test_only_the_selected_regions_are_supported_where_that_is_asked(lidded):
    user, bench = lidded
    user.choose(bench.set_choice, "recipe:vat-standard")
    broad = max(user.session.regions(user.session.part).regions, key=lambda region: region.area_mm2)
    user.session.select(regions=frozenset({broad.id}))
    user.settle()
    user.press(bench.support_selected)
    user.settle()
    (support,) = user.session.job.supports
    assert (support.set_name, len(support.target)) == ("bars-resin-regular", 1)


def test_recipes_of_other_processes_are_not_offered(lidded):
    _, bench = lidded
    offered = [bench.set_choice.itemData(place) for place in range(bench.set_choice.count())]
    assert [one for one in offered if one.startswith("recipe:")] == ["recipe:vat-standard"]


def test_what_a_material_was_supported_with_last_is_offered_first_the_next_time(lidded):
    user, bench = lidded
    user.choose(bench.set_choice, "bars-resin-stout")
    user.press(bench.support_all)
    user.settle()
    assert user.session.settings.last_supports == {user.session.job.material.id: "bars-resin-stout"}
    bench.set_choice.clear()
    bench.refresh()
    assert bench.set_choice.currentData() == "bars-resin-stout"
    place = bench.set_choice.findData("bars-resin-fine")
    assert "tip diameter 0.3 mm" in bench.set_choice.itemData(place, Qt.ItemDataRole.ToolTipRole)

"""Recipes: which rule takes which region, and the text that they are kept as."""

from __future__ import annotations

import pytest
from checked_parts import codes, job_of
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.errors import LibraryError
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import (
    RANGES,
    Recipe,
    Rule,
    read_recipe_file,
    read_recipe_text,
    recipe_text,
    shipped_recipes,
    usual_recipe,
)

SETS = shipped_sets()


def test_a_recipe_supports_a_part_in_one_step(library, metal):
    job = job_of(metal, ball(8))
    edit = apply_recipe(job, "part-1", shipped_recipes()["metal-standard"], SETS, Pipeline().graph).edit
    assert [s.set_name for s in edit.job.supports] == ["bars-metal"]
    assert codes(edit.job) == []


def test_the_first_rule_that_fits_takes_a_region():
    recipe = shipped_recipes()["vat-standard"]
    regions = [RegionTraits(0, "face", area_mm2=50), RegionTraits(1, "face", area_mm2=3), RegionTraits(2, "point")]
    taken = recipe.assigned(regions, "vat", "resin-model")
    assert dict(taken.by_rule) == {"Broad regions": (0,), "Small regions, edges and points": (1, 2)}
    for kept in shipped_recipes().values():
        kept.require_known(SETS)


REGION = RegionTraits(0, "face", 20.0, 30.0, 5.0, 12.0, is_inner=True, is_protected=False)


@pytest.mark.parametrize(
    ("inside", "outside"),
    [({f"least_{key}": value}, {f"most_{key}": value - 0.1})
     for key, value in (("angle", 20), ("area", 30), ("span", 5), ("height", 12))]
    + [({f"most_{key}": value}, {f"least_{key}": value + 0.1})
       for key, value in (("angle", 20), ("area", 30), ("span", 5), ("height", 12))]
    + [({"place": "inner"}, {"place": "outer"}), ({"surface": "free"}, {"surface": "protected"}),
       ({"kinds": ("face",)}, {"kinds": ("edge", "island")})],
)  # fmt: skip
def test_every_condition_takes_a_region_or_leaves_it(inside, outside):
    assert Rule(set="bars-metal", **inside).fits(REGION)
    assert not Rule(set="bars-metal", **outside).fits(REGION)


def test_an_island_is_a_region_of_any_kind_and_edges_have_no_area():
    rule = Rule(set="bars-metal", kinds=("island",))
    assert rule.fits(RegionTraits(0, "point", is_island=True))
    assert not rule.fits(RegionTraits(0, "point"))
    assert Rule(set="bars-metal", least_area=5).fits(RegionTraits(0, "edge"))


def test_rules_for_other_materials_and_processes_are_passed_over():
    rules = ({"name": "A", "set": "bars-metal", "materials": ["titanium-64"]},
             {"name": "B", "set": "bars-metal", "processes": ["vat"]}, {"name": "C", "set": "bars-metal"})  # fmt: skip
    recipe = Recipe(id="x", title="X", process="any", rules=rules)
    for process, material, name in (("powder_bed", "titanium-64", "A"), ("vat", "resin-model", "B"),
                                    ("powder_bed", "steel-316l", "C")):  # fmt: skip
        assert list(recipe.assigned([REGION], process, material).by_rule) == [name]


def test_the_shops_own_recipe_for_the_material_is_offered_first():
    shipped = shipped_recipes()
    assert usual_recipe(shipped, "powder_bed", "steel-316l").id == "metal-standard"
    rules = ({"set": "bars-metal"},)
    own = Recipe(id="own", title="Own", process="powder_bed", rules=rules)
    for_steel = Recipe(id="steel", title="Steel", process="powder_bed", materials=("steel-316l",), rules=rules)
    every = {**shipped, "own": own, "steel": for_steel}
    assert usual_recipe(every, "powder_bed", "steel-316l").id == "steel"
    assert usual_recipe(every, "powder_bed", "titanium-64").id == "own"
    assert usual_recipe({}, "vat", "resin-model") is None


bounds = st.one_of(st.none(), st.floats(0, 90))


@st.composite
def rules(draw, name):
    least, most = {}, {}
    for key in RANGES:
        ends = sorted(value for value in (draw(bounds), draw(bounds)) if value is not None)
        least[f"least_{key}"] = ends[0] if ends else None
        most[f"most_{key}"] = ends[1] if len(ends) == 2 else None
    kinds = tuple(draw(st.lists(st.sampled_from(["face", "edge", "point", "island"]), min_size=1, unique=True)))
    common = {"name": name, "kinds": kinds, **least, **most, "place": draw(st.sampled_from(["any", "inner", "outer"])),
              "surface": draw(st.sampled_from(["any", "protected", "free"]))}  # fmt: skip
    if draw(st.booleans()):
        return Rule(**common, leave=draw(st.text(st.characters(categories=("L", "Nd")), min_size=1)))
    values = {"spacing": draw(st.floats(0.5, 9)), "landing": "plate_only", "sides": 6, "rim_row": draw(st.booleans())}
    also = ({"set": "lattice-metal", "values": {"turn": 20.0}},) if draw(st.booleans()) else ()
    return Rule(**common, set="bars-metal", values=values, also=also)


@given(st.data())
def test_a_recipe_written_and_read_again_is_equal(data):
    chosen = tuple(data.draw(rules(f"Rule {number}")) for number in range(data.draw(st.integers(1, 3))))
    detection = {"critical_angle": data.draw(bounds), "smallest_region": data.draw(bounds)}
    recipe = Recipe(id="ours", title="Our recipe", process="powder_bed", materials=("steel-316l",), version=3,
                    owner="mallow", note="For lids.", detection=detection, rules=chosen)  # fmt: skip
    assert read_recipe_text(recipe_text(recipe), "ours", "here") == recipe


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [('set = "bars-resin-fine"', 'sett = "x"', "line 16, key 'rules.1"), ("least_area = 12", "least_area = -1", "line"),
     ('kinds = ["face"]', 'kinds = ["lid"]', "line"), ('title = "Vat, standard"', "titel = 3", "title"),
     ('set = "bars-resin-regular"', 'set = "bars-resin-regular"\nleave = "so"', "name a set, or say in leave")],
)  # fmt: skip
def test_what_is_wrong_is_named_with_file_line_and_key(tmp_path, old, new, words):
    text = recipe_text(shipped_recipes()["vat-standard"])
    path = tmp_path / "ours.toml"
    assert old in text
    path.write_text(text.replace(old, new, 1), encoding="utf-8")
    with pytest.raises(LibraryError, match=words) as caught:
        read_recipe_file(path)
    assert str(caught.value).startswith(str(path))


def test_rules_that_name_what_there_is_none_of_are_refused_with_the_rule():
    for use, words in (({"set": "bars-mettal"}, "bars-metal"), ({"set": "bars-metal", "values": {"spaceing": 2}},
                       "spacing"), ({"set": "bars-metal", "values": {"spacing": -2}}, "spacing")):  # fmt: skip
        recipe = Recipe(id="x", title="X", process="any", rules=({"name": "Lids", **use},))
        with pytest.raises(LibraryError, match=f"X, Lids.*{words}"):
            recipe.require_known(SETS)
    with pytest.raises(ValueError, match="two rules have one name"):
        Recipe(id="x", title="X", process="any", rules=({"name": "A", "set": "b"}, {"name": "A", "set": "c"}))

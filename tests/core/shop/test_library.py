"""The shop library and parameter sets: complete, validated, errors that name file and key."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import LibraryError, ParameterError, UnknownNameError
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.parameter_set import SHIPPED as SETS
from lean_trellis.core.sets.parameter_set import read_set
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.core.shop import Machine, Material, load_library
from lean_trellis.core.shop.library import SHIPPED, read_model
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.parameters import require_self_holding
from lean_trellis.core.supports.common.parameters import QUESTIONS, validated
from lean_trellis.core.supports.common.spec import require_buildable

MACHINES = {"metal-260", "metal-120", "vat-150", "vat-200", "filament-320", "belt-260"}
MATERIALS = {
    "steel-316l", "titanium-64", "aluminium-si10mg", "cobalt-chrome", "resin-model", "resin-castable", "resin-denture",
    "resin-splint", "pla", "petg", "abs", "nylon-cf",
}  # fmt: skip


def test_the_library_holds_every_id(library):
    assert set(library.machines) == MACHINES
    assert set(library.materials) == MATERIALS


def test_plates_have_the_sizes_that_are_promised(library):
    assert (library.machine("metal-260").plate.width, library.machine("metal-260").plate.depth) == (260, 220)
    small = library.machine("metal-120")
    assert (small.plate.shape, small.plate.width, small.height) == ("round", 120, 95)
    assert library.machine("belt-260").layer_normal == pytest.approx((0, -np.sqrt(0.5), np.sqrt(0.5)))


def test_every_constant_has_a_source_and_every_machine_a_material(library):
    for material in library.materials.values():
        for constant in (*material.constants.values(), *material.shrinkage):
            assert constant.is_assumed or len(constant.source) > 10
        assert material.detection.source
        assert material.usual_layer_height in [layer.height for layer in material.layers]
    for machine in library.machines.values():
        fitting = library.materials_for(machine)
        assert fitting
        assert any(machine.layer_least <= m.usual_layer_height <= machine.layer_most for m in fitting)


def test_every_shipped_set_holds_itself_in_every_material_of_its_process(library):
    for chosen in shipped_sets().values():
        for material in library.materials.values():
            if chosen.suits(material.process):
                require_buildable(chosen.parameters, material.detection.critical_angle)


def test_a_round_plate_knows_what_lies_on_it(library):
    plate = library.machine("metal-120").plate
    assert plate.holds(np.array([[60, 60], [119, 60], [5, 5], [60, 121]])).tolist() == [
        True,
        True,
        False,
        False,
    ]
    assert plate.excess(np.array([[60.0, 130.0]]))[0] == pytest.approx(10)


def test_unknown_names_say_what_comes_close(library):
    with pytest.raises(UnknownNameError, match="did you mean steel-316l"):
        library.material("steel-316")


@pytest.mark.parametrize(
    ("old", "new", "key"),
    [
        ("critical_angle = 45", "critical_angle = 145", "detection.critical_angle"),
        ("watch_angle = 52", "watch_angle = 20", "detection"),
        ("usual = true", "usual = false", "layers"),
        ("density =", "densitty =", "density"),
        ("build_offset = 4.0", 'build_offset = "high"', "build_offset"),
        ('contact = "bite"', 'contact = "glue"', "contact"),
        ("name =", "colour =", "colour"),
    ],
)
def test_a_wrong_material_is_refused_with_file_and_key(tmp_path, old, new, key):
    text = (SHIPPED / "materials" / "steel-316l.toml").read_text(encoding="utf-8")
    assert old in text
    path = tmp_path / "steel-odd.toml"
    path.write_text(text.replace(old, new), encoding="utf-8")
    with pytest.raises(LibraryError) as caught:
        read_model(path, Material)
    assert str(path) in str(caught.value)
    assert key in str(caught.value) or "name" in str(caught.value)


def test_broken_toml_and_machines_are_refused(tmp_path):
    (tmp_path / "machines").mkdir()
    (tmp_path / "machines" / "bad.toml").write_text("name = ")
    with pytest.raises(LibraryError, match="no valid TOML"):
        load_library(tmp_path)
    text = (SHIPPED / "machines" / "metal-120.toml").read_text(encoding="utf-8").replace("depth = 120", "depth = 100")
    (tmp_path / "machines" / "bad.toml").write_text(text)
    with pytest.raises(LibraryError, match="equal width and depth"):
        read_model(tmp_path / "machines" / "bad.toml", Machine)


def test_sets_are_read_with_their_values_and_refused_with_the_key(tmp_path):
    assert shipped_sets()["bars-metal"].parameters.spacing == 2.6
    path = tmp_path / "mine.toml"
    path.write_text(
        (SETS / "bars-metal.toml").read_text(encoding="utf-8").replace("sides = 8", "sides = 2"),
        encoding="utf-8",
    )
    with pytest.raises(LibraryError, match=r"parameters\.sides"):
        read_set(path)


def test_parameters_are_declared_once_with_all_that_is_needed():
    for known in BarParameters.declared():
        assert known.label
        assert known.help.endswith(".")
        assert known.question in QUESTIONS
        if known.kind in ("number", "count", "optional_number"):
            assert known.least is not None
            assert known.most is not None
        if known.kind == "choice":
            assert len(known.choices) == len(known.choice_words) > 1


@pytest.mark.parametrize(
    ("values", "key"),
    [
        ({"spacing": 0}, "spacing"),
        ({"spacing": float("nan")}, "spacing"),
        ({"pattern": "swirls"}, "pattern"),
        ({"bite_depth": 3, "tip_length": 2}, "parameters"),
        ({"foot_diameter": 1, "shaft_diameter": 2}, "parameters"),
        ({"height_limit": -1}, "height_limit"),
        ({"spaccing": 2}, "spaccing"),
    ],
)
def test_nonsense_values_are_refused_with_the_key(values, key):
    with pytest.raises(ParameterError) as caught:
        validated(BarParameters, values)
    assert caught.value.subject == key
    assert caught.value.what


def test_a_set_that_would_not_hold_itself_is_refused_with_the_reason():
    with pytest.raises(ParameterError, match="below the critical angle of 45°; use 45° or less"):
        require_self_holding(BarParameters(lean_limit=50), 45)
    require_self_holding(BarParameters(lean_limit=45), 45)


def test_differences_tell_key_and_both_values():
    base = BarParameters()
    assert base.with_value("spacing", 2.0).differences(base) == {"spacing": (2.0, 3.0)}
    with pytest.raises(UnknownNameError, match="did you mean spacing"):
        base.with_value("spacin", 2.0)


def test_the_first_rule_that_fits_takes_a_region():
    recipe = shipped_recipes()["vat-standard"]
    nothing = np.zeros(0, np.int64)

    def region(number, kind, area):
        return Region(number, kind, nothing, nothing, area, area, 0, 0, 0, (0, 0, 0), (0, 0, 0))

    taken = recipe.assigned((region(0, "face", 50), region(1, "face", 3), region(2, "point", 0)))
    assert {place: [r.id for r in regions] for place, regions in taken.items()} == {0: [0], 1: [1, 2]}
    for kept in shipped_recipes().values():
        assert all(rule.set in shipped_sets() for rule in kept.rules)

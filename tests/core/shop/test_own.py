"""A shop's own machines and materials, values changed for one build, the same build elsewhere."""

from __future__ import annotations

from contextlib import closing

import numpy as np
import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import LibraryError, ParameterError, TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import (
    full_library,
    keep_own,
    own_folder,
    own_problems,
    shipped_library,
    take_in,
    toml_of,
)
from lean_trellis.core.shop.store.store import open_store
from lean_trellis.core.shop.values import differences, flat_values, with_value
from lean_trellis.core.shop.words import text_of, words_of


@pytest.fixture
def job(metal):
    job = edits.add_bodies(new_job(*metal, "Test"), [Body("slab", box((30, 20, 5)), 12)]).job
    return edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job


def test_every_shipped_thing_survives_its_own_file(library, tmp_path):
    for thing in (*library.machines.values(), *library.materials.values()):
        path = tmp_path / f"{thing.id}-copy.toml"
        path.write_text(toml_of(thing.model_copy(update={"name": f"{thing.name} copy"})), encoding="utf-8")
        taken = take_in(path)
        assert [d.key for d in differences(taken, thing)] == ["name"]


@pytest.mark.parametrize(("kind", "name"), [("machines", "metal-260"), ("materials", "resin-splint")])
def test_a_changed_copy_is_kept_and_found_again(library, kind, name):
    thing = getattr(library, kind)[name]
    kept = keep_own(thing, "Cellar No. 2")
    assert kept.id == "cellar-no-2"
    found = getattr(full_library(), kind)["cellar-no-2"]
    assert found == kept
    assert differences(found, thing) == differences(kept, thing)
    assert [d.key for d in differences(found, thing)] == ["name"]
    changed = keep_own(found.model_copy(update={"note": "re-levelled"} if kind == "machines" else {"build_offset": 9}),
                       "Cellar No. 2", why="moved")  # fmt: skip
    assert getattr(full_library(), kind)["cellar-no-2"] == changed
    with closing(open_store()) as store:
        assert [(one.version, one.why) for one in store.history(kind.removesuffix("s"), "cellar-no-2")] == [
            (1, ""), (2, "moved")
        ]  # fmt: skip


def test_files_of_earlier_versions_are_taken_over_once(library):
    folder = own_folder() / "materials"
    folder.mkdir(parents=True)
    steel = library.material("steel-316l").model_copy(update={"name": "Our steel", "build_offset": 7.5})
    path = folder / "our-steel.toml"
    path.write_text(toml_of(steel), encoding="utf-8")
    assert full_library().material("our-steel").build_offset == 7.5
    path.write_text(toml_of(steel.model_copy(update={"build_offset": 2.0})), encoding="utf-8")
    assert full_library().material("our-steel").build_offset == 7.5, "what is in the library stands"
    with closing(open_store()) as store:
        store.put_away("material", "our-steel")
    assert "our-steel" not in full_library().materials, "what was put away does not come back"
    assert own_problems() == ()


def test_a_library_that_cannot_be_read_leaves_what_ships_and_says_so(monkeypatch, tmp_path, library):
    (tmp_path / "noise.db").write_text("this is no database, and longer than a few bytes" * 20)
    monkeypatch.setenv("LEAN_TRELLIS_LIBRARY", f"sqlite:///{tmp_path / 'noise.db'}")
    assert full_library().machines == library.machines
    assert "noise.db" in str(own_problems()[0])


def test_names_of_shipped_things_and_no_names_are_refused(library):
    for name in ("metal 260", "PLA", "  ", "!!"):
        with pytest.raises(LibraryError):
            keep_own(library.machine("metal-260"), name)


def test_a_dropped_file_that_is_wrong_names_file_and_key(library, tmp_path):
    path = tmp_path / "oven.toml"
    path.write_text("heat = 3\n")
    with pytest.raises(LibraryError, match="no machine and no material"):
        take_in(path)
    path.write_text(toml_of(library.machine("vat-150")).replace("height = 170.0", "height = -4.0"), encoding="utf-8")
    with pytest.raises(LibraryError, match="height"):
        take_in(path)
    folder = own_folder() / "machines"
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "broken.toml").write_text("plate = [")
    assert "broken" not in full_library().machines
    (problem,) = own_problems()
    assert str(folder / "broken.toml") in str(problem)


def test_one_value_is_changed_for_this_build_and_says_so(job):
    changed = edits.change_material(job, "constants.price.value", 55.0).job
    assert changed.material.constants["price"].value == 55
    assert changed.material.constants["price"].source == "assumed: changed by hand"
    (difference,) = differences(changed.material, job.material)
    assert (difference.key, difference.here, difference.there) == ("constants.price.value", 55.0, 42.0)
    smaller = edits.change_machine(job, "plate.width", 90.0).job
    assert smaller.machine.plate.width == 90
    moved = edits.move_part(smaller, "part-1", 85, 50).job
    assert "outside_volume" in {f.code for f in Pipeline().findings(moved)}


@pytest.mark.parametrize(
    ("key", "value"), [("plate.width", -3.0), ("plate.colour", 3.0), ("height", "tall"), ("x.y", 1)]
)
def test_values_that_cannot_be_are_refused_with_their_key(job, key, value):
    with pytest.raises(ParameterError, match=key.split(".")[0]):
        with_value(job.machine, key, value)


def test_changed_values_and_the_lot_are_saved_with_the_job(job, library, tmp_path):
    job = edits.set_lot(edits.change_material(job, "detection.critical_angle", 40.0).job, " 26-114 ").job
    save_job(job, tmp_path / "a.trellis")
    opened = open_job(tmp_path / "a.trellis", library)
    assert opened.material == job.material
    assert opened.machine == job.machine
    assert (opened.lot, opened.critical_angle(opened.parts[0])) == ("26-114", 40.0)


def test_the_same_build_on_another_machine_keeps_poses_and_supports(job, library):
    job = edits.turn_part(job, "part-1", "y", 30).job
    other = edits.same_on(job, library.machine("vat-150"), library.material("resin-castable"))
    one, two = job.parts[0].pose, other.parts[0].pose
    assert two.rotation == one.rotation
    assert two.build_offset == library.material("resin-castable").build_offset
    middle = np.array(job.machine.plate.middle), np.array(other.machine.plate.middle)
    np.testing.assert_allclose(np.array([two.x, two.y]) - middle[1], np.array([one.x, one.y]) - middle[0])
    assert other.supports == job.supports
    assert len(Pipeline().bars(other.supports[0], other)) > 0
    with pytest.raises(TrellisError, match="cannot build"):
        edits.same_on(job, library.machine("vat-150"), library.material("pla"))


def test_a_process_belongs_to_machine_material_and_layer_height(library):
    job = new_job(library.machine("vat-150"), library.material("resin-model"))
    assert job.constants["exposure_time"].value == 2.1
    assert edits.set_layer_height(job, 0.1).job.constants["exposure_time"].value == 3.4
    larger = edits.choose_machine(job, library.machine("vat-200"), job.material).job
    assert larger.constants["exposure_time"].value == 2.6
    assert larger.constants["density"] == job.constants["density"]


def test_the_plates_temperature_follows_its_surface(library):
    job = new_job(library.machine("filament-320"), library.material("pla"))
    assert job.constants["plate_temperature"].value == 58
    textured = edits.fit(job, surface="textured sheet").job
    assert textured.constants["plate_temperature"].value == 62
    with pytest.raises(TrellisError, match="does not fit"):
        edits.fit(job, surface="marble")


def test_a_tray_that_is_not_validated_stops(library, tmp_path):
    job = new_job(library.machine("vat-150"), library.material("resin-castable"))
    job = edits.add_bodies(job, [Body("ring", box((8, 8, 3)), 12)]).job
    codes = lambda of: {f.code for f in Pipeline().findings(of)}  # noqa: E731
    good = edits.fit(job, fitting="clear film tray").job
    wrong = edits.fit(job, fitting="opaque film tray").job
    assert "fitting_not_validated" not in codes(good)
    assert "fitting_not_validated" in codes(wrong)
    save_job(wrong, tmp_path / "w.trellis")
    assert open_job(tmp_path / "w.trellis", library).fitting == "opaque film tray"
    moved = edits.choose_machine(wrong, library.machine("vat-200"), wrong.material).job
    assert moved.fitting == ""


# --- values in words ---


def test_every_value_of_the_library_is_called_by_a_name_and_not_by_its_key():
    library = shipped_library()
    for thing in (*library.machines.values(), *library.materials.values()):
        values = flat_values(thing)
        labels = {key: words_of(key, values).label for key in values if not key.endswith((".unit", ".source"))}
        assert [key for key, label in labels.items() if label == key or "_" in label] == []
        assert len(set(labels.values())) == len(labels), f"{thing.id}: two values share a name"


def test_values_are_read_with_their_units():
    library = shipped_library()
    steel, belt = flat_values(library.materials["steel-316l"]), flat_values(library.machines["belt-260"])
    for key, told in (
        ("constants.density.value", "7.95 g/cm³"),
        ("constants.plate_temperature.value", "80 °C"),
        ("detection.critical_angle", "45°"),
        ("free_span.spans.1", "1.8 mm"),
        ("layers.1.usual", "yes"),
    ):
        assert text_of(key, steel[key], steel) == told
    assert words_of("free_span.spans.1", steel).label == "Free span at 20°"
    assert words_of("processes.0.constants.recoat_time.value", steel).label == "Recoating on metal-120"
    assert text_of("belt_tilt_deg", belt["belt_tilt_deg"], belt) == "45°"
    assert text_of("blade_direction_deg", None, belt) == "–"


def test_an_own_machine_is_saved_as_often_as_one_likes(library):
    machine = library.machine("metal-260")
    for height in (300.0, 310.0, 320.0, 330.0):
        kept = keep_own(machine.model_copy(update={"height": height}), "Cellar no. 2")
        assert full_library().machine(kept.id).height == height

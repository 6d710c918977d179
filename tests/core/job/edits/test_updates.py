"""What the library has newer is listed, and taken only when asked."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.edits.updates import newer_values, take_newer
from lean_trellis.core.job.files import job_text, open_job, save_job
from lean_trellis.core.job.released import Released
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.values import with_value


def test_a_name_and_an_owner_are_given_together(used):
    part = edits.describe_part(used, "part-1", name="Keel", owner="Otterbank Survey").job.parts[0]
    assert (part.name, part.owner) == ("Keel", "Otterbank Survey")


def changed_library(library: Library) -> Library:
    machine = with_value(library.machine("metal-260"), "height", 280.0)
    material = with_value(library.material("steel-316l"), "constants.strength.value", 400.0)
    return replace(
        library,
        machines={**library.machines, machine.id: machine},
        materials={**library.materials, material.id: material},
    )


def newer_set(**values):
    old = shipped_sets()["bars-metal"]
    parameters = old.parameters.model_copy(update=values)
    return {"bars-metal": replace(old, version=old.version + 1, parameters=parameters)}


def test_a_newer_library_changes_nothing_in_an_old_job(used, library, tmp_path):
    save_job(used, tmp_path / "old.trellis")
    again = open_job(tmp_path / "old.trellis", changed_library(library))
    assert job_text(again) == job_text(used)
    assert again.machine.height == used.machine.height
    assert again.material.constants["strength"].value == used.material.constants["strength"].value


def test_what_is_newer_is_listed_value_by_value(used, library):
    assert newer_values(used, library, shipped_sets()) == ()
    found = {(one.of, one.key): (one.here, one.there)
             for one in newer_values(used, changed_library(library), newer_set(tip_diameter=0.66))}  # fmt: skip
    before = used.sets[0].parameters
    assert found == {
        (used.machine.name, "height"): (used.machine.height, 280.0),
        (used.material.name, "constants.strength.value"): (used.material.constants["strength"].value, 400.0),
        (used.sets[0].title, "tip_diameter"): (before.tip_diameter, 0.66),
    }


def test_what_is_taken_leaves_values_changed_by_hand(used, library):
    sets = newer_set(tip_diameter=0.66, spacing=9.0)
    edit = take_newer(used, changed_library(library), sets)
    support = edit.job.supports[0]
    assert (support.parameters.tip_diameter, support.parameters.spacing) == (0.66, 4.4)
    assert support.set_version == sets["bars-metal"].version
    assert edit.job.machine.height == 280.0
    assert edit.job.set_of(support) == sets["bars-metal"]
    assert newer_values(edit.job, changed_library(library), sets) == ()
    with pytest.raises(EditError, match="nothing to take"):
        take_newer(edit.job, changed_library(library), sets)


def test_a_released_job_takes_nothing(used, library):
    with pytest.raises(EditError, match="released"):
        take_newer(replace(used, released=Released()), changed_library(library), shipped_sets())

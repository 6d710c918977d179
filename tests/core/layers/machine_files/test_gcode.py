"""G-code followed by other code: layers, volumes, changes, seconds."""

from __future__ import annotations

import numpy as np
import pytest
from layered_builds import layers_of, small_job
from machine_readers import follow_gcode

from lean_trellis.core.layers.machine_files import write_layers


@pytest.fixture(scope="module")
def extruded(library):
    job = small_job(library, "extrusion")
    return job, *layers_of(job)


def test_what_a_machine_takes_and_extrudes_is_what_the_estimate_says(extruded, tmp_path):
    job, estimate, build = extruded
    (path,) = write_layers(build, tmp_path / "small")
    assert path.name == "small.gcode"
    done = follow_gcode(path, change_s=job.constants["change_time"].value)
    assert done.layers == estimate.layers
    assert done.changes == estimate.material_changes > 0
    assert done.seconds == pytest.approx(estimate.build_seconds, rel=0.001)
    used = sum(estimate.grams_by[cause] for cause in ("parts", "supports", "purge")) / job.constants["density"].value
    used += estimate.grams_by["separators"] / job.stacks[0].filling.material.constants["density"].value
    assert sum(done.bead_mm3) == pytest.approx(1000 * used, rel=1e-4)


def test_a_layer_holds_its_area_where_all_is_filled(extruded, tmp_path):
    job, _, build = extruded
    (path,) = write_layers(build, tmp_path / "small.gcode")
    done = follow_gcode(path, change_s=38.0)
    first = sum(body.layers.areas_mm2[0] for body in build.bodies if len(body.numbers) and body.numbers[0] == 0)
    assert done.bead_mm3[0] == pytest.approx(first * job.layer_height, rel=0.03)


def test_short_layers_wait(library, tmp_path):
    job = small_job(library, "extrusion")
    least = job.material.constants["change_time"].model_copy(update={"value": 30.0})
    constants = job.material.constants | {"least_layer_time": least}
    from dataclasses import replace

    job = replace(job, material=job.material.model_copy(update={"constants": constants}))
    estimate, build = layers_of(job)
    assert (estimate.assembly.layer_seconds >= 30.0 - 1e-9).all()
    (path,) = write_layers(build, tmp_path / "small.gcode")
    assert follow_gcode(path, change_s=38.0).seconds == pytest.approx(estimate.build_seconds, rel=0.001)
    assert np.sum(estimate.assembly.seconds_by["waits of short layers"]) > 0
